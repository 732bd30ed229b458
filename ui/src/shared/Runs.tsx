import { Button, Drawer } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { RunView } from '../client';
import { listRunsOptions, resumeRunMutation, stopRunMutation } from '../client/@tanstack/react-query.gen';
import { count, said, when } from './format';
import { Bar, Empty, Failed } from './State';
import { tell } from './tell';

export const active = (run: RunView) =>
  run.state === 'queued' || run.state === 'running' || run.state === 'stopping';

/** One run: what it does, how far it is, and what a person can do about it. */
export function RunLine({ run }: { run: RunView }) {
  const stop = useMutation({ ...stopRunMutation(), onError: (e) => tell('Not stopped', said(e), true) });
  const resume = useMutation({ ...resumeRunMutation(), onError: (e) => tell('Not resumed', said(e), true) });
  const about =
    run.originName ||
    run.lotName ||
    (run.plan ? `plan ${run.plan}` : run.leads === 'catalog' ? 'a change by hand' : '');
  const link = {
    lot: `/lots/${run.lot}`,
    plan: `/plans/${run.plan}`,
    origin: `/origins/${run.origin}`,
    sheet: `/sheets/${run.sheet}`,
    catalog: '/catalog',
    upkeep: '/upkeep',
    dispatch: '/dispatch',
  }[run.leads];
  return (
    <div className="entry">
      <div className="spread">
        <Link to={link} className="link clip">
          <strong>{run.doing}</strong> {about}
        </Link>
        <span className="push quiet">
          {run.state === 'done' || run.state === 'running' ? when(run.createdAt) : run.state}
        </span>
        {(run.state === 'running' || run.state === 'queued') && (
          <Button onClick={() => stop.mutate({ path: { id: run.id } })} loading={stop.isPending}>
            Stop
          </Button>
        )}
        {(run.state === 'stopped' || run.state === 'failed') && (
          <Button onClick={() => resume.mutate({ path: { id: run.id } })} loading={resume.isPending}>
            Go on
          </Button>
        )}
      </div>
      {active(run) && <Bar done={run.done} total={run.total} label={`${run.doing} ${about}`} />}
      <span className="quiet lesser">
        {active(run)
          ? run.total > 0
            ? `${count(run.done)} of ${count(run.total)}`
            : `${count(run.done)} so far`
          : run.message}
      </span>
    </div>
  );
}

export function Runs({ open, onClose }: { open: boolean; onClose: () => void }) {
  const runs = useQuery({ ...listRunsOptions(), enabled: open });
  return (
    <Drawer
      opened={open}
      onClose={onClose}
      title="Runs"
      position="right"
      size={420}
      padding={0}
      styles={{ header: { padding: '10px 14px' } }}
    >
      {runs.error ? (
        <Failed error={runs.error} again={() => void runs.refetch()} />
      ) : runs.data?.items.length === 0 ? (
        <Empty title="No runs yet.">
          Work in the background stands here: examining, pairing, applying, reverting.
        </Empty>
      ) : (
        runs.data?.items.map((run) => <RunLine key={run.id} run={run} />)
      )}
    </Drawer>
  );
}
