import { Button } from '@mantine/core';
import { useMutation, useQueries, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Lot } from '../client';
import {
  closeLotMutation,
  giveUpLotMutation,
  listGivenUpOptions,
  listLotsOptions,
  listRunsOptions,
  restoreLotMutation,
} from '../client/@tanstack/react-query.gen';
import { bring, isSheet } from '../sheets/bring';
import { bytes, count, said, some, when } from '../shared/format';
import { active, RunLine } from '../shared/Runs';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { VerdictMark } from '../shared/Verdict';
import { Drop, SendingLine } from './Drop';
import { DropFolder } from './DropFolder';
import { Origins } from './Origins';
import { SupplierLinks } from './SupplierLinks';
import { lotsOf, send, watchUploads, type Picked, type Sending } from './uploads';
import css from './Gather.module.css';

/** Files become lots; spreadsheets alone are sheets, and opened. */
const take = (picked: Picked[], open: (path: string) => void) => {
  if (picked.length > 0 && picked.every((p) => isSheet(p.file.name))) {
    Promise.all(picked.map((p) => bring(p.file)))
      .then((ids) => open(ids.length === 1 ? `/sheets/${ids[0]}` : '/sheets'))
      .catch((error: unknown) => tell('Not taken', said(error), true));
    return;
  }
  for (const lot of lotsOf(picked))
    send(lot.name, lot.files).catch((error: unknown) =>
      tell(`${lot.name} did not arrive`, said(error), true),
    );
};

/** Where files come in: drop them, watch them arrive, see every lot. */
export function Gather() {
  const navigate = useNavigate();
  // Each page begins behind the last lot of the one before.
  const [pages, setPages] = useState([0]);
  const found = useQueries({ queries: pages.map((before) => listLotsOptions({ query: { before } })) });
  const lots = found[0];
  const listed = found.flatMap((page) => page.data?.items ?? []);
  const last = listed.at(-1)?.id;
  const older = (lots?.data?.total ?? 0) - listed.length;
  const runs = useQuery(listRunsOptions());
  const [sending, setSending] = useState<Sending[]>([]);
  useEffect(() => watchUploads(setSending), []);
  const working = runs.data?.items.filter((r) => active(r) && r.leads !== 'plan') ?? [];
  return (
    <div className="scroll pad">
      <div className="columns">
        <Drop
          title="Drop a supplier’s archive, a folder, loose pictures, or a list"
          take={(picked) => take(picked, (path) => void navigate(path))}
        />
        {(sending.length > 0 || working.length > 0) && (
          <section className="sheet" aria-live="polite">
            <h2>On the way in</h2>
            {sending.map((s) => (
              <SendingLine key={s.lot} sending={s} />
            ))}
            {working.map((r) => (
              <RunLine key={r.id} run={r} />
            ))}
          </section>
        )}
        <section className="sheet">
          <h2>Lots</h2>
          {lots?.error && <Failed error={lots.error} again={() => void lots.refetch()} />}
          {lots?.data?.items.length === 0 && (
            <Empty title="No lot has come in yet.">
              Each archive you drop becomes a lot: its files are examined and paired, and wait for you on the
              bench.
            </Empty>
          )}
          {listed.length > 0 && (
            <div className={`row th ${css.line}`}>
              <span>Name</span>
              <span>State</span>
              <span className="num">Files</span>
              <span className="num">Size</span>
              <span className="num">Paired</span>
              <span className="num">Contested</span>
              <span className="num">Loose</span>
              <span className="num">Unusable</span>
              <span className="num">Came in</span>
              <span />
            </div>
          )}
          {listed.map((lot) => (
            <LotLine
              key={lot.id}
              lot={lot}
              sendingHere={sending.some((s) => s.lot === lot.id && !s.problem)}
            />
          ))}
          {older > 0 && last !== undefined && (
            <button className="link underlined" onClick={() => setPages([...pages, last])}>
              Show {some(Math.min(older, 100), 'older lot')} of {count(older)}
            </button>
          )}
        </section>
        <Origins />
        <DropFolder />
        <SupplierLinks />
        <GivenUp />
      </div>
    </div>
  );
}

