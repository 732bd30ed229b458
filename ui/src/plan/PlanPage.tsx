import { Button, Switch } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { Plan } from '../client';
import {
  getPlanOptions,
  listRunsOptions,
  refreshPlanMutation,
  replanMutation,
} from '../client/@tanstack/react-query.gen';
import { count } from '../shared/format';
import { active, RunLine } from '../shared/Runs';
import { Failed } from '../shared/State';
import css from './PlanPage.module.css';
import { Products } from './PlannedChanges';
import { Head } from './PlanHead';
import { bearers, failed } from './ways';

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
      <div className={`spread wrap ${css.totals}`}>
        <Totals plan={plan.data} />
        {plan.data.warned > 0 && (
          <Switch
            className="push"
            size="xs"
            checked={warned}
            onChange={(e) => setWarned(e.currentTarget.checked)}
            label={`Only the ${count(plan.data.warned)} with warnings`}
          />
        )}
      </div>
      {newest && (newest.state !== 'done' || plan.data.state !== 'draft') && (
        <div className="sheet beside-edge">
          <RunLine run={newest} />
        </div>
      )}
      {plan.data.stale + plan.data.failed > 0 && <Stale plan={plan.data} />}
      {plan.data.outdated ? <Overtaken plan={plan.data} /> : <Remade plan={plan.data} />}
      <Products key={`${warned}`} plan={plan.data} warned={warned} />
    </>
  );
}

function Totals({ plan }: { plan: Plan }) {
  const all: [number, string][] = [
    [plan.products, bearers(plan, plan.products).replace(/^[\d,]+ /, '')],
    [plan.added, plan.added === 1 ? 'picture added' : 'pictures added'],
    [plan.removed, 'removed'],
    [plan.moved, 'moved'],
    [plan.leftOut, 'products left out'],
  ];
  return (
    <span className="spread loosest">
      {all
        .filter(([n, what]) => n > 0 || what === 'removed')
        .map(([n, what]) => (
          <span key={what}>
            <strong>{count(n)}</strong> <span className="quiet">{what}</span>
          </span>
        ))}
    </span>
  );
}

/** What could not be changed, and the way to plan it on what stands now. */
function Stale({ plan }: { plan: Plan }) {
  const client = useQueryClient();
  const again = useMutation({
    ...replanMutation(),
    onError: failed,
    onSuccess: () => void client.invalidateQueries(),
  });
  const left = plan.stale + plan.failed;
  return (
    <div className="note warn spread beside">
      <span>
        {bearers(plan, left)} changed while this plan was applied, so nothing was done to{' '}
        {left === 1 ? 'it' : 'them'}.
      </span>
      <Button
        className="push"
        onClick={() => again.mutate({ path: { id: plan.id } })}
        loading={again.isPending}
      >
        Plan {left === 1 ? 'it' : 'them'} again
      </Button>
    </div>
  );
}

/** Says that somebody decided, or changed a product, after the plan was made. */
function Overtaken({ plan }: { plan: Plan }) {
  const client = useQueryClient();
  const refresh = useMutation({
    ...refreshPlanMutation(),
    onError: failed,
    onSuccess: () => void client.invalidateQueries(),
  });
  const show = () => refresh.mutate({ path: { id: plan.id }, body: { revision: plan.revision } });
  return (
    <div className="note warn spread beside" role="status">
      <span>
        Decisions or products changed after this plan was made. It will not be applied as it stands here.
      </span>
      <Button className="push" variant="filled" onClick={show} loading={refresh.isPending}>
        Show it as it is now
      </Button>
    </div>
  );
}

/** What became different when the plan was made again. */
function Remade({ plan }: { plan: Plan }) {
  const parts = [
    plan.remadeChanged > 0 && `${bearers(plan, plan.remadeChanged)} will show something else than before`,
    plan.remadeFresh > 0 && `${bearers(plan, plan.remadeFresh)} came to it`,
    plan.remadeGone > 0 && `${bearers(plan, plan.remadeGone)} left it`,
  ].filter((part) => part !== false);
  if (parts.length === 0 || plan.planned === 0) return null;
  return (
    <div className="note warn beside" role="status">
      This plan was made again, on the decisions and products as they are now: {parts.join(', ')}. They stand
      first, marked “made again”.
    </div>
  );
}
