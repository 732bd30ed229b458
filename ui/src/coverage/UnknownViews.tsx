import { Button } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Covered, CoveredProduct, ShotList, UnknownView } from '../client';
import { setViewsMutation } from '../client/@tanstack/react-query.gen';
import { useChosen } from '../shared/chosen';
import { baseName, count, said, some } from '../shared/format';
import { useKeys } from '../shared/keys';
import { Enlarged, Picture } from '../shared/Picture';
import { Empty } from '../shared/State';
import { tell, tellWithUndo } from '../shared/tell';
import { useUndoPlan } from '../shared/undoPlan';
import { ViewDialog } from '../shared/ViewDialog';
import css from './Coverage.module.css';
import { Pages } from './Matrix';

interface Props {
  coverage: Covered;
  offset: number;
  page: number;
  onOffset: (to: number) => void;
}

/** How many pictures are set at once. */
const atOnce = 500;

/** How many views have a key. */
const numbered = 9;

/** Pictures whose view is unknown, by product, to set their views. */
export function UnknownViews({ coverage: c, offset, page, onOffset }: Props) {
  const lists = new Map(c.lists.map((l) => [l.id, l]));
  const pictures = c.items.flatMap((p) => p.pictures ?? []);
  const [here, setHere] = useState(0);
  const selection = useChosen(pictures.length, (from, limit) =>
    Promise.resolve(pictures.slice(from, from + limit)),
  );
  const [dialog, setDialog] = useState<'view' | 'large' | ''>('');
  const setViews = useSetViews();
  const marked = pictures.find((p) => p.id === here) ?? pictures[0];
  const chosen = pictures.filter((p) => selection.has(p.id));
  const meant = chosen.length > 0 ? chosen.slice(0, atOnce) : marked ? [marked] : [];
  const wanted = wantedViews(
    c.items.filter((p) => p.pictures?.some((one) => meant.includes(one))),
    lists,
  );
  const set = (view: string) => {
    const last = meant[meant.length - 1];
    if (!last || setViews.isPending) return;
    const after = pictures.slice(pictures.indexOf(last) + 1).find((p) => !meant.includes(p));
    setViews.mutate(meant, view, () => {
      selection.clear();
      if (after) focusOn(after.id);
    });
  };
  const at = marked ? pictures.indexOf(marked) : -1;
  const go = (by: number) => {
    const to = pictures[at + by];
    if (to) focusOn(to.id);
  };
  const stretch = (by: number) => {
    selection.upTo(Math.min(pictures.length - 1, Math.max(0, at + by)), at);
    go(by);
  };
  useKeys(
    {
      ArrowRight: (e) => (e.shiftKey ? stretch(1) : go(1)),
      ArrowLeft: (e) => (e.shiftKey ? stretch(-1) : go(-1)),
      m: () => marked && (selection.toggle(marked, at), go(1)),
      v: () => setDialog('view'),
      Escape: selection.clear,
      ...Object.fromEntries(wanted.slice(0, numbered).map((view, i) => [String(i + 1), () => set(view)])),
    },
    dialog === '' && pictures.length > 0,
  );
  if (pictures.length === 0)
    return <Empty title={c.counting ? 'Still counting …' : 'Every picture here has a view that is known.'} />;
  return (
    <div className={css.unknown}>
      <div className="scroll" role="region" aria-label="Pictures with an unknown view" tabIndex={0}>
        {c.items.map((p) => (
          <section key={p.id} className={css.question}>
            <div className={`spread ${css.of}`}>
              <Link className="link clip" to={`/products/${p.id}`}>
                {p.title}
              </Link>
              <span className="mono quiet clip">{p.code}</span>
              <span className="quiet small push">{lacks(p, lists.get(p.list))}</span>
            </div>
            <div className={css.asks}>
              {(p.pictures ?? []).map((one) => (
                <Asked
                  key={one.id}
                  picture={one}
                  marked={one.id === marked?.id}
                  selected={selection.has(one.id)}
                  onMark={() => setHere(one.id)}
                  onSelect={(range) => {
                    const index = pictures.indexOf(one);
                    if (range) selection.upTo(index, at);
                    else selection.toggle(one, index);
                  }}
                  onOpen={() => setDialog('large')}
                />
              ))}
              {p.unknown > (p.pictures ?? []).length && (
                <Link className="link small" to={`/products/${p.id}`}>
                  {count(p.unknown - (p.pictures ?? []).length)} more
                </Link>
              )}
            </div>
          </section>
        ))}
        <Pages coverage={c} offset={offset} page={page} onOffset={onOffset} />
      </div>
      <div className={`spread wrap ${css.answers}`} role="toolbar" aria-label="Set view">
        <span>
          {chosen.length > 0 ? `${some(chosen.length, 'selected picture')} show` : 'This picture shows'}
          {chosen.length === 1 && 's'}
        </span>
        {wanted.map((view, i) => (
          <Button key={view} loading={setViews.isPending} onClick={() => set(view)}>
            {i < numbered && <span className={css.key}>{i + 1}</span>}
            {view}
          </Button>
        ))}
        <Button onClick={() => setDialog('view')}>Another view…</Button>
        {chosen.length > 0 && (
          <Button variant="subtle" className="push" onClick={selection.clear}>
            Clear selection
          </Button>
        )}
      </div>
      <ViewDialog
        open={dialog === 'view'}
        view={undefined}
        onClose={() => setDialog('')}
        onView={(view) => {
          setDialog('');
          set(view);
        }}
      />
      <Enlarged
        sum={dialog === 'large' ? (marked?.sum ?? '') : ''}
        title={baseName(marked?.path ?? '')}
        onClose={() => setDialog('')}
      />
    </div>
  );
}

