import { Button, Menu, Modal, SegmentedControl } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Plan } from '../client';
import { applyPlanMutation, makePlanMutation, revertPlanMutation } from '../client/@tanstack/react-query.gen';
import { baseName, count } from '../shared/format';
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
        <span className="quiet">{standingOf(plan)}</span>
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
      <TakeBack plan={plan} open={sure} onClose={() => setSure(false)} />
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
      return `Applied to ${bearers(plan, plan.applied)}. It can be taken back at any time.`;
    case 'reverted':
      return 'Taken back: every product is as it was.';
    default:
      return `${plan.state}…`;
  }
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

function TakeBack({ plan, open, onClose }: { plan: Plan; open: boolean; onClose: () => void }) {
  const revert = useMutation({ ...revertPlanMutation(), onError: failed });
  return (
    <Modal opened={open} onClose={onClose} title="Take this plan back?">
      <p className="flush">
        {bearers(plan, plan.applied)} will show what they showed before. What was changed on them since then
        stays. No file is deleted, and the lot can be planned again.
      </p>
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
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </Modal>
  );
}
