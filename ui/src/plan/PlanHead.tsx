import { Button, Menu, Modal, SegmentedControl } from '@mantine/core';
import { useMutation, useQueries, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Plan, Undo } from '../client';
import {
  applyPlanMutation,
  getLotOptions,
  getPlanUndoOptions,
  makePlanMutation,
  revertPlanMutation,
} from '../client/@tanstack/react-query.gen';
import { baseName, count, some, when } from '../shared/format';
import { bearers, failed, type Way, ways } from './ways';

/** What a plan is of, how it places, and what can be done with it. */
export function Head({ plan, working }: { plan: Plan; working: boolean }) {
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  const make = useMutation({
    ...makePlanMutation(),
    onSuccess: ({ id }) => {
      if (id !== plan.id) void navigate(`/plans/${id}`, { replace: true });
    },
    onError: failed,
  });
  const lots = plan.lots.map((l) => l.id);
  const apply = useMutation({ ...applyPlanMutation(), onError: failed });
  const draft = plan.state === 'draft';
  const undo = useQuery({
    ...getPlanUndoOptions({ path: { id: plan.id } }),
    enabled: plan.state === 'applied',
  }).data;
  const waits = draft ? plan.products : plan.state === 'applied' ? plan.planned : 0;
  return (
    <div className="head">
      <div className="narrow">
        <PlanTitle plan={plan} />
        {draft && plan.lots.length > 1 && (
          <LeaveOut
            plan={plan}
            onLeave={(lot) =>
              make.mutate({ body: { lots: lots.filter((id) => id !== lot), way: plan.way as Way } })
            }
          />
        )}
        <span className="quiet">
          {standingOf(plan)} <Undecided plan={plan} />{' '}
          {plan.state === 'applied' && undo && <UndoPeriod undo={undo} />}
        </span>
      </div>
      <div className="spread push fixed">
        {draft && plan.kind === 'lot' && (
          <SegmentedControl
            aria-label="Way to place"
            value={plan.way}
            onChange={(w) => make.mutate({ body: { lots, way: w as Way } })}
            data={ways.map(({ value, label }) => ({ value, label }))}
            disabled={make.isPending}
          />
        )}
        {(draft || waits > 0) && (
          <Button
            variant={plan.outdated ? 'default' : 'filled'}
            disabled={waits === 0 || plan.outdated || working}
            loading={apply.isPending}
            onClick={() => apply.mutate({ path: { id: plan.id }, body: { revision: plan.revision } })}
          >
            Apply to {bearers(plan, waits)}
          </Button>
        )}
        {plan.state === 'reverted' && plan.lots[0] && (
          <Button component={Link} to={`/pair/${plan.lots[0].id}`}>
            Back to its bench
          </Button>
        )}
        {!working && (plan.state === 'applied' || plan.state === 'applying') && plan.applied > 0 && (
          <Button onClick={() => setSure(true)}>Revert…</Button>
        )}
      </div>
      <RevertPlan plan={plan} undo={undo} open={sure} onClose={() => setSure(false)} />
    </div>
  );
}

function standingOf(plan: Plan) {
  switch (plan.state) {
    case 'draft':
      return plan.kind === 'swap'
        ? 'Each keeps the place, the view and the text of the one that it replaces.'
        : ways.find((w) => w.value === plan.way)?.what;
    case 'applied':
      return `Applied to ${bearers(plan, plan.applied)}.`;
    case 'reverted':
      return 'Reverted.';
    default:
      return `${plan.state}…`;
  }
}

/** How many files of the plan's lots are still undecided; they stay on the bench. */
function Undecided({ plan }: { plan: Plan }) {
  const lots = useQueries({
    queries: plan.lots.map((l) => getLotOptions({ path: { id: l.id } })),
  }).flatMap(({ data }) => (data ? [data] : []));
  const open = lots.filter((l) => l.state === 'ready' && l.contested + l.loose > 0);
  const first = open[0];
  if (!first || plan.state === 'reverted') return null;
  const n = open.reduce((sum, l) => sum + l.contested + l.loose, 0);
  return (
    <Link className="link" to={`/pair/${first.id}`}>
      {some(n, 'file')} {n === 1 ? 'is still undecided; it stays' : 'are still undecided; they stay'} on the
      bench.
    </Link>
  );
}

const PlanTitle = ({ plan }: { plan: Plan }) => (
  <h1 className="clip titled">
    {plan.kind === 'hand' ? (
      'Change by hand'
    ) : plan.kind === 'swap' ? (
      'Pictures in the place of others'
    ) : plan.kind === 'spread' ? (
      `${baseName(plan.filePath ?? '') || 'One picture'} on many`
    ) : (
      <>
        Plan of{' '}
        {plan.lots.map((l, i) => (
          <span key={l.id}>
            {i > 0 && ' and '}
            <Link className="link" to={`/lots/${l.id}`}>
              {l.name}
            </Link>
          </span>
        ))}
      </>
    )}
  </h1>
);

/** Of several lots that are planned together, one can be left out. */
const LeaveOut = ({ plan, onLeave }: { plan: Plan; onLeave: (lot: number) => void }) => (
  <Menu position="bottom-start">
    <Menu.Target>
      <Button size="compact-xs" mr={8}>
        {count(plan.lots.length)} lots…
      </Button>
    </Menu.Target>
    <Menu.Dropdown>
      {plan.lots.map((l) => (
        <Menu.Item key={l.id} onClick={() => onLeave(l.id)}>
          Leave out {l.name}
        </Menu.Item>
      ))}
    </Menu.Dropdown>
  </Menu>
);

/** Until when a plan can be reverted whole, and what cannot come back after that. */
function UndoPeriod({ undo }: { undo: Undo }) {
  if (!undo.until) return null;
  if (!undo.past) return <>It can be reverted completely until {when(undo.until)}.</>;
  return (
    <>
      The undo period ended {when(undo.until)}.{' '}
      {undo.purged > 0
        ? `${some(undo.purged, 'picture was', 'pictures were')} purged and cannot come back.`
        : 'The replaced pictures are still there, but may be purged.'}{' '}
      {undo.receipts.slice(0, 3).map((id) => (
        <Link key={id} className="link" to={`/upkeep/receipts?open=${id}`}>
          Receipt {id}{' '}
        </Link>
      ))}
    </>
  );
}

function RevertPlan({
  plan,
  undo,
  open,
  onClose,
}: {
  plan: Plan;
  undo: Undo | undefined;
  open: boolean;
  onClose: () => void;
}) {
  const revert = useMutation({ ...revertPlanMutation(), onError: failed });
  return (
    <Modal opened={open} onClose={onClose} title="Revert this plan?">
      <p className="flush">
        {bearers(plan, plan.applied)} will show the pictures they showed before. Later changes to them stay.
        No file is deleted, and the lot can be planned again.
      </p>
      {undo && undo.purged > 0 && (
        <div className="note bad" role="alert">
          {some(undo.purged, 'picture was', 'pictures were')} purged after the undo period and cannot come
          back. The others will.
        </div>
      )}
      <div className="spread">
        <Button
          variant="filled"
          loading={revert.isPending}
          onClick={() => {
            revert.mutate({ path: { id: plan.id } });
            onClose();
          }}
        >
          Revert {bearers(plan, plan.applied)}
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Modal>
  );
}
