import { Button, Kbd } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { memo, useCallback, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Link, useLocation, useNavigate, useParams, useSearchParams } from 'react-router';
import { firstFile, type FileDetail, type Lot, type SheetLine } from '../client';
import { getFileOptions, getFileQueryKey, getLotOptions, planLotMutation } from '../client/@tanstack/react-query.gen';
import { baseName, bytes, count, said } from '../shared/format';
import { useKeys } from '../shared/keys';
import { Enlarged, Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { Verdict } from '../shared/Verdict';
import { choicesOf, type Choice } from './choices';
import { useChosen } from './chosen';
import { ChosenBar, type Deed } from './ChosenBar';
import { Clues } from './Clues';
import { CodePlaces } from './CodePlaces';
import { useDecide } from './decide';
import { FileColumn, type Class, type Neighbours } from './FileColumn';
import { PlaceDialog, ProductDialog, ReasonDialog, ViewDialog } from './dialogs';
import { useHistory } from './history';
import { Lessons } from './Lessons';
import { useOrder } from './order';
import { ProductSide } from './ProductSide';
import { ReadingLine } from './ReadingLine';
import { useTogether } from './together';

/** The reason of what is set aside without one. */
const unsaid = 'set aside on the bench';

const classOf = (file: FileDetail): Class => (file.verdict === 'unread' || file.verdict === 'unusable' ? 'loose' : file.verdict);

const inClass = (lot: Lot, c: Class) => ({ contested: lot.contested, loose: lot.loose, paired: lot.paired, 'set aside': lot.setAside })[c];

/** The bench: decide file by file, with the evidence in sight. */
export function Bench() {
  const lot = Number(useParams()['id']);
  const [search] = useSearchParams();
  const { key } = useLocation();
  const [at, setAt] = useState({ key, file: Number(search.get('file') ?? 0) });
  if (at.key !== key) setAt({ key, file: Number(search.get('file') ?? 0) });
  const picked = at.file;
  const lotQuery = useQuery(getLotOptions({ path: { id: lot } }));
  const first = useFirst(lot, picked === 0);
  const id = picked || (first.data ?? 0);
  // The address follows without the router, which would have every view look at it again with each key.
  const pick = useCallback((file: number) => {
    setAt((was) => ({ ...was, file }));
    window.history.replaceState(window.history.state, '', `?file=${file}`);
  }, []);
  const file = useQuery({ ...getFileOptions({ path: { id } }), enabled: id > 0, placeholderData: (before) => before });
  if (lotQuery.error) return <Failed error={lotQuery.error} again={() => void lotQuery.refetch()} />;
  if (id === 0 && first.error) return <Failed error={first.error} again={() => void first.refetch()} />;
  if (file.error) return <Failed error={file.error} again={() => void file.refetch()} />;
  if (!lotQuery.data) return null;
  if (id === 0 && !first.isPending) return <><BenchHead lot={lotQuery.data} /><Empty title="This lot has no file that can be paired.">Look at why on <Link to={`/lots/${lot}`}>the lot’s page</Link>.</Empty></>;
  if (!file.data) return <BenchHead lot={lotQuery.data} />;
  return <Table key={lot} lot={lotQuery.data} file={file.data} passing={file.isPlaceholderData} pick={pick} />;
}

/** The file to begin with: contested first, then loose, then paired. It comes with its evidence. */
function useFirst(lot: number, on: boolean) {
  const client = useQueryClient();
  return useQuery({
    queryKey: [{ _id: 'firstFile' }, lot], enabled: on, staleTime: 0, gcTime: 0,
    queryFn: async ({ signal }) => {
      const { file } = (await firstFile({ path: { id: lot }, signal, throwOnError: true })).data;
      if (file) client.setQueryData(getFileQueryKey({ path: { id: file.id } }), file);
      return file?.id ?? 0;
    },
  });
}

const BenchHead = memo(function BenchHead({ lot, onClues }: { lot: Lot; onClues?: () => void }) {
  const navigate = useNavigate();
  const plan = useMutation({ ...planLotMutation(), onSuccess: ({ id }) => void navigate(`/plans/${id}`), onError: (e) => tell('Not planned', said(e), true) });
  const undecided = lot.contested + lot.loose;
  return (
    <div className="head">
      <h1 className="clip" style={{ fontSize: 17 }}><Link className="link" to={`/lots/${lot.id}`}>{lot.name}</Link></h1>
      <span className="quiet">{undecided > 0 ? `${count(undecided)} left to decide` : lot.state === 'applied' ? 'applied' : lot.state === 'ready' ? 'everything is decided' : 'its files are still on their way'}</span>
      <span className="push" />
      {onClues && <Button onClick={onClues}>Clues…</Button>}
      {lot.state === 'ready' && lot.planState !== 'applying' && lot.paired > 0 && (
        <Button variant={undecided > 0 ? 'default' : 'filled'} loading={plan.isPending} onClick={() => plan.mutate({ path: { id: lot.id }, body: { way: '' } })}>Plan {count(lot.paired)} paired</Button>
      )}
    </div>
  );
});

/** passing: the file shown is the one before, since the next is on its way; nothing may be decided on it. */
function Table({ lot, file, passing, pick }: { lot: Lot; file: FileDetail; passing: boolean; pick: (id: number) => void }) {
  const client = useQueryClient();
  const [cls, setClass] = useState<Class>(classOf(file));
  const [dialog, setDialog] = useState<'product' | 'place' | 'view' | 'reason' | 'large' | 'clues' | ''>('');
  const [marked, setMarked] = useState({ file: 0, at: 0 });
  const neighbours = useRef<Neighbours>({ before: 0, after: 0, first: 0 });
  const setNeighbours = useCallback((now: Neighbours) => { neighbours.current = now; }, []);
  const choices = useMemo(() => choicesOf(file), [file]);
  const at = marked.file === file.id ? marked.at : 0;
  const choice = choices[at];
  const shown = useMemo(() => (file.verdict === 'paired' ? { product: file.product, variant: file.variant } : choice), [choice, file]);

  const go = useCallback((id: number) => { if (id) pick(id); }, [pick]);
  const showClues = useCallback(() => setDialog('clues'), []);
  const { doing, takeBack, doAgain } = useHistory(pick);
  const { settle, corrected, learned } = useDecide({ lot, file, passing, neighbours, go, doing });
  const chosen = useChosen();
  const { act, busy } = useTogether(lot.id, chosen, doing);
  const ordering = useOrder(lot.id, shown?.product ?? 0, file.id, doing);
  const several = chosen.files.length;

  // The evidence of the next file is fetched ahead, so that it is there with the key press.
  useEffect(() => { if (file.next) void client.prefetchQuery(getFileOptions({ path: { id: file.next } })); }, [client, file.next]);

  const pairWith = useCallback((c: Choice | undefined) => {
    if (c && several > 0) act({ do: 'pair', product: c.product, variant: c.variant, reason: c.why });
    else if (c) settle({ verdict: 'paired', product: c.product, variant: c.variant, place: file.place, view: file.view, reason: c.why }, true);
  }, [act, file, settle, several]);

  const setView = useCallback((view: string) => {
    if (several > 0) act({ do: 'view', view });
    else if (shown) settle({ verdict: 'paired', product: shown.product, variant: shown.variant, place: file.place, view, reason: 'view set by hand' }, false);
  }, [act, file, settle, several, shown]);

  const setPlace = useCallback((place: number) => {
    if (several > 0) act({ do: 'place', place });
    else if (shown) settle({ verdict: 'paired', product: shown.product, variant: shown.variant, place, view: file.view, reason: 'place set by hand' }, false);
  }, [act, file, settle, several, shown]);

  const setAside = useCallback((reason: string) => {
    if (several > 0) act({ do: 'set aside', reason });
    else settle({ verdict: 'set aside', reason }, true);
  }, [act, settle, several]);

  const deed = useCallback((what: Deed) => {
    if (what === 'product' || what === 'place' || what === 'view') setDialog(what);
    if (what === 'accept') act({ do: 'accept' });
    if (what === 'aside') setAside(unsaid);
    if (what === 'open') act({ do: 'open' });
    if (what === 'clear') chosen.clear();
  }, [act, chosen, setAside]);

  const keys = useMemo(() => {
    const one = several === 0;
    return {
      Enter: () => (one ? pairWith(choice) : deed('accept')),
      x: () => setAside(unsaid),
      X: () => setDialog('reason'),
      o: () => (one ? settle({ verdict: 'open' }, false) : deed('open')),
      m: () => { chosen.toggle(file); go(neighbours.current.after); },
      Escape: () => chosen.clear(),
      u: takeBack,
      U: doAgain,
      c: () => setDialog('clues'),
      f: () => setDialog('product'),
      p: () => setDialog('place'),
      v: () => setDialog('view'),
      ' ': () => setDialog('large'),
      n: () => go(file.next),
      ArrowDown: () => go(neighbours.current.after),
      ArrowUp: () => go(neighbours.current.before),
      ArrowLeft: (e: KeyboardEvent) => { if (e.shiftKey) ordering.step(-1); },
      ArrowRight: (e: KeyboardEvent) => { if (e.shiftKey) ordering.step(1); },
      ...Object.fromEntries(choices.slice(0, 9).map((_, i) => [String(i + 1), () => setMarked({ file: file.id, at: i })])),
    };
  }, [choice, choices, chosen, deed, doAgain, file, go, ordering, pairWith, setAside, settle, several, takeBack]);
  useKeys(keys, dialog === '' && !passing);

  const column = inClass(lot, cls) > 0 ? cls : classOf(file);
  const claims = useMemo(() => (file.verdict === 'contested' ? file.candidates.map((c) => c.key) : []), [file]);
  const against = choice ? { key: choice.key, suggestion: choice.suggestion } : file.key ? { key: file.key } : undefined;
  return (
    <>
      <BenchHead lot={lot} onClues={showClues} />
      <div className="bench">
        <FileColumn lot={lot} cls={column} setClass={setClass} here={file} pick={pick} onNeighbours={setNeighbours} chosen={chosen} doing={doing}>
          {lot.state === 'ready' && <ChosenBar chosen={chosen} cls={column} busy={busy} onDo={deed} />}
        </FileColumn>
        <section aria-label="File">
          <button className="link stage mat" onClick={() => setDialog('large')} aria-label="Large view" style={{ cursor: 'zoom-in' }}>
            {file.sum && !file.problem ? <><Picture sum={file.sum} whole none="" /><CodePlaces file={file} /></> : <span className="none">{file.problem || 'no picture'}</span>}
          </button>
          <div style={{ padding: '0 14px 10px', display: 'grid', gap: 8 }}>
            <div className="spread wrap">
              <Verdict verdict={file.verdict} />
              <span>{file.problem || file.reason}</span>
              <span className="push quiet">{file.width > 0 && `${file.width} × ${file.height}, `}{bytes(file.bytes)}{file.same > 0 && `, the same bytes ${file.same + 1} times`}</span>
            </div>
            <ReadingLine file={file} against={against} claims={claims} />
            <SheetLines lines={file.rows} />
            {corrected && <Lessons key={corrected.id} file={corrected} onDone={learned} />}
          </div>
          <div className="keys" aria-label="Keys on the bench">
            {([['Enter', 'accept'], ['f', 'find'], ['x', 'set aside'], ['X', 'why'], ['p', 'place'], ['v', 'view'], ['o', 'reopen'], ['m', 'choose'], ['u', 'undo'], ['U', 'redo'], ['n', 'next'], ['c', 'clues']] as const).map(([k, what]) => <button key={k} className="link" disabled={passing} onClick={() => keys[k]()}><Kbd>{k}</Kbd> {what}</button>)}
          </div>
        </section>
        <section aria-label="Product">
          {choices.length > 0 && file.verdict !== 'paired' && (
            <div>
              <h2 style={{ margin: 0, padding: '8px 12px', fontSize: 13.5 }}>{file.verdict === 'contested' ? 'Who claims it' : file.candidates.length > 0 ? 'Proposed' : 'Nearest keys'}</h2>
              {choices.map((c, i) => (
                <button key={`${c.product}-${c.variant}`} className={`choice${i === at ? ' on' : ''}`} aria-pressed={i === at} onClick={() => setMarked({ file: file.id, at: i })} onDoubleClick={() => pairWith(c)}>
                  <Kbd>{i + 1}</Kbd>
                  <span style={{ minWidth: 0 }}><span className="mono clip" style={{ display: 'block' }}>{c.code}</span><span className="quiet clip" style={{ display: 'block', fontSize: 12 }}>{c.title}</span></span>
                  <span className="quiet" style={{ fontSize: 12 }}>{c.note}</span>
                </button>
              ))}
            </div>
          )}
          <div className="spread wrap" style={{ padding: '8px 12px', gap: 6 }}>
            {lot.state === 'ready' && file.verdict !== 'paired' && <Button variant="filled" disabled={!choice || passing} onClick={() => pairWith(choice)}>Accept {choice?.code}</Button>}
            {lot.state === 'ready' && <Button onClick={() => setDialog('product')}>{file.verdict === 'paired' ? 'Another product' : 'Find'}</Button>}
            {lot.state === 'ready' && file.verdict !== 'set aside' && <Button onClick={() => setDialog('reason')}>Set aside…</Button>}
          </div>
          <ProductSide target={shown} file={file} ordering={ordering} open={lot.state === 'ready'} />
        </section>
      </div>
      <Still while={dialog !== 'product'}><ProductDialog open={dialog === 'product'} several={several} onClose={() => setDialog('')} onPick={(c) => { setDialog(''); pairWith(c); }} /></Still>
      <Still while={dialog !== 'place'}><PlaceDialog open={dialog === 'place'} several={several} file={file} possible={several > 0 || shown !== undefined} onClose={() => setDialog('')} onPlace={(place) => { setDialog(''); setPlace(place); }} /></Still>
      <Still while={dialog !== 'view'}><ViewDialog open={dialog === 'view'} view={several > 0 ? undefined : file.view} possible={several > 0 || shown !== undefined} onClose={() => setDialog('')} onView={(view) => { setDialog(''); setView(view); }} /></Still>
      <Still while={dialog !== 'reason'}><ReasonDialog open={dialog === 'reason'} several={several} onClose={() => setDialog('')} onReason={(reason) => { setDialog(''); setAside(reason || unsaid); }} /></Still>
      <Still while={dialog !== 'clues'}><Clues open={dialog === 'clues'} onClose={() => setDialog('')} lot={lot} path={file.path} /></Still>
      <Still while={dialog !== 'large'}><Enlarged sum={dialog === 'large' ? file.sum : ''} title={baseName(file.path)} onClose={() => setDialog('')} /></Still>
    </>
  );
}

/** What a sheet that came with the lot says of the file, row by row. */
function SheetLines({ lines }: { lines: SheetLine[] }) {
  if (lines.length === 0) return null;
  return (
    <div className="sheetlines" role="group" aria-label="Rows of the sheet">
      {lines.map((l) => (
        <div key={`${l.line}-${l.file}`} className="spread wrap">
          <span className="quiet">row {l.line} of the sheet</span><span className="mono">{l.file}</span><span className="mono sku">{l.sku}</span>
          <span>{[l.place > 0 && `place ${l.place}`, l.view, l.lead && 'lead', l.alt && `“${l.alt}”`].filter(Boolean).join(', ')}</span>
        </div>
      ))}
    </div>
  );
}

/** What is closed before and after is not rendered with each file. */
const Still = memo(function Still({ children }: { while: boolean; children: ReactNode }) { return children; }, (was, now) => was.while && now.while);
