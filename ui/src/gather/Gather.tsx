import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import type { Lot } from '../client';
import { closeLotMutation, listLotsOptions, listRunsOptions } from '../client/@tanstack/react-query.gen';
import { bytes, count, said, some, when } from '../shared/format';
import { active, RunLine } from '../shared/Runs';
import { Bar, Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { VerdictMark } from '../shared/Verdict';
import { DropFolder } from './DropFolder';
import { Origins } from './Origins';
import { lotsOf, pickedFrom, send, watchUploads, type Picked, type Sending } from './uploads';

/** Where files come in: drop them, watch them arrive, see every lot. */
export function Gather() {
  const lots = useQuery(listLotsOptions());
  const runs = useQuery(listRunsOptions());
  const [sending, setSending] = useState<Sending[]>([]);
  useEffect(() => watchUploads(setSending), []);
  const working = runs.data?.items.filter((r) => active(r) && (r.kind === 'examine' || r.kind === 'pair' || r.kind === 'fetch')) ?? [];
  return (
    <div className="scroll pad">
      <div className="columns">
        <Drop />
        {(sending.length > 0 || working.length > 0) && (
          <section className="sheet" aria-live="polite">
            <h2>On the way in</h2>
            {sending.map((s) => <SendingLine key={s.lot} sending={s} />)}
            {working.map((r) => <RunLine key={r.id} run={r} />)}
          </section>
        )}
        <Origins />
        <DropFolder />
        <section className="sheet">
          <h2>Lots</h2>
          {lots.error && <Failed error={lots.error} again={() => void lots.refetch()} />}
          {lots.data?.items.length === 0 && <Empty title="No lot has come in yet.">Each archive you drop becomes a lot: its files are examined and paired, and wait for you on the bench.</Empty>}
          {(lots.data?.items.length ?? 0) > 0 && (
            <div className="row th" style={{ gridTemplateColumns: lotColumns }}>
              <span>Name</span><span>State</span><span className="num">Files</span><span className="num">Size</span><span className="num">Paired</span><span className="num">Contested</span><span className="num">Loose</span><span className="num">Unusable</span><span className="num">Came in</span>
            </div>
          )}
          {lots.data?.items.map((lot) => <LotLine key={lot.id} lot={lot} sendingHere={sending.some((s) => s.lot === lot.id && !s.problem)} />)}
        </section>
      </div>
    </div>
  );
}

const lotColumns = 'minmax(180px, 1fr) 150px 64px 74px 64px 76px 60px 72px 108px';

function LotLine({ lot, sendingHere }: { lot: Lot; sendingHere: boolean }) {
  const close = useMutation({ ...closeLotMutation(), onError: (e) => tell('Nothing changed', said(e), true) });
  return (
    <>
      <div className="row pick" style={{ gridTemplateColumns: lotColumns }}>
        <Link className="link clip" to={`/lots/${lot.id}`}>{lot.name}</Link>
        <span className="clip quiet">{stateOf(lot)}</span>
        <span className="num">{count(lot.files)}</span>
        <span className="num">{bytes(lot.bytes)}</span>
        {([['paired', lot.paired], ['contested', lot.contested], ['loose', lot.loose], ['unusable', lot.unusable]] as const).map(([verdict, n]) => (
          <span key={verdict} className="num" style={{ opacity: n ? 1 : 0.5 }}>{n > 0 && verdict !== 'paired' && <VerdictMark verdict={verdict} size={11} />} {count(n)}</span>
        ))}
        <span className="num quiet">{when(lot.createdAt)}</span>
      </div>
      {lot.state === 'receiving' && !sendingHere && (
        <div className="note warn spread">
          <span>{lot.arrived} of {some(lot.expected, 'upload')} arrived. Drop the same files again to send the rest; nothing is sent twice.</span>
          {lot.arrived > 0 && <Button className="push" onClick={() => close.mutate({ path: { id: lot.id } })}>Go on with what is here</Button>}
        </div>
      )}
      {lot.problems.map((p) => <div key={p} className="note bad">{p}</div>)}
    </>
  );
}

function stateOf(lot: Lot): string {
  if (lot.state !== 'ready') return lot.state;
  if (lot.contested + lot.loose > 0) return 'waits for decisions';
  if (lot.planState === 'draft') return 'planned';
  return lot.planState === 'applying' ? 'applying' : 'decided';
}

function SendingLine({ sending }: { sending: Sending }) {
  return (
    <div style={{ padding: '9px 12px', borderBottom: '1px solid var(--line)', display: 'grid', gap: 5 }}>
      <div className="spread"><span className="clip"><strong>Sending</strong> {sending.name}</span><span className="push quiet">{bytes(sending.done)} of {bytes(sending.total)}</span></div>
      <Bar done={sending.done} total={Math.max(1, sending.total)} label={`Sending ${sending.name}`} />
      {sending.problem ? <span role="alert" style={{ color: 'var(--unusable)' }}>{sending.problem}</span>
        : sending.files > 1 && <span className="quiet">{count(sending.finished)} of {some(sending.files, 'file')}</span>}
    </div>
  );
}

function Drop() {
  const [over, setOver] = useState(false);
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const take = (picked: Picked[]) => {
    for (const lot of lotsOf(picked)) send(lot.name, lot.files).catch((error: unknown) => tell(`${lot.name} did not arrive`, said(error), true));
  };
  const chosen = (input: HTMLInputElement) => {
    take([...(input.files ?? [])].map((file) => ({ file, path: file.webkitRelativePath || file.name })));
    input.value = '';
  };
  return (
    <section
      className={`drop${over ? ' over' : ''}`}
      aria-label="Drop files here"
      onDragOver={(e) => { e.preventDefault(); setOver(true); }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        void pickedFrom(e.dataTransfer).then(take);
      }}
    >
      <strong style={{ fontSize: 15 }}>Drop a supplier’s archive, a folder or loose pictures</strong>
      <span className="quiet">ZIP, TAR, 7z or RAR up to 4 GB, with folders of any depth. You can close the page: what has arrived is kept.</span>
      <div className="spread">
        <Button variant="filled" onClick={() => files.current?.click()}>Choose files</Button>
        <Button onClick={() => folder.current?.click()}>Choose a folder</Button>
      </div>
      <input ref={files} type="file" multiple hidden data-testid="files" aria-label="Files" onChange={(e) => chosen(e.currentTarget)} />
      <input ref={(input) => { folder.current = input; input?.setAttribute('webkitdirectory', ''); }} type="file" multiple hidden aria-label="Folder" onChange={(e) => chosen(e.currentTarget)} />
    </section>
  );
}
