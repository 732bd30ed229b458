import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { Link, useLocation, useParams, useSearchParams } from 'react-router';
import { firstFile, type FileDetail, type Lot } from '../client';
import { getFileOptions, getFileQueryKey, getLotOptions } from '../client/@tanstack/react-query.gen';
import { useKeys } from '../shared/keys';
import { decidable } from '../shared/lots';
import { Empty, Failed } from '../shared/State';
import { BenchDialogs, type Open } from './BenchDialogs';
import { BenchHead } from './BenchHead';
import { useBenchKeys } from './benchKeys';
import { Choices, Taking } from './Choices';
import { choicesOf, pairedWith } from './choices';
import { useChosen } from './chosen';
import { ChosenBar } from './ChosenBar';
import { useDecide } from './decide';
import { unsaid, useDeeds } from './deeds';
import { FileColumn, type Class } from './FileColumn';
import { useHistory } from './history';
import { Lessons } from './Lessons';
import type { Neighbours } from './neighbours';
import { useOrder } from './order';
import { ProductSide } from './ProductSide';
import { BenchKeys, Stage, Told } from './Stage';
import { useTogether } from './together';

const classOf = (file: FileDetail): Class =>
  file.verdict === 'unread' || file.verdict === 'unusable' || file.verdict === 'sheet'
    ? 'loose'
    : file.verdict;

const inClass = (lot: Lot, c: Class) =>
  ({ contested: lot.contested, loose: lot.loose, paired: lot.paired, 'set aside': lot.setAside })[c];

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
  const file = useQuery({
    ...getFileOptions({ path: { id } }),
    enabled: id > 0,
    placeholderData: (before) => before,
  });
  if (lotQuery.error) return <Failed error={lotQuery.error} again={() => void lotQuery.refetch()} />;
  if (id === 0 && first.error) return <Failed error={first.error} again={() => void first.refetch()} />;
  if (file.error) return <Failed error={file.error} again={() => void file.refetch()} />;
  if (!lotQuery.data) return null;
  if (id === 0 && !first.isPending)
    return (
      <>
        <BenchHead lot={lotQuery.data} />
        <Empty title="This lot has no file that can be paired.">
          Look at why on <Link to={`/lots/${lot}`}>the lot’s page</Link>.
        </Empty>
      </>
    );
  if (!file.data) return <BenchHead lot={lotQuery.data} />;
  return (
    <Table key={lot} lot={lotQuery.data} file={file.data} passing={file.isPlaceholderData} pick={pick} />
  );
}

/** The file to begin with: contested first, then loose, then paired. It comes with its evidence. */
function useFirst(lot: number, on: boolean) {
  const client = useQueryClient();
  return useQuery({
    queryKey: [{ _id: 'firstFile' }, lot],
    enabled: on,
    staleTime: 0,
    gcTime: 0,
    queryFn: async ({ signal }) => {
      const { file } = (await firstFile({ path: { id: lot }, signal, throwOnError: true })).data;
      if (file) client.setQueryData(getFileQueryKey({ path: { id: file.id } }), file);
      return file?.id ?? 0;
    },
  });
}