/** A lot with where it is, and what to do next with it. */
function LotLine({ lot, sendingHere }: { lot: Lot; sendingHere: boolean }) {
  const waits = lot.state === 'receiving' && !sendingHere;
  return (
    <>
      <div className={`row pick ${css.line}`}>
        <Link className="link clip" to={`/lots/${lot.id}`}>
          {lot.name}
        </Link>
        <span className="clip quiet">{stateOf(lot)}</span>
        <span className="num">{count(lot.files)}</span>
        <span className="num">{bytes(lot.bytes)}</span>
        {(
          [
            ['paired', lot.paired],
            ['contested', lot.contested],
            ['loose', lot.loose],
            ['unusable', lot.unusable],
          ] as const
        ).map(([verdict, n]) => (
          <span key={verdict} className={n ? 'num' : 'num none'}>
            {n > 0 && verdict !== 'paired' && <VerdictMark verdict={verdict} size={11} />} {count(n)}
          </span>
        ))}
        <span className="num quiet">{when(lot.createdAt)}</span>
        <NextStep lot={lot} />
      </div>
      {waits && <Waiting lot={lot} />}
      {lot.problems.map((p) => (
        <div key={p} className="note bad">
          {p}
        </div>
      ))}
    </>
  );
}

/** Leads on from a lot, to where it waits for a person. */
function NextStep({ lot }: { lot: Lot }) {
  const open = lot.contested + lot.loose;
  if (lot.state === 'applied')
    return (
      <Button component={Link} size="compact-xs" to={`/plans/${lot.plan}`}>
        Its plan
      </Button>
    );
  if (lot.state !== 'ready') return <span />;
  if (open > 0)
    return (
      <Button component={Link} size="compact-xs" variant="filled" to={`/pair/${lot.id}`}>
        Decide {count(open)}
      </Button>
    );
  if (lot.planState === 'draft' || lot.planState === 'applying')
    return (
      <Button component={Link} size="compact-xs" to={`/plans/${lot.plan}`}>
        Check plan
      </Button>
    );
  return (
    <Button component={Link} size="compact-xs" to={`/lots/${lot.id}`}>
      {lot.paired > 0 ? 'Plan' : 'Look'}
    </Button>
  );
}

/** A lot whose uploads are not all here, and nothing is on its way from this page. */
function Waiting({ lot }: { lot: Lot }) {
  const nothing = (e: unknown) => tell('Nothing changed', said(e), true);
  const close = useMutation({ ...closeLotMutation(), onError: nothing });
  const giveUp = useMutation({ ...giveUpLotMutation(), onError: nothing });
  return (
    <div className="note warn spread">
      <span>
        {lot.arrived} of {some(lot.expected, 'upload')} arrived. Drop the same files again to send the rest;
        nothing is sent twice.
      </span>
      {lot.arrived > 0 ? (
        <Button
          className="push"
          onClick={() => close.mutate({ path: { id: lot.id } })}
          loading={close.isPending}
        >
          Go on without the rest
        </Button>
      ) : (
        <Button
          className="push"
          onClick={() => giveUp.mutate({ path: { id: lot.id } })}
          loading={giveUp.isPending}
        >
          Give it up
        </Button>
      )}
    </div>
  );
}

/** Lots that were given up: nothing of them is gone but what was purged. */
function GivenUp() {
  const gone = useQuery(listGivenUpOptions());
  const restore = useMutation({
    ...restoreLotMutation(),
    onError: (e) => tell('Not restored', said(e), true),
  });
  const list = gone.data?.items ?? [];
  if (list.length === 0) return null;
  return (
    <section className="sheet">
      <h2>Given up</h2>
      {list.map((lot) => (
        <div key={lot.id} className="row given-up">
          <span className="clip">{lot.name}</span>
          <span className="num quiet">{some(lot.files, 'file')}</span>
          <span className="num quiet">{when(lot.createdAt)}</span>
          <Button
            size="compact-xs"
            onClick={() => restore.mutate({ path: { id: lot.id } })}
            loading={restore.isPending}
          >
            Restore
          </Button>
        </div>
      ))}
    </section>
  );
}

function stateOf(lot: Lot): string {
  if (lot.state !== 'ready') return lot.state;
  if (lot.contested + lot.loose > 0) return 'waits for decisions';
  if (lot.planState === 'draft') return 'planned';
  return lot.planState === 'applying' ? 'applying' : 'decided';
}
