import { Button, Menu, Modal, NativeSelect, SegmentedControl, Switch } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Plan, PlannedProduct, Warning } from '../client';
import { applyPlanMutation, decideTogetherMutation, getFileOptions, getPlanOptions, listPlanProductsOptions, listRunsOptions, makePlanMutation, refreshPlanMutation, replanMutation, revertPlanMutation, setPlanProductMutation } from '../client/@tanstack/react-query.gen';
import { Shots } from '../pair/ProductSide';
import { count, said, some } from '../shared/format';
import { usePages } from '../shared/paging';
import { active, RunLine } from '../shared/Runs';
import { Empty, Failed } from '../shared/State';
import { Warnings } from '../shared/Warnings';
import { tell } from '../shared/tell';

export const ways = [
  { value: 'after', label: 'after', what: 'New pictures stand behind those that are there.' },
  { value: 'before', label: 'before', what: 'New pictures stand in front; the first becomes the lead.' },
  { value: 'instead', label: 'in its stead', what: 'New pictures replace all that stand on the same product or variant.' },
  { value: 'like for like', label: 'like for like', what: 'Each replaces the picture of the same view or place; the others are left out.' },
] as const;

type Way = (typeof ways)[number]['value'];

const failed = (e: unknown) => tell('Nothing changed', said(e), true);

/** Everything that applying would change, before it changes. */
export function PlanPage() {
  const id = Number(useParams()['id']);
  const plan = useQuery(getPlanOptions({ path: { id } }));
  const runs = useQuery(listRunsOptions());
  const [warned, setWarned] = useState(false);
  if (plan.error) return <Failed error={plan.error} again={() => void plan.refetch()} />;
  if (!plan.data) return null;
  const mine = runs.data?.items.filter((r) => r.plan === id) ?? [];
  const newest = mine[0];
  const working = mine.some(active);
  return (
    <>
      <Head plan={plan.data} working={working} />
      <div className="spread wrap" style={{ padding: '9px 16px', borderBottom: '1px solid var(--line)' }}>
        <Totals plan={plan.data} />
        {plan.data.warned > 0 && <Switch className="push" size="xs" checked={warned} onChange={(e) => setWarned(e.currentTarget.checked)} label={`Only the ${count(plan.data.warned)} with warnings`} />}
      </div>
      {newest && (newest.state !== 'done' || plan.data.state !== 'draft') && <div className="sheet" style={{ margin: '10px 16px 0' }}><RunLine run={newest} /></div>}
      {plan.data.stale + plan.data.failed > 0 && <Stale plan={plan.data} />}
      {plan.data.outdated ? <Overtaken plan={plan.data} /> : <Remade plan={plan.data} />}
      <Products key={`${warned}`} plan={plan.data} warned={warned} />
    </>
  );
}

function Totals({ plan }: { plan: Plan }) {
  const all: [number, string][] = [[plan.products, plan.products === 1 ? 'product' : 'products'], [plan.added, 'pictures added'], [plan.removed, 'removed'], [plan.moved, 'moved'], [plan.leftOut, 'products left out']];
  return <span className="spread" style={{ gap: 18 }}>{all.filter(([n, what]) => n > 0 || what === 'removed').map(([n, what]) => <span key={what}><strong>{count(n)}</strong> <span className="quiet">{what}</span></span>)}</span>;
}

/** What could not be changed, and the way to plan it on what stands now. */
function Stale({ plan }: { plan: Plan }) {
  const client = useQueryClient();
  const again = useMutation({ ...replanMutation(), onError: failed, onSuccess: () => void client.invalidateQueries() });
  const left = plan.stale + plan.failed;
  return (
    <div className="note warn spread beside">
      <span>{some(left, 'product')} changed while this plan was applied, so nothing was done to {left === 1 ? 'it' : 'them'}.</span>
      <Button className="push" onClick={() => again.mutate({ path: { id: plan.id } })} loading={again.isPending}>Plan {left === 1 ? 'it' : 'them'} again</Button>
    </div>
  );
}

/** Says that somebody decided, or changed a product, after the plan was made. */
function Overtaken({ plan }: { plan: Plan }) {
  const client = useQueryClient();
  const refresh = useMutation({ ...refreshPlanMutation(), onError: failed, onSuccess: () => void client.invalidateQueries() });
  const show = () => refresh.mutate({ path: { id: plan.id }, body: { revision: plan.revision } });
  return (
    <div className="note warn spread beside" role="status">
      <span>Decisions or products changed after this plan was made. It will not be applied as it stands here.</span>
      <Button className="push" variant="filled" onClick={show} loading={refresh.isPending}>Show it as it is now</Button>
    </div>
  );
}

