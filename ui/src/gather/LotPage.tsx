import { Button, Modal, NativeSelect, SegmentedControl, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { notifications } from '@mantine/notifications';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { File as LotFile, ListFilesData, Lot } from '../client';
import { countMarksOptions, getLotOptions, giveUpLotMutation, listFilesOptions, listRunsOptions, pairLotMutation, planLotMutation, restoreLotMutation, setAsideMutation, takeBackTogetherMutation } from '../client/@tanstack/react-query.gen';
import { baseName, bytes, count, folderOf, said, some, when } from '../shared/format';
import { usePages } from '../shared/paging';
import { Picture } from '../shared/Picture';
import { active, RunLine } from '../shared/Runs';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { Verdict } from '../shared/Verdict';
import { Export } from './Export';
import { FileDetail } from './FileDetail';
import { Marks } from './Marks';
import { HeldBack, RightsForm } from './Rights';
import { SheetReport } from './SheetReport';

type Query = NonNullable<ListFilesData['query']>;
type Mark = NonNullable<Query['mark']>;

const marks: Mark[] = ['small', 'padded', 'enlarged', 'same bytes', 'look-alike', 'animated', 'CMYK', 'transparent'];
const sorts: { value: NonNullable<Query['sort']>; label: string }[] = [{ value: 'arrival', label: 'as they came' }, { value: 'name', label: 'by name' }, { value: 'bytes', label: 'by size' }, { value: 'pixels', label: 'by pixels' }, { value: 'shape', label: 'by shape' }, { value: 'type', label: 'by type' }];

/** A lot's files as contact sheet or table. */
export function LotPage() {
  const id = Number(useParams()['id']);
  const lot = useQuery(getLotOptions({ path: { id } }));
  const runs = useQuery(listRunsOptions());
  const counts = useQuery(countMarksOptions({ path: { id } }));
  const [filter, setFilter] = useState<Pick<Query, 'verdict' | 'rights' | 'mark' | 'type' | 'shape' | 'sort' | 'down'>>({});
  const [text, setText] = useState('');
  const [q] = useDebouncedValue(text, 120);
  const [search, setSearch] = useSearchParams();
  const table = search.get('as') !== 'sheet';
  const [asking, setAsking] = useState<'rights' | 'aside' | 'export'>();
  const [open, setOpen] = useState<LotFile>();
  const [total, setTotal] = useState(0);
  if (lot.error) return <Failed error={lot.error} again={() => void lot.refetch()} />;
  if (!lot.data) return null;
  const working = runs.data?.items.filter((r) => r.lot === id && r.state !== 'done') ?? [];
  const set = (change: typeof filter) => setFilter({ ...filter, ...change });
  const query = useless({ ...filter, q });
  const markCounts = counts.data?.marks ?? {};
  return (
    <>
      <Head lot={lot.data} />
      <div className="spread wrap" style={{ padding: '8px 16px', borderBottom: '1px solid var(--line)', gap: '8px 10px' }}>
        <SegmentedControl value={filter.verdict ?? 'all'} onChange={(v) => set({ verdict: v === 'all' ? undefined : (v as Query['verdict']) })} data={classes(lot.data)} aria-label="Verdict" />
        <SegmentedControl className="push" value={table ? 'table' : 'sheet'} onChange={(v) => setSearch(v === 'table' ? {} : { as: v }, { replace: true })} data={[{ value: 'table', label: 'Table' }, { value: 'sheet', label: 'Contact sheet' }]} aria-label="Shown as" />
        <div className="spread wrap" style={{ width: '100%', gap: '6px 8px' }}>
          <TextInput value={text} onChange={(e) => setText(e.currentTarget.value)} placeholder="Part of a file name" aria-label="Part of a file name" w={170} />
          <NativeSelect value={filter.mark ?? ''} onChange={(e) => set({ mark: (e.currentTarget.value || undefined) as Query['mark'] })} data={[{ value: '', label: 'any mark' }, ...marks.map((m) => ({ value: m, label: `${m} ${count(markCounts[m] ?? 0)}`, disabled: !markCounts[m] }))]} aria-label="Mark" w={136} />
          <NativeSelect value={filter.type ?? ''} onChange={(e) => set({ type: e.currentTarget.value || undefined })} data={[{ value: '', label: 'any type' }, ...Object.entries(counts.data?.types ?? {}).map(([t, n]) => ({ value: t, label: `${t} ${count(n)}` }))]} aria-label="Type" w={130} />
          <NativeSelect value={filter.shape ?? ''} onChange={(e) => set({ shape: (e.currentTarget.value || undefined) as Query['shape'] })} data={[{ value: '', label: 'any shape' }, 'square', 'upright', 'lying']} aria-label="Shape" w={100} />
          <NativeSelect value={filter.rights ?? ''} onChange={(e) => set({ rights: (e.currentTarget.value || undefined) as Query['rights'] })} data={[{ value: '', label: 'any rights' }, 'cleared', 'restricted', 'unknown']} aria-label="Rights" w={104} />
          <NativeSelect value={filter.sort ?? 'arrival'} onChange={(e) => set({ sort: e.currentTarget.value as Query['sort'] })} data={sorts} aria-label="Order" w={118} />
          <Button onClick={() => set({ down: !filter.down })} aria-pressed={filter.down ?? false} aria-label="Largest first" title="Largest first">{filter.down ? '↓' : '↑'}</Button>
          <span className="quiet" aria-live="polite">{some(total, 'file')}</span>
          <span className="spread push" style={{ gap: 6 }}>
            <Button onClick={() => setAsking('aside')} disabled={total === 0}>Set aside…</Button><Button onClick={() => setAsking('rights')}>Rights…</Button><Button onClick={() => setAsking('export')}>Export…</Button>
          </span>
        </div>
      </div>
      {working.length > 0 && <div className="sheet" style={{ margin: '10px 16px 0' }}>{working.map((r) => <RunLine key={r.id} run={r} />)}</div>}
      {lot.data.problems.map((p) => <div key={p} className="note bad" style={{ margin: '10px 16px 0' }} role="alert">{p}</div>)}
      <SheetReport lot={id} />
      <RightsForm open={asking === 'rights'} onClose={() => setAsking(undefined)} lot={id} filter={{ q, verdict: filter.verdict, of: filter.rights, mark: filter.mark, type: filter.type, shape: filter.shape }} />
      <AsideForm open={asking === 'aside'} onClose={() => setAsking(undefined)} lot={id} query={query} total={total} />
      <Export open={asking === 'export'} onClose={() => setAsking(undefined)} lot={id} query={Object.fromEntries(Object.entries(query).map(([name, value]) => [name, String(value)]))} />
      <Files key={JSON.stringify(query) + String(table)} lot={id} query={query} table={table} onOpen={setOpen} waiting={working.some(active)} onTotal={setTotal} />
      <FileDetail file={open} onClose={() => setOpen(undefined)} />
    </>
  );
}

/** Leaves out what chooses nothing. */
function useless(query: Query): Query {
  return Object.fromEntries(Object.entries(query).filter(([, value]) => value !== undefined && value !== '' && value !== false)) as Query;
}

/** Sets aside what is shown; what was decided before can be brought back at once. */
function AsideForm({ open, onClose, lot, query, total }: { open: boolean; onClose: () => void; lot: number; query: Query; total: number }) {
  const [reason, setReason] = useState('');
  const back = useMutation({ ...takeBackTogetherMutation(), onSuccess: (done) => tell('Brought back', some(done.files.length, 'file') + (done.stayed > 0 ? `; ${some(done.stayed, 'file')} stayed, since somebody decided on it in between` : '')), onError: (e) => tell('Nothing is brought back', said(e), true) });
  const set = useMutation({
    ...setAsideMutation(), onError: (e) => tell('Nothing is set aside', said(e), true),
    onSuccess: (done) => {
      onClose();
      notifications.show({ title: 'Set aside', autoClose: 30_000, withBorder: true, color: 'dark', message: <span className="spread">{some(done.files.length, 'file')}<Button size="compact-xs" onClick={() => back.mutate({ path: { id: done.id } })}>Bring back</Button></span> });
    },
  });
  const { verdict, q, rights, mark, type, shape } = query;
  const chosen = useless({ verdict, q, rights, mark, type, shape });
  return (
    <Modal opened={open} onClose={onClose} title={`Set aside ${some(total, 'file')}?`}>
      <form className="columns" onSubmit={(e) => { e.preventDefault(); set.mutate({ path: { id: lot }, query: chosen, body: { reason: reason || 'set aside together' } }); }}>
        <span>All files that are shown{chosen.mark ? ` (marked ${chosen.mark})` : ''} are set aside; unusable ones stay as they are. Nothing is deleted, and it can be undone.</span>
        <TextInput label="Reason" value={reason} onChange={(e) => setReason(e.currentTarget.value)} placeholder={chosen.mark ?? 'not needed'} data-autofocus />
        <div className="spread"><Button type="submit" variant="filled" loading={set.isPending}>Set aside</Button><Button onClick={onClose}>Leave it</Button></div>
      </form>
    </Modal>
  );
}

function classes(lot: Lot) {
  const all: [string, number][] = [['all', lot.files], ['paired', lot.paired], ['contested', lot.contested], ['loose', lot.loose], ['set aside', lot.setAside], ['unusable', lot.unusable]];
  return all.map(([value, n]) => ({ value, label: `${value} ${count(n)}` }));
}

function Head({ lot }: { lot: Lot }) {
  const navigate = useNavigate();
  const plan = useMutation({ ...planLotMutation(), onSuccess: ({ id }) => void navigate(`/plans/${id}`), onError: (e) => tell('Not planned', said(e), true) });
  const pair = useMutation({ ...pairLotMutation(), onError: (e) => tell('Not read', said(e), true) });
  const undecided = lot.contested + lot.loose;
  const decide = lot.state === 'ready' && undecided > 0;
  return (
    <div className="head">
      <div style={{ minWidth: 0 }}>
        <h1 className="clip" style={{ fontSize: 17 }}>{lot.name}</h1>
        <span className="quiet">{some(lot.files, 'file')}, {bytes(lot.bytes)}, came in {when(lot.createdAt)}{lot.state === 'applied' && ', applied'}</span>
      </div>
      <div className="spread push" style={{ flex: 'none' }}>
        {lot.state === 'ready' && <Button onClick={() => pair.mutate({ path: { id: lot.id } })} loading={pair.isPending} title="What you decided stays">Read again</Button>}
        {lot.state !== 'receiving' && <Button component={Link} to={`/pair/${lot.id}`} variant={decide ? 'filled' : 'default'}>{decide ? `Decide ${count(undecided)}` : 'Bench'}</Button>}
        {lot.state === 'ready' && lot.planState !== 'applying' && lot.paired > 0 && (
          <Button variant={decide ? 'default' : 'filled'} loading={plan.isPending} onClick={() => plan.mutate({ path: { id: lot.id }, body: { way: '' } })}>Plan {count(lot.paired)}</Button>
        )}
        {lot.plan > 0 && lot.planState !== 'draft' && <Button component={Link} to={`/plans/${lot.plan}`}>Its plan</Button>}
        <GiveUp lot={lot} />
      </div>
    </div>
  );
}

/** Hides a lot that is not needed, or brings it back. */
function GiveUp({ lot }: { lot: Lot }) {
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  const nothing = (e: unknown) => tell('Nothing changed', said(e), true);
  const giveUp = useMutation({ ...giveUpLotMutation(), onError: nothing, onSuccess: () => void navigate('/gather') });
  const restore = useMutation({ ...restoreLotMutation(), onError: nothing });
  if (lot.state === 'given up') return <Button variant="filled" loading={restore.isPending} onClick={() => restore.mutate({ path: { id: lot.id } })}>Restore</Button>;
  if (lot.state === 'applied' || lot.planState === 'applying' || lot.planState === 'reverting') return null;
  return (
    <>
      <Button onClick={() => setSure(true)}>Give up…</Button>
      <Modal opened={sure} onClose={() => setSure(false)} title="Give this lot up?">
        <p className="first">It is no longer shown, and waits for nobody. Nothing of it is deleted: it is restored at the foot of Gather, with every decision.</p>
        <div className="spread">
          <Button variant="filled" loading={giveUp.isPending} onClick={() => giveUp.mutate({ path: { id: lot.id } })}>Give up {lot.name}</Button>
          <Button onClick={() => setSure(false)}>Leave it</Button>
        </div>
      </Modal>
    </>
  );
}

const fileColumns = '40px minmax(190px, 1.5fr) minmax(130px, 1fr) 40px 62px 88px 62px 108px 92px 76px';

function Files({ lot, query, table, onOpen, waiting, onTotal }: { lot: number; query: Query; table: boolean; onOpen: (f: LotFile) => void; waiting: boolean; onTotal: (n: number) => void }) {
  const box = useRef<HTMLDivElement>(null);
  const [total, setTotal] = useState(0);
  const [across, setAcross] = useState(7);
  const columns = table ? 1 : across;
  const rows = useVirtualizer({
    count: Math.ceil(total / columns), getScrollElement: () => box.current, estimateSize: () => (table ? 44 : 274), overscan: 8,
    onChange: (v) => setAcross(Math.max(2, Math.floor(((v.scrollRect?.width ?? 1200) - 32) / 160))),
  });
  const seen = rows.getVirtualItems();
  const files = usePages<LotFile>((seen[0]?.index ?? 0) * columns, (seen.at(-1)?.index ?? 0) * columns + columns,
    (window) => listFilesOptions({ path: { id: lot }, query: { ...query, ...window } }));
  if (files.total !== total && !files.loading) setTotal(files.total);
  useEffect(() => { if (!files.loading) onTotal(files.total); }, [files.loading, files.total, onTotal]);
  if (files.error) return <Failed error={files.error} />;
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Files">
      {!files.loading && files.total === 0 && (
        <Empty title={waiting ? 'The files are being examined.' : query.q ? `No file’s name holds “${query.q}”.` : 'No file is here.'}>{waiting && 'They come up here as they are done; you can leave this page.'}</Empty>
      )}
      {table && files.total > 0 && (
        <div className="row th" style={{ gridTemplateColumns: fileColumns }}><span /><span>File</span><span>Product or reason</span><span className="num">Place</span><span>View</span><span className="num">Pixels</span><span className="num">Size</span><span>Marks</span><span>Verdict</span><span>Rights</span></div>
      )}
      <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
        {seen.map((row) => (
          <div key={row.key} style={{ position: 'absolute', top: 0, left: 0, right: 0, height: row.size, transform: `translateY(${row.start}px)` }}>
            {table ? <FileRow file={files.at(row.index)} onOpen={onOpen} /> : (
              <div style={{ display: 'grid', gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))`, gap: 12, padding: '6px 16px' }}>
                {Array.from({ length: Math.min(columns, total - row.index * columns) }, (_, i) => <FileCard key={i} file={files.at(row.index * columns + i)} onOpen={onOpen} />)}
              </div>
            )}
          </div>
        ))}
      </div>
    </div>
  );
}

function FileRow({ file, onOpen }: { file: LotFile | undefined; onOpen: (f: LotFile) => void }) {
  if (!file) return <div className="row" style={{ height: 44 }} />;
  return (
    <div className="row pick" style={{ gridTemplateColumns: fileColumns, height: 44 }}>
      <button className="link" onClick={() => onOpen(file)} disabled={!file.sum} aria-label={`Show ${file.path}`}><Picture sum={file.problem ? '' : file.sum} none="–" className="small" /></button>
      <Link className="link" to={`/pair/${file.lot}?file=${file.id}`} style={{ minWidth: 0 }} title={file.path}>
        <div className="mono clip">{baseName(file.path)}</div>
        {folderOf(file.path) && <div className="quiet clip" style={{ fontSize: 12 }}>{folderOf(file.path)}</div>}
      </Link>
      <span className="clip" title={file.problem || file.reason}>{file.code ? <span className="mono">{file.code}</span> : <span className="quiet">{file.problem || file.reason}</span>}</span>
      <span className="num">{file.place || ''}</span><span>{file.view}</span>
      <span className="num quiet">{file.width ? `${file.width} × ${file.height}` : ''}</span><span className="num quiet">{bytes(file.bytes)}</span><Marks file={file} most={1} />
      <Verdict verdict={file.verdict} />
      <HeldBack file={file} />
    </div>
  );
}

function FileCard({ file, onOpen }: { file: LotFile | undefined; onOpen: (f: LotFile) => void }) {
  if (!file) return <div className="card"><div className="mat" /></div>;
  return (
    <button className="link card" onClick={() => onOpen(file)} title={file.path}>
      <Picture sum={file.problem ? '' : file.sum} none={file.problem || 'not a picture'} />
      <span className="mono clip">{baseName(file.path)}</span>
      <span className="clip"><Verdict verdict={file.verdict} text={file.code || file.verdict} /></span>
      <span className="cardline quiet"><span>{file.width ? `${file.width} × ${file.height}` : ''}</span><span className="push"><HeldBack file={file} /></span></span>
      <span className="cardline"><Marks file={file} most={2} /></span>
    </button>
  );
}
