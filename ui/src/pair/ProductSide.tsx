import { Button } from '@mantine/core';
import { Link } from 'react-router';
import type { Entry, FileDetail, Target } from '../client';
import { Picture } from '../shared/Picture';
import { Sorted, useSorted } from '../shared/Sorted';
import { Empty, Failed } from '../shared/State';
import { type Aim, aimOf, sameTarget, targetKey } from '../shared/target';
import { Warnings } from '../shared/Warnings';
import type { Ordering } from './order';
import css from './ProductSide.module.css';

/** The product beside the picture: what it shows now, and what it will show. */
export function ProductSide({
  target,
  file,
  ordering,
  open,
  onOthers,
}: {
  target: Aim | undefined;
  file: FileDetail;
  ordering: Ordering;
  open: boolean;
  /** Sets what the file shows beside its first product. */
  onOthers: (others: Target[]) => void;
}) {
  const { preview } = ordering;
  if (!target || (target.product === 0 && !target.category))
    return <Empty title="No product is marked.">Press f to find one by SKU, title, GTIN or option.</Empty>;
  if (preview.error) return <Failed error={preview.error} />;
  if (!preview.data) return null;
  const { owner, code, title, named, targets, warnings, ordered, way, lots, leftOut } = preview.data;
  const marked = aimOf(target);
  const variant = named.find((n) => n.target.kind === 'variant' && sameTarget(n.target, marked));
  return (
    <div className={`scroll ${css.side}`} tabIndex={0} role="region" aria-label="Product’s pictures">
      <div>
        <Link className="link" to={`/${owner.kind === 'category' ? 'categories' : 'products'}/${owner.id}`}>
          <strong>{title || code}</strong>
        </Link>
        <div>
          <span className="mono">{variant?.code ?? code}</span>
          {variant ? (
            <span className="quiet"> {variant.options.map((o) => o.value).join(', ')}</span>
          ) : (
            <span className="quiet">
              {' '}
              {owner.kind === 'category' ? 'a category' : 'the product as a whole'}
            </span>
          )}
        </div>
      </div>
      {file.verdict === 'paired' && file.others.length > 0 && (
        <div className="stack tight" role="group" aria-label="Other products that it shows">
          <span className="quiet small">It shows these, too</span>
          {file.others.map((o) => (
            <span key={targetKey(o.target)} className="spread">
              <span className="narrow">
                <span className="mono">{o.code}</span> <span className="quiet">{o.title}</span>
              </span>
              {open && (
                <Button
                  size="compact-xs"
                  className="push"
                  aria-label={`Remove ${o.code}`}
                  onClick={() =>
                    onOthers(file.others.map((p) => p.target).filter((p) => !sameTarget(p, o.target)))
                  }
                >
                  Remove
                </Button>
              )}
            </span>
          ))}
        </div>
      )}
      {(leftOut || way !== 'after' || lots.length > 1) && (
        <span className="quiet">
          {leftOut
            ? 'Left out of the plan: it stays as it is.'
            : `As it is planned: ${wayName(way)}${lots.length > 1 ? `, with ${lots.length} lots` : ''}.`}
        </span>
      )}
      <Warnings list={warnings} targets={targets} />
      {targets.length === 0 && (
        <span className="quiet">It has no picture yet, and none is on its way in this lot.</span>
      )}
      {targets.map((t) => (
        <div key={targetKey(t.target)} className="stack tight">
          <span className={sameTarget(t.target, marked) ? 'mono strong' : 'mono'}>
            {t.code}
            {t.target.kind === 'product' && <span className="quiet same-face"> whole</span>}
          </span>
          <Shots name="shows now" entries={t.before} />
          {open && t.after.length > 1 && t.after.some((e) => fresh(t.before, e)) ? (
            <Sorted ids={t.after.map(idOf)} onMove={(from, to) => ordering.move(t, from, to)}>
              <Shots name="will show" entries={t.after} before={t.before} here={file.id} sorted />
            </Sorted>
          ) : (
            <Shots name="will show" entries={t.after} before={t.before} here={file.id} />
          )}
          {ordered.some((o) => sameTarget(o, t.target)) && (
            <span className="spread quiet small">
              in an order set by hand
              {open && (
                <Button size="compact-xs" onClick={() => ordering.byNames(t)}>
                  As the names have it
                </Button>
              )}
            </span>
          )}
        </div>
      ))}
    </div>
  );
}

const wayName = (way: string) => (way === 'instead' ? 'in its stead' : way);

const idOf = (e: Entry) => `${e.id}-${e.file}`;

const fresh = (before: Entry[], e: Entry) => !before.some((b) => b.id === e.id && b.file === e.file);

/** Pictures in their order; with before, those that are new are marked; sorted ones can be dragged. */
export function Shots({
  name,
  entries,
  before,
  here = 0,
  sorted = false,
}: {
  name: string;
  entries: Entry[];
  before?: Entry[];
  here?: number;
  sorted?: boolean;
}) {
  const Each = sorted ? Draggable : Plain;
  return (
    <div>
      <div className="quiet small">
        {name}
        {entries.length === 0 && ': nothing'}
      </div>
      <div className="shots">
        {entries.map((e, i) => (
          <Each
            key={idOf(e)}
            entry={e}
            place={i + 1}
            look={`shot${before && fresh(before, e) ? ' fresh' : ''}${e.file === here ? ' here' : ''}`}
          />
        ))}
      </div>
    </div>
  );
}

interface Shown {
  entry: Entry;
  place: number;
  look: string;
}

const Content = ({ entry, place }: Shown) => (
  <>
    <Picture sum={entry.sum} alt={entry.alt} />
    {place}
    {entry.view && ` ${entry.view}`}
  </>
);

const Plain = (shown: Shown) => (
  <div className={shown.look}>
    <Content {...shown} />
  </div>
);

const Draggable = (shown: Shown) => (
  <div className={`${shown.look} drags`} {...useSorted(idOf(shown.entry))}>
    <Content {...shown} />
  </div>
);