/** What became different when the plan was made again. */
function Remade({ plan }: { plan: Plan }) {
  const parts = [
    plan.remadeChanged > 0 && `${some(plan.remadeChanged, 'product')} will show something else than before`,
    plan.remadeFresh > 0 && `${some(plan.remadeFresh, 'product')} came to it`,
    plan.remadeGone > 0 && `${some(plan.remadeGone, 'product')} left it`,
  ].filter((part) => part !== false);
  if (parts.length === 0 || plan.planned === 0) return null;
  return <div className="note warn beside" role="status">This plan was made again, on the decisions and products as they are now: {parts.join(', ')}. They stand first, marked “made again”.</div>;
}

function Head({ plan, working }: { plan: Plan; working: boolean }) {
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  const make = useMutation({ ...makePlanMutation(), onSuccess: ({ id }) => { if (id !== plan.id) void navigate(`/plans/${id}`, { replace: true }); }, onError: failed });
  const lots = plan.lots.map((l) => l.id);
  const apply = useMutation({ ...applyPlanMutation(), onError: failed });
  const revert = useMutation({ ...revertPlanMutation(), onError: failed });
  const draft = plan.state === 'draft';
  const waits = draft ? plan.products : plan.state === 'applied' ? plan.planned : 0;
  return (
    <div className="head">
      <div style={{ minWidth: 0 }}>
        <h1 className="clip" style={{ fontSize: 17 }}>{plan.kind === 'hand' ? 'Change by hand' : <>Plan of {plan.lots.map((l, i) => <span key={l.id}>{i > 0 && ' and '}<Link className="link" to={`/lots/${l.id}`}>{l.name}</Link></span>)}</>}</h1>
        {draft && plan.lots.length > 1 && (
          <Menu position="bottom-start">
            <Menu.Target><Button size="compact-xs" mr={8}>{count(plan.lots.length)} lots…</Button></Menu.Target>
            <Menu.Dropdown>{plan.lots.map((l) => <Menu.Item key={l.id} onClick={() => make.mutate({ body: { lots: lots.filter((id) => id !== l.id), way: plan.way as Way } })}>Leave out {l.name}</Menu.Item>)}</Menu.Dropdown>
          </Menu>
        )}
        <span className="quiet">{draft ? ways.find((w) => w.value === plan.way)?.what : plan.state === 'applied' ? `Applied to ${some(plan.applied, 'product')}. It can be taken back at any time.` : plan.state === 'reverted' ? 'Taken back: every product is as it was.' : `${plan.state}…`}</span>
      </div>
      <div className="spread push" style={{ flex: 'none' }}>
        {draft && <SegmentedControl aria-label="Way to place" value={plan.way} onChange={(w) => make.mutate({ body: { lots, way: w as Way } })} data={ways.map(({ value, label }) => ({ value, label }))} disabled={make.isPending} />}
        {(draft || waits > 0) && (
          <Button
            variant={plan.outdated ? 'default' : 'filled'}
            disabled={waits === 0 || plan.outdated || working}
            loading={apply.isPending}
            onClick={() => apply.mutate({ path: { id: plan.id }, body: { revision: plan.revision } })}
          >
            Apply to {some(waits, 'product')}
          </Button>
        )}
        {plan.state === 'reverted' && plan.lots[0] && <Button component={Link} to={`/pair/${plan.lots[0].id}`}>Back to its bench</Button>}
        {!working && (plan.state === 'applied' || plan.state === 'applying') && plan.applied > 0 && <Button onClick={() => setSure(true)}>Revert…</Button>}
      </div>
      <Modal opened={sure} onClose={() => setSure(false)} title="Take this plan back?">
        <p style={{ marginTop: 0 }}>{some(plan.applied, 'product')} will show what they showed before. What was changed on them since then stays. No file is deleted, and the lot can be planned again.</p>
        <div className="spread"><Button variant="filled" loading={revert.isPending} onClick={() => { revert.mutate({ path: { id: plan.id } }); setSure(false); }}>Revert {some(plan.applied, 'product')}</Button><Button onClick={() => setSure(false)}>Leave it</Button></div>
      </Modal>
    </div>
  );
}

