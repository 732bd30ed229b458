import { Button, NativeSelect } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import type { Plan, PlannedChange, Warning } from '../client';
import {
  listPlanChangesOptions,
  revertPlanMutation,
  setAsideOfPlanMutation,
  setPlanChangeMutation,
} from '../client/@tanstack/react-query.gen';
import { Shots } from '../pair/ProductSide';
import { usePages } from '../shared/paging';
import { Empty, Failed } from '../shared/State';
import { targetKey } from '../shared/target';
import { Warnings } from '../shared/Warnings';
import { atOf, tallOf } from '../shared/virtual';
import css from './PlanPage.module.css';
import { failed, type Way, ways } from './ways';
export function Products({ plan, warned }: { plan: Plan; warned: boolean }) {
  const box = useRef<HTMLDivElement>(null);
  const [total, setTotal] = useState(0);
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => box.current,
    estimateSize: () => 170,
    overscan: 4,
  });
  const seen = rows.getVirtualItems();
  const products = usePages<PlannedChange>(seen[0]?.index ?? 0, seen.at(-1)?.index ?? 0, (window) =>
    listPlanChangesOptions({ path: { id: plan.id }, query: { ...window, warned } }),
  );
  if (products.total !== total && !products.loading) setTotal(products.total);
  if (products.error) return <Failed error={products.error} />;
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Products of the plan">
      {!products.loading && products.total === 0 && (
        <Empty title="Nothing would change.">
          Pair files on the <Link to={plan.lots[0] ? `/pair/${plan.lots[0].id}` : '/pair'}>bench</Link> first.
        </Empty>
      )}
      <div className="tall beside-edge" style={tallOf(rows.getTotalSize())}>
        {seen.map((row) => {
          const p = products.at(row.index);
          return (
            <div
              key={row.key}
              data-index={row.index}
              ref={rows.measureElement}
              className="at apart-below"
              style={atOf(row)}
            >
              {p ? <Product plan={plan} product={p} /> : <div className={css.waiting} />}
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** The product, with its variants, or the category that a change is of. */
export const ownerOf = ({ owner }: PlannedChange) => ({
  kind: owner.kind === 'category' ? ('category' as const) : ('product' as const),
  owner: owner.id,
});

export const pageOf = ({ owner }: PlannedChange) =>
  owner.kind === 'category' ? `/categories/${owner.id}` : `/products/${owner.id}`;

function Product({ plan, product }: { plan: Plan; product: PlannedChange }) {
  const set = useMutation({ ...setPlanChangeMutation(), onError: failed });
  const revert = useMutation({ ...revertPlanMutation(), onError: failed });
  const put = (way: Way | '', leftOut: boolean) =>
    set.mutate({ path: { id: plan.id, ...ownerOf(product) }, body: { way, leftOut } });
  const draft = plan.state === 'draft';
  const aside = useMutation({ ...setAsideOfPlanMutation(), onError: failed });
  const setAside = (files: number[]) =>
    aside.mutate({
      path: { id: plan.id },
      body: { files, reason: 'the same picture stands on the product' },
    });
  const remedy = (w: Warning) => {
    if (w.kind === 'larger' && product.way !== 'like for like')
      return (
        <Button size="compact-xs" loading={set.isPending} onClick={() => put('like for like', false)}>
          Like for like
        </Button>
      );
    if (w.kind === 'alike')
      return (
        <Button size="compact-xs" loading={aside.isPending} onClick={() => setAside(w.files ?? [])}>
          Set aside
        </Button>
      );
    return null;
  };
  return (
    <section className={`sheet${product.leftOut ? ` ${css.leftOut}` : ''}`} aria-label={product.code}>
      <div className={`spread ${css.changeHead}`}>
        <Link className="link mono" to={pageOf(product)}>
          {product.code}
        </Link>
        <span className="clip">{product.title}</span>
        <span className="quiet fixed">
          {[
            product.added && `${product.added} added`,
            product.removed && `${product.removed} removed`,
            product.moved && `${product.moved} moved`,
          ]
            .filter(Boolean)
            .join(', ') || 'no change'}
        </span>
        <span className="spread push fixed">
          {product.remade && product.state === 'planned' && <span className="quiet">made again</span>}
          {product.state !== 'planned' && <span className="quiet">{product.state}</span>}
          {draft && (
            <NativeSelect
              size="xs"
              aria-label={`Way for ${product.code}`}
              value={product.leftOut ? 'left out' : product.way}
              onChange={(e) => {
                const v = e.currentTarget.value;
                put(v === 'left out' ? '' : (v as Way | ''), v === 'left out');
              }}
              data={[
                { value: '', label: 'as the plan' },
                ...(plan.kind === 'swap' ? [] : ways).map(({ value, label }) => ({ value, label })),
                { value: 'left out', label: 'leave out' },
              ]}
            />
          )}
          {!draft && product.state === 'applied' && (
            <Button
              loading={revert.isPending}
              onClick={() => revert.mutate({ path: { id: plan.id }, query: ownerOf(product) })}
            >
              Revert
            </Button>
          )}
        </span>
      </div>
      {product.problem && <div className="note bad">{product.problem}</div>}
      <Warnings list={product.warnings} targets={product.targets} remedy={draft ? remedy : undefined} />
      <div className={css.targets}>
        {product.targets.map((t) => (
          <div key={targetKey(t.target)} className={`columns ${css.target}`}>
            <span className="mono clip">
              {t.target.kind !== 'variant' ? (
                <span className="quiet sans">
                  {t.target.kind === 'category' ? 'the category' : 'the whole product'}
                </span>
              ) : (
                t.code
              )}
            </span>
            <Shots name="before" entries={t.before} />
            <Shots name="after" entries={t.after} before={t.before} />
          </div>
        ))}
      </div>
    </section>
  );
}
