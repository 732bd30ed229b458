import { Button } from '@mantine/core';
import { Link } from 'react-router';
import type { Covered, CoveredProduct, ShotList } from '../client';
import { count, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Empty } from '../shared/State';
import css from './Coverage.module.css';

interface Props {
  coverage: Covered;
  offset: number;
  page: number;
  onOffset: (to: number) => void;
}

/** Products by the views that are wanted of them. */
export function Matrix({ coverage: c, offset, page, onOffset }: Props) {
  const lists = new Map(c.lists.map((l) => [l.id, l]));
  const views = [...new Set(c.items.flatMap((p) => (lists.get(p.list)?.shots ?? []).map((s) => s.view)))];
  if (c.items.length === 0) return <Empty title="Nothing of it is missing here." />;
  return (
    <div className="scroll" tabIndex={0} role="region" aria-label="Products by views">
      <table className={css.matrix}>
        <thead>
          <tr>
            <th scope="col">Product</th>
            {views.map((view) => (
              <th key={view} scope="col" className={css.view}>
                {view}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {c.items.map((p) => (
            <Row key={p.id} product={p} list={lists.get(p.list)} views={views} />
          ))}
        </tbody>
      </table>
      <Pages coverage={c} offset={offset} page={page} onOffset={onOffset} />
    </div>
  );
}

/** Which products are listed, with the ways to the others. */
export function Pages({ coverage: c, offset, page, onOffset }: Props) {
  if (c.listed <= page) return null;
  return (
    <div className={`spread ${css.pages}`}>
      <Button disabled={offset === 0} onClick={() => onOffset(Math.max(0, offset - page))}>
        Previous
      </Button>
      <span className="quiet">
        {count(offset + 1)} to {count(Math.min(offset + page, c.listed))} of {some(c.listed, 'product')}
      </span>
      <Button disabled={offset + page >= c.listed} onClick={() => onOffset(offset + page)}>
        Next
      </Button>
    </div>
  );
}

interface RowProps {
  product: CoveredProduct;
  list: ShotList | undefined;
  views: string[];
}

function Row({ product: p, list, views }: RowProps) {
  return (
    <tr>
      <th scope="row">
        <Link className={css.product} to={`/products/${p.id}`}>
          <Picture sum={p.sum} none="–" className="small" />
          <span className="clip" title={p.title}>
            {p.title}
          </span>
          <span className="mono quiet clip">{p.code}</span>
          {p.unknown > 0 && (
            <span className={css.noView} title="They fill no view of the list until their views are set.">
              {some(p.unknown, 'picture')} with an unknown view
            </span>
          )}
        </Link>
      </th>
      {views.map((view) => {
        const at = list?.shots.findIndex((s) => s.view === view) ?? -1;
        const shot = list?.shots[at];
        if (!shot) return <td key={view} />;
        return <Cell key={view} want={shot.count} have={p.have[at] ?? 0} below={p.below[at] ?? 0} />;
      })}
    </tr>
  );
}

interface CellProps {
  want: number;
  have: number;
  below: number;
}

/** How far a view is there, in words that can be read without colour. */
function Cell({ want, have, below }: CellProps) {
  const state = have >= want ? 'filled' : have + below >= want ? 'below' : 'missing';
  const words = {
    filled: want > 1 ? `all ${want}` : 'there',
    below: 'too small',
    missing: want > 1 ? `${have + below} of ${want}` : 'missing',
  }[state];
  return (
    <td>
      <span className={css.cell} data-state={state}>
        {words}
      </span>
    </td>
  );
}