function Products({ plan, warned }: { plan: Plan; warned: boolean }) {
  const box = useRef<HTMLDivElement>(null);
  const [total, setTotal] = useState(0);
  const rows = useVirtualizer({ count: total, getScrollElement: () => box.current, estimateSize: () => 170, overscan: 4 });
  const seen = rows.getVirtualItems();
  const products = usePages<PlannedProduct>(seen[0]?.index ?? 0, seen.at(-1)?.index ?? 0, (window) => listPlanProductsOptions({ path: { id: plan.id }, query: { ...window, warned } }));
  if (products.total !== total && !products.loading) setTotal(products.total);
  if (products.error) return <Failed error={products.error} />;
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Products of the plan">
      {!products.loading && products.total === 0 && <Empty title="Nothing would change.">Pair files on the <Link to={plan.lots[0] ? `/pair/${plan.lots[0].id}` : '/pair'}>bench</Link> first.</Empty>}
      <div style={{ height: rows.getTotalSize(), position: 'relative', margin: '10px 16px' }}>
        {seen.map((row) => {
          const p = products.at(row.index);
          return <div key={row.key} data-index={row.index} ref={rows.measureElement} style={{ position: 'absolute', top: 0, left: 0, right: 0, transform: `translateY(${row.start}px)`, paddingBottom: 10 }}>{p ? <Product plan={plan} product={p} /> : <div style={{ height: 160 }} />}</div>;
        })}
      </div>
    </div>
  );
}

function Product({ plan, product }: { plan: Plan; product: PlannedProduct }) {
  const set = useMutation({ ...setPlanProductMutation(), onError: failed });
  const revert = useMutation({ ...revertPlanMutation(), onError: failed });
  const put = (way: Way | '', leftOut: boolean) => set.mutate({ path: { id: plan.id, product: product.product }, body: { way, leftOut } });
  const draft = plan.state === 'draft';
  const client = useQueryClient();
  const aside = useMutation({ ...decideTogetherMutation(), onError: failed });
  const make = useMutation({ ...makePlanMutation(), onError: failed });
  /** Sets files aside as they are now, lot by lot, and plans anew. */
  const setAside = async (ids: number[]) => {
    const files = await Promise.all(ids.map((id) => client.fetchQuery({ ...getFileOptions({ path: { id } }), staleTime: 0 })));
    for (const lot of new Set(files.map((f) => f.lot))) {
      await aside.mutateAsync({ path: { id: lot }, body: { do: 'set aside', reason: 'the same picture stands on the product', files: files.filter((f) => f.lot === lot).map(({ id, version }) => ({ id, version })) } });
    }
    await make.mutateAsync({ body: { lots: plan.lots.map((l) => l.id), way: plan.way as Way } });
  };
  const remedy = (w: Warning) => {
    if (w.kind === 'larger' && product.way !== 'like for like') return <Button size="compact-xs" loading={set.isPending} onClick={() => put('like for like', false)}>Like for like</Button>;
    if (w.kind === 'alike') return <Button size="compact-xs" loading={aside.isPending || make.isPending} onClick={() => void setAside(w.files ?? []).catch(failed)}>Set aside</Button>;
    return null;
  };
  return (
    <section className="sheet" aria-label={product.code} style={product.leftOut ? { opacity: 0.7 } : undefined}>
      <div className="spread" style={{ padding: '7px 12px', borderBottom: '1px solid var(--line)' }}>
        <Link className="link mono" to={`/products/${product.product}`}>{product.code}</Link><span className="clip">{product.title}</span>
        <span className="quiet" style={{ flex: 'none' }}>{[product.added && `${product.added} added`, product.removed && `${product.removed} removed`, product.moved && `${product.moved} moved`].filter(Boolean).join(', ') || 'no change'}</span>
        <span className="spread push" style={{ flex: 'none' }}>
          {product.remade && product.state === 'planned' && <span className="quiet">made again</span>}
          {product.state !== 'planned' && <span className="quiet">{product.state}</span>}
          {draft && <NativeSelect size="xs" aria-label={`Way for ${product.code}`} value={product.leftOut ? 'left out' : product.way} onChange={(e) => { const v = e.currentTarget.value; put(v === 'left out' ? '' : (v as Way | ''), v === 'left out'); }}
            data={[{ value: '', label: 'as the plan' }, ...ways.map(({ value, label }) => ({ value, label })), { value: 'left out', label: 'leave out' }]} />}
          {!draft && product.state === 'applied' && <Button loading={revert.isPending} onClick={() => revert.mutate({ path: { id: plan.id }, query: { product: product.product } })}>Revert</Button>}
        </span>
      </div>
      {product.problem && <div className="note bad">{product.problem}</div>}
      <Warnings list={product.warnings} targets={product.targets} remedy={draft ? remedy : undefined} />
      <div style={{ padding: '9px 12px', display: 'grid', gap: 10 }}>
        {product.targets.map((t) => (
          <div key={t.variant} className="columns" style={{ gridTemplateColumns: '150px minmax(0, 1fr) minmax(0, 1.4fr)' }}>
            <span className="mono clip">{t.variant === 0 ? <span className="quiet" style={{ fontFamily: 'var(--mantine-font-family)' }}>the whole product</span> : t.sku}</span>
            <Shots name="before" entries={t.before} /><Shots name="after" entries={t.after} before={t.before} />
          </div>
        ))}
      </div>
    </section>
  );
}
