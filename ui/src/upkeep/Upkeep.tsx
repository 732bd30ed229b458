import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { NavLink, useLocation } from 'react-router';
import type { UpkeepView } from '../client';
import { getUpkeepOptions, listRunsOptions, sweepMutation } from '../client/@tanstack/react-query.gen';
import { bytes, count, said, when } from '../shared/format';
import { active, RunLine } from '../shared/Runs';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { Findings, type Kind } from './Findings';
import { Held } from './Held';
import { HowItGoes } from './HowItGoes';
import { Pins } from './Pins';
import { Receipts } from './Receipts';
import { Space } from './Space';
import { Stored } from './Stored';
import css from './Upkeep.module.css';
import { kinds } from './words';

/** What nothing needs: found, held for a term, and then gone. */
export function Upkeep() {
  const place = useLocation().pathname;
  const upkeep = useQuery(getUpkeepOptions());
  const runs = useQuery(listRunsOptions());
  if (upkeep.error) return <Failed error={upkeep.error} again={() => void upkeep.refetch()} />;
  if (!upkeep.data) return null;
  const mine = runs.data?.items.filter((r) => r.leads === 'upkeep') ?? [];
  const working = mine.find(active) ?? (mine[0]?.state === 'failed' ? mine[0] : undefined);
  return (
    <>
      <Head upkeep={upkeep.data} sweeping={mine.some((r) => active(r) && r.kind === 'sweep')} />
      {working && (
        <div className="sheet beside-edge">
          <RunLine run={working} />
        </div>
      )}
      <nav className={css.bar} aria-label="Upkeep">
        <NavLink end to="/upkeep" className={css.tab}>
          found <strong>{count(upkeep.data.groups.reduce((n, g) => n + g.files, 0))}</strong>
        </NavLink>
        <NavLink to="/upkeep/held" className={css.tab}>
          held <strong>{count(upkeep.data.waiting.held)}</strong>
        </NavLink>
        <NavLink to="/upkeep/pinned" className={css.tab}>
          pinned
        </NavLink>
        <NavLink to="/upkeep/receipts" className={css.tab}>
          receipts
        </NavLink>
        <NavLink to="/upkeep/space" className={css.tab}>
          space
        </NavLink>
        <NavLink to="/upkeep/store" className={css.tab}>
          store
        </NavLink>
      </nav>
      <Part of={place.split('/')[2] ?? ''} upkeep={upkeep.data} />
    </>
  );
}

/** What is shown below the bar, by the last word of the address. */
function Part({ of, upkeep }: { of: string; upkeep: UpkeepView }) {
  switch (of) {
    case 'held':
      return <Held />;
    case 'pinned':
      return <Pins />;
    case 'receipts':
      return <Receipts />;
    case 'space':
      return <Space />;
    case 'store':
      return <Stored />;
    default:
      return <Findings upkeep={upkeep} />;
  }
}

function Head({ upkeep, sweeping }: { upkeep: UpkeepView; sweeping: boolean }) {
  const [setting, setSetting] = useState(false);
  const sweep = useMutation({ ...sweepMutation(), onError: (e) => tell('Nothing is swept', said(e), true) });
  return (
    <div className="head">
      <div className="narrow">
        <h1>Upkeep</h1>
        <span className="quiet">{standingOf(upkeep)}</span>
      </div>
      <div className="spread push fixed">
        <Button onClick={() => setSetting(true)}>How it goes…</Button>
        <Button
          variant="filled"
          loading={sweep.isPending}
          disabled={sweeping}
          onClick={() => sweep.mutate({ body: { kinds: Object.keys(kinds) as Kind[] } })}
        >
          Sweep now
        </Button>
      </div>
      {setting && <HowItGoes settings={upkeep.settings} onClose={() => setSetting(false)} />}
    </div>
  );
}

function standingOf({ waiting, sweeps }: UpkeepView): string {
  if (!waiting.sweptAt) return 'Not swept yet. A sweep only looks: nothing is changed by it.';
  const parts = [`Swept ${when(waiting.sweptAt)}`];
  if (waiting.fresh > 0 && sweeps.length > 1) parts.push(`${count(waiting.fresh)} are new`);
  if (waiting.frees > 0) parts.push(`${bytes(waiting.frees)} could be freed`);
  if (waiting.leaving > 0) parts.push(`${count(waiting.leaving)} held ones go within a week`);
  return parts.join(', ') + '.';
}