interface AskedProps {
  picture: UnknownView;
  marked: boolean;
  selected: boolean;
  onMark: () => void;
  /** range: with all from the one that was selected last. */
  onSelect: (range: boolean) => void;
  onOpen: () => void;
}

function Asked({ picture: p, marked, selected, onMark, onSelect, onOpen }: AskedProps) {
  return (
    <button
      data-picture={p.id}
      className={`placed${marked ? ' on' : ''} ${css.ask}`}
      aria-pressed={selected}
      title={p.path}
      onFocus={onMark}
      onClick={(e) => onSelect(e.shiftKey)}
      onKeyDown={(e) => {
        if (e.key !== ' ') return;
        e.preventDefault();
        onOpen();
      }}
    >
      <div className="framed">
        <Picture sum={p.sum} alt="" />
        {selected && <span className="lead">selected</span>}
      </div>
      <span className="mono small clip">{baseName(p.path)}</span>
      <span className="quiet small clip">
        {[p.view && `“${p.view}”`, p.sku].filter(Boolean).join(', ') || 'no view'}
      </span>
    </button>
  );
}

const focusOn = (id: number) => document.querySelector<HTMLElement>(`[data-picture="${id}"]`)?.focus();

/** The views that the lists of products want, in the order of the lists: so each view keeps its key. */
const wantedViews = (products: CoveredProduct[], lists: Map<number, ShotList>): string[] => [
  ...new Set(products.flatMap((p) => (lists.get(p.list)?.shots ?? []).map((s) => s.view))),
];

/** What a product lacks, in words. */
function lacks(p: CoveredProduct, list: ShotList | undefined): string {
  const missing = (list?.shots ?? []).filter((s, i) => (p.have[i] ?? 0) + (p.below[i] ?? 0) < s.count);
  return missing.length === 0 ? 'nothing is missing' : `missing: ${missing.map((s) => s.view).join(', ')}`;
}

/** Sets the views of pictures as they were seen, and offers to undo it. */
function useSetViews() {
  const client = useQueryClient();
  const undo = useUndoPlan();
  const { mutate, isPending } = useMutation({
    ...setViewsMutation(),
    onError: (e) => {
      tell('Could not set the view', said(e), true);
      void client.invalidateQueries();
    },
  });
  return {
    isPending,
    mutate: (pictures: UnknownView[], view: string, done: () => void) =>
      mutate(
        { body: { pictures: pictures.map((p) => ({ id: p.id, was: p.view, view })) } },
        {
          onSuccess: ({ plan, set }) => {
            const left = pictures.length - set;
            tellWithUndo(
              `${some(set, 'picture')} set to ${view || 'no view'}.` +
                (left > 0
                  ? ` ${some(left, 'picture')} had been changed by someone else and stayed as they were.`
                  : ''),
              () => undo(plan),
            );
            void client.invalidateQueries();
            done();
          },
        },
      ),
  };
}
