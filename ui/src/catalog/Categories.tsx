import { Button, TextInput, UnstyledButton } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState, type CSSProperties } from 'react';
import type { Category } from '../client';
import { getWaitingOptions, listCategoriesOptions } from '../client/@tanstack/react-query.gen';
import { count, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Failed } from '../shared/State';

/** What a line of the tree shows; the first is no category but all of them. */
type Node = Pick<Category, 'path' | 'name' | 'products' | 'noPicture' | 'sum'>;

interface Choosing {
  chosen: string;
  onChoose: (path: string) => void;
}

/** How many categories a search shows. */
const shown = 200;

/** The tree of categories, each with its picture, its products and how many of them have no picture. */
export function Categories({ chosen, onChoose }: Choosing) {
  const [text, setText] = useState('');
  const [asked] = useDebouncedValue(text.trim(), 150);
  const waiting = useQuery(getWaitingOptions());
  const all: Node = {
    path: '',
    name: 'All products',
    sum: '',
    products: waiting.data?.products ?? 0,
    noPicture: waiting.data?.noPicture ?? 0,
  };
  return (
    <nav className="tree" aria-label="Categories" tabIndex={-1}>
      <div className="tree-search">
        <TextInput
          size="xs"
          value={text}
          placeholder="Part of a category or its ID"
          aria-label="Part of a category or its ID"
          onChange={(e) => setText(e.currentTarget.value)}
        />
      </div>
      <div className="treeline head-line" aria-hidden>
        <span>Category</span>
        <span className="num">all</span>
        <span className="num" title="Without a picture">
          missing
        </span>
      </div>
      <Line category={all} chosen={chosen} onChoose={onChoose} />
      {asked ? (
        <Found text={asked} chosen={chosen} onChoose={onChoose} />
      ) : (
        <Level parent={0} after="" chosen={chosen} onChoose={onChoose} />
      )}
    </nav>
  );
}

/** The categories that a text finds, each with where it lies. */
function Found({ text, ...choosing }: Choosing & { text: string }) {
  const found = useQuery({
    ...listCategoriesOptions({ query: { q: text, limit: shown } }),
    placeholderData: keepPreviousData,
  });
  if (found.error) return <Failed error={found.error} again={() => void found.refetch()} />;
  if (!found.data) return null;
  const { items, total } = found.data;
  return (
    <>
      {items.map((c) => (
        <Line key={c.id} category={c} within={above(c)} {...choosing} />
      ))}
      {total === 0 && <p className="quiet pad">No category has “{text}” in its path or ID.</p>}
      {total > items.length && (
        <p className="quiet pad">
          {count(items.length)} of {some(total, 'category', 'categories')}. Type more to narrow the list.
        </p>
      )}
    </>
  );
}

/** The name of the category that one is in. */
const above = (c: Category) => c.path.split(' / ').at(-2);

interface LevelProps extends Choosing {
  /** ID of the category whose categories are shown; 0 for all. */
  parent: number;
  /** Path of the category that the level goes on behind, where it has more than are fetched at once. */
  after: string;
}

/** The categories in one, with as many levels below as are fetched at once. */
function Level({ parent, after, ...choosing }: LevelProps) {
  const [more, setMore] = useState(false);
  const level = useQuery(listCategoriesOptions({ query: { parent, after } }));
  if (level.error) return <Failed error={level.error} again={() => void level.refetch()} />;
  if (!level.data) return null;
  const below = new Map<number, Category[]>();
  for (const c of level.data.items) below.set(c.parent, [...(below.get(c.parent) ?? []), c]);
  const last = level.data.items.at(-1);
  return (
    <>
      {(below.get(parent) ?? []).map((c) => (
        <Branch key={c.id} category={c} below={below} {...choosing} />
      ))}
      {level.data.more &&
        (more && last ? (
          <Level parent={parent} after={last.path} {...choosing} />
        ) : (
          <Button size="compact-xs" className="pad" onClick={() => setMore(true)}>
            Show more categories
          </Button>
        ))}
    </>
  );
}

interface BranchProps extends Choosing {
  category: Category;
  /** What was fetched with it, by parent. */
  below: Map<number, Category[]>;
}

/** A category, and below it what is in it while it is open. */
function Branch({ category: c, below, ...choosing }: BranchProps) {
  const fetched = below.get(c.id);
  const [turned, setTurned] = useState<boolean>();
  const open = turned ?? (fetched !== undefined || choosing.chosen.startsWith(`${c.path} / `));
  return (
    <>
      <div className="branch" style={depthOf(c)}>
        {c.children > 0 && (
          <UnstyledButton
            className="fold"
            aria-expanded={open}
            aria-label={`Categories in ${c.name}`}
            onClick={() => setTurned(!open)}
          >
            {open ? '▾' : '▸'}
          </UnstyledButton>
        )}
        <Line category={c} {...choosing} />
      </div>
      {open &&
        c.children > 0 &&
        (fetched ? (
          fetched.map((one) => <Branch key={one.id} category={one} below={below} {...choosing} />)
        ) : (
          <Level parent={c.id} after="" {...choosing} />
        ))}
    </>
  );
}

const depthOf = (c: Node) =>
  ({ '--depth': c.path === '' ? 0 : c.path.split(' / ').length - 1 }) as CSSProperties;

interface LineProps extends Choosing {
  category: Node;
  /** Name of the category that it is in, where that is said. */
  within?: string;
}

function Line({ category: c, within, chosen, onChoose }: LineProps) {
  const n = c.products;
  return (
    <button
      className={`treeline${c.path === chosen ? ' on' : ''}`}
      aria-current={c.path === chosen ? 'true' : undefined}
      title={c.path || undefined}
      onClick={() => onChoose(c.path)}
    >
      <span className="spread tight narrow">
        {c.sum && <Picture sum={c.sum} className="tiny" />}
        <span className="clip">
          {c.name}
          {within && <span className="quiet small"> in {within}</span>}
        </span>
      </span>
      <span className={n > 0 ? 'num' : 'num none'}>{count(n)}</span>
      <span
        className={c.noPicture > 0 ? 'num lacking' : 'num none'}
        title={`${count(c.noPicture)} without a picture`}
      >
        {count(c.noPicture)}
      </span>
    </button>
  );
}
