import { Button, NativeSelect, SegmentedControl, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { File as LotFile, ListFilesData, Lot } from '../client';
import { getLotOptions, listFilesOptions, listRunsOptions, pairLotMutation, planLotMutation } from '../client/@tanstack/react-query.gen';
import { baseName, bytes, count, folderOf, said, some, when } from '../shared/format';
import { usePages } from '../shared/paging';
import { Enlarged, Picture } from '../shared/Picture';
import { active, RunLine } from '../shared/Runs';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { Verdict } from '../shared/Verdict';
import { HeldBack, RightsForm } from './Rights';

type Filter = NonNullable<ListFilesData['query']>['verdict'];
type Rights = NonNullable<ListFilesData['query']>['rights'];

/** A lot's files as contact sheet or table. */
export function LotPage() {
  const id = Number(useParams()['id']);
  const lot = useQuery(getLotOptions({ path: { id } }));
  const runs = useQuery(listRunsOptions());
  const [verdict, setVerdict] = useState<Filter>();
  const [text, setText] = useState('');
  const [q] = useDebouncedValue(text, 120);
  const [table, setTable] = useState(true);
  const [rights, setRights] = useState<Rights>();
  const [clearing, setClearing] = useState(false);
  const [open, setOpen] = useState<LotFile>();
  if (lot.error) return <Failed error={lot.error} again={() => void lot.refetch()} />;
  if (!lot.data) return null;
  const working = runs.data?.items.filter((r) => r.lot === id && r.state !== 'done') ?? [];
  return (
    <>
      <Head lot={lot.data} />
      <div className="spread wrap" style={{ padding: '8px 16px', borderBottom: '1px solid var(--line)' }}>
        <SegmentedControl value={verdict ?? 'all'} onChange={(v) => setVerdict(v === 'all' ? undefined : (v as Filter))} data={classes(lot.data)} aria-label="Verdict" />
        <TextInput value={text} onChange={(e) => setText(e.currentTarget.value)} placeholder="Part of a file name" aria-label="Part of a file name" w={200} />
        <NativeSelect value={rights ?? ''} onChange={(e) => setRights((e.currentTarget.value || undefined) as Rights)} data={[{ value: '', label: 'any rights' }, 'cleared', 'restricted', 'unknown']} aria-label="Rights" w={110} />
        <Button onClick={() => setClearing(true)}>Change rights…</Button>
        <SegmentedControl className="push" value={table ? 'table' : 'sheet'} onChange={(v) => setTable(v === 'table')} data={[{ value: 'table', label: 'Table' }, { value: 'sheet', label: 'Contact sheet' }]} aria-label="Shown as" />
      </div>
      {working.length > 0 && <div className="sheet" style={{ margin: '10px 16px 0' }}>{working.map((r) => <RunLine key={r.id} run={r} />)}</div>}
      {lot.data.problems.map((p) => <div key={p} className="note bad" style={{ margin: '10px 16px 0' }} role="alert">{p}</div>)}
      <RightsForm open={clearing} onClose={() => setClearing(false)} lot={id} filter={{ verdict, q, of: rights }} />
      <Files key={`${verdict ?? ''}${q}${rights ?? ''}${table}`} lot={id} verdict={verdict} q={q} rights={rights} table={table} onOpen={setOpen} waiting={working.some(active)} />
      <Enlarged sum={open?.sum ?? ''} title={open?.path ?? ''} onClose={() => setOpen(undefined)} />
    </>
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
          <Button variant={decide ? 'default' : 'filled'} loading={plan.isPending} onClick={() => plan.mutate({ path: { id: lot.id }, body: { way: 'after' } })}>Plan {count(lot.paired)}</Button>
        )}
        {lot.plan > 0 && lot.planState !== 'draft' && <Button component={Link} to={`/plans/${lot.plan}`}>Its plan</Button>}
      </div>
    </div>
  );
}

const fileColumns = '40px minmax(200px, 1.5fr) minmax(130px, 1fr) 44px 74px 96px 74px 96px 84px';

function Files({ lot, verdict, q, rights, table, onOpen, waiting }: { lot: number; verdict: Filter; q: string; rights: Rights; table: boolean; onOpen: (f: LotFile) => void; waiting: boolean }) {
  const box = useRef<HTMLDivElement>(null);
  const [total, setTotal] = useState(0);
  const [across, setAcross] = useState(7);
  const columns = table ? 1 : across;
  const rows = useVirtualizer({
    count: Math.ceil(total / columns), getScrollElement: () => box.current, estimateSize: () => (table ? 44 : 212), overscan: 8,
    onChange: (v) => setAcross(Math.max(2, Math.floor(((v.scrollRect?.width ?? 1200) - 32) / 160))),
  });
  const seen = rows.getVirtualItems();
  const files = usePages<LotFile>((seen[0]?.index ?? 0) * columns, (seen.at(-1)?.index ?? 0) * columns + columns,
    (window) => listFilesOptions({ path: { id: lot }, query: { ...window, verdict, rights, q: q || undefined } }));
  if (files.total !== total && !files.loading) setTotal(files.total);
  if (files.error) return <Failed error={files.error} />;
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Files">
      {!files.loading && files.total === 0 && (
        <Empty title={waiting ? 'The files are being examined.' : q ? `No file’s name holds “${q}”.` : 'No file is here.'}>{waiting && 'They come up here as they are done; you can leave this page.'}</Empty>
      )}
      {table && files.total > 0 && (
        <div className="row th" style={{ gridTemplateColumns: fileColumns }}><span /><span>File</span><span>Product or reason</span><span className="num">Place</span><span>View</span><span className="num">Pixels</span><span className="num">Size</span><span>Verdict</span><span>Rights</span></div>
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
      <span className="num quiet">{file.width ? `${file.width} × ${file.height}` : ''}</span><span className="num quiet">{bytes(file.bytes)}</span>
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
      <HeldBack file={file} />
    </button>
  );
}
