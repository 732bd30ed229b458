import { Button, Drawer } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { Run } from '../client';
import { listRunsOptions, resumeRunMutation, stopRunMutation } from '../client/@tanstack/react-query.gen';
import { count, said, when } from './format';
import { Bar, Empty, Failed } from './State';
import { tell } from './tell';

const doing: Record<Run['kind'], string> = { examine: 'Examining', pair: 'Pairing', look: 'Reading barcodes', 'look all': 'Reading barcodes', apply: 'Applying', revert: 'Reverting', fetch: 'Fetching', lookup: 'Asking' };

export const active = (run: Run) => run.state === 'queued' || run.state === 'running' || run.state === 'stopping';

/** One run: what it does, how far it is, and what a person can do about it. */
export function RunLine({ run }: { run: Run }) {
  const stop = useMutation({ ...stopRunMutation(), onError: (e) => tell('Not stopped', said(e), true) });
  const resume = useMutation({ ...resumeRunMutation(), onError: (e) => tell('Not resumed', said(e), true) });
  const about = run.originName || run.lotName || (run.plan ? `plan ${run.plan}` : '');
  const link = run.kind === 'lookup' ? `/origins/${run.origin}` : run.kind === 'fetch' ? (run.lot ? `/lots/${run.lot}` : `/origins/${run.origin}`) : ['examine', 'pair', 'look', 'look all'].includes(run.kind) ? `/lots/${run.lot}` : `/plans/${run.plan}`;
  return (
    <div style={{ padding: '9px 12px', borderBottom: '1px solid var(--line)', display: 'grid', gap: 5 }}>
      <div className="spread">
        <Link to={link} className="link clip"><strong>{doing[run.kind]}</strong> {about}</Link>
        <span className="push quiet">{run.state === 'done' || run.state === 'running' ? when(run.createdAt) : run.state}</span>
        {(run.state === 'running' || run.state === 'queued') && <Button onClick={() => stop.mutate({ path: { id: run.id } })} loading={stop.isPending}>Stop</Button>}
        {(run.state === 'stopped' || run.state === 'failed') && <Button onClick={() => resume.mutate({ path: { id: run.id } })} loading={resume.isPending}>Go on</Button>}
      </div>
      {active(run) && <Bar done={run.done} total={run.total} label={`${doing[run.kind]} ${about}`} />}
      <span className="quiet" style={{ fontSize: 12.5 }}>
        {active(run) ? (run.total > 0 ? `${count(run.done)} of ${count(run.total)}` : `${count(run.done)} so far`) : run.message}
      </span>
    </div>
  );
}

export function Runs({ open, onClose }: { open: boolean; onClose: () => void }) {
  const runs = useQuery({ ...listRunsOptions(), enabled: open });
  return (
    <Drawer opened={open} onClose={onClose} title="Runs" position="right" size={420} padding={0} styles={{ header: { padding: '10px 14px' } }}>
      {runs.error ? <Failed error={runs.error} again={() => void runs.refetch()} />
        : runs.data?.items.length === 0 ? <Empty title="No runs yet.">Work in the background stands here: examining, pairing, applying, reverting.</Empty>
          : runs.data?.items.map((run) => <RunLine key={run.id} run={run} />)}
    </Drawer>
  );
}