/** passing: the file shown is the one before, since the next is on its way; nothing may be decided on it. */
function Table({
  lot,
  file,
  passing,
  pick,
}: {
  lot: Lot;
  file: FileDetail;
  passing: boolean;
  pick: (id: number) => void;
}) {
  const client = useQueryClient();
  const [cls, setClass] = useState<Class>(classOf(file));
  const [dialog, setDialog] = useState<Open>('');
  const [marked, setMarked] = useState({ file: 0, at: 0 });
  const neighbours = useRef<Neighbours>({ before: 0, after: 0, first: 0 });
  const setNeighbours = useCallback((now: Neighbours) => {
    neighbours.current = now;
  }, []);
  const choices = useMemo(() => choicesOf(file), [file]);
  // Without a press on its number, only a proposal that is clearly ahead of the others is accepted.
  const at = marked.file === file.id ? marked.at : file.ahead ? 0 : -1;
  const choice = choices[at];
  const meant = useMemo(() => (file.verdict === 'paired' ? pairedWith(file) : choice), [choice, file]);
  const shown = meant ?? choices[0];

  const go = useCallback(
    (id: number) => {
      if (id) pick(id);
    },
    [pick],
  );
  const showClues = useCallback(() => setDialog('clues'), []);
  const { doing, takeBack, doAgain } = useHistory(pick);
  const { settle, corrected, learned } = useDecide({ lot, file, passing, neighbours, go, doing });
  const chosen = useChosen();
  const { act, busy } = useTogether(lot.id, chosen, doing);
  const ordering = useOrder(lot.id, shown, file.id, doing);
  const several = chosen.files.length;

  // The evidence of the next file is fetched ahead, so that it is there with the key press.
  useEffect(() => {
    if (file.next) void client.prefetchQuery(getFileOptions({ path: { id: file.next } }));
  }, [client, file.next]);

  const deeds = useDeeds({ file, shown: meant, chosen, act, settle, open: setDialog });

  const keys = useBenchKeys({
    file,
    choice,
    choices,
    chosen,
    go,
    neighbours,
    mark: setMarked,
    open: setDialog,
    settle,
    takeBack,
    doAgain,
    ordering,
    deeds,
  });
  useKeys(keys, dialog === '' && !passing);

  const column = inClass(lot, cls) > 0 ? cls : classOf(file);
  const claims = useMemo(
    () => (file.verdict === 'contested' ? file.candidates.map((c) => c.key) : []),
    [file],
  );
  const compared = choice ?? choices[0];
  const against = compared
    ? { key: compared.key, suggestion: compared.suggestion }
    : file.key
      ? { key: file.key }
      : undefined;
  return (
    <>
      <BenchHead lot={lot} onClues={showClues} />
      <div className="bench">
        <FileColumn
          lot={lot}
          cls={column}
          setClass={setClass}
          here={file}
          pick={pick}
          onNeighbours={setNeighbours}
          chosen={chosen}
          doing={doing}
        >
          {decidable(lot) && <ChosenBar chosen={chosen} cls={column} busy={busy} onDo={deeds.deed} />}
        </FileColumn>
        <section aria-label="File" aria-busy={passing}>
          <Stage file={file} onLarge={() => setDialog('large')} />
          <Told file={file} against={against} claims={claims}>
            {corrected && <Lessons key={corrected.id} file={corrected} onDone={learned} />}
          </Told>
          <BenchKeys keys={keys} disabled={passing} />
        </section>
        <section aria-label="Product">
          {choices.length > 0 && file.verdict !== 'paired' && (
            <Choices
              file={file}
              choices={choices}
              at={at}
              onMark={(i) => setMarked({ file: file.id, at: i })}
              onTake={deeds.pairWith}
              onTakeAll={decidable(lot) ? deeds.pairWithAll : undefined}
            />
          )}
          {decidable(lot) && (
            <Taking
              file={file}
              several={several}
              choice={choice}
              disabled={!choice || passing}
              onTake={deeds.pairWith}
              open={setDialog}
            />
          )}
          <ProductSide
            target={shown}
            file={file}
            ordering={ordering}
            open={decidable(lot)}
            onOthers={deeds.setOthers}
          />
        </section>
      </div>
      <BenchDialogs
        open={dialog}
        close={() => setDialog('')}
        lot={lot}
        file={file}
        several={several}
        chosen={several > 0 ? chosen.files.map((f) => f.id) : [file.id]}
        onSaved={() => (several > 0 ? chosen.clear() : go(file.next))}
        possible={several > 0 || meant !== undefined}
        onPick={deeds.pairWith}
        onAlso={deeds.alsoShows}
        onPlace={deeds.setPlace}
        onView={deeds.setView}
        onReason={(reason) => deeds.setAside(reason || unsaid)}
      />
    </>
  );
}
