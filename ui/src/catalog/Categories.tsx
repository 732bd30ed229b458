import { TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState, type CSSProperties } from 'react';
import type { Category } from '../client';
import { getWaitingOptions, listCategoriesOptions } from '../client/@tanstack/react-query.gen';
import { count } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Failed } from '../shared/State';

/** What a line of the tree shows; the first is no category but all of them. */
type Node = Pick<Category, 'path' | 'name' | 'products' | 'noPicture' | 'sum'>;

interface Choosing {
  chosen: string;
  onChoose: (path: string) => void;
}

/** The tree of categories, each with its picture, its products and how many of them have no picture. */
export function Categories({ chosen, onChoose }: Choosing) {
  const categories = useQuery(listCategoriesOptions());
  const [text, setText] = useState('');
  const asked = text.trim().toLowerCase();
  const waiting = useQuery(getWaitingOptions());
  if (categories.error)
    return (
      <nav className="tree" aria-label="Categories">
        <Failed error={categories.error} again={() => void categories.refetch()} />
      </nav>
    );
  const all: Node = {
    path: '',
    name: 'All products',
    sum: '',
    products: waiting.data?.products ?? 0,
    noPicture: waiting.data?.noPicture ?? 0,
  };
  const items = categories.data?.items ?? [];
  // What is found stands under what it is in.
  const hits = items.filter(
    (c) => c.name.toLowerCase().includes(asked) || c.ref.toLowerCase().includes(asked),
  );
  const found = asked
    ? items.filter((c) => hits.some((h) => h.path === c.path || h.path.startsWith(`${c.path} / `)))
    : items;
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
        <span className="num">bare</span>
      </div>
      <Line category={all} chosen={chosen} onChoose={onChoose} />
      {found.map((c) => (
        <Line key={c.path} category={c} chosen={chosen} onChoose={onChoose} />
      ))}
      {asked !== '' && found.length === 0 && <p className="quiet pad">No category is called so.</p>}
    </nav>
  );
}

function Line({ category: c, chosen, onChoose }: Choosing & { category: Node }) {
  const depth = c.path === '' ? 0 : c.path.split(' / ').length;
  const n = c.products;
  return (
    <button
      className={`treeline${c.path === chosen ? ' on' : ''}`}
      aria-current={c.path === chosen ? 'true' : undefined}
      title={c.path || undefined}
      style={{ '--depth': depth } as CSSProperties}
      onClick={() => onChoose(c.path)}
    >
      <span className="spread tight narrow">
        {c.sum && <Picture sum={c.sum} className="tiny" />}
        <span className="clip">{c.name}</span>
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
