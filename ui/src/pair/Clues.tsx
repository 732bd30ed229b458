import { Button, Checkbox, Drawer, NativeSelect, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { ClueList, ClueSetting, CluesChange, Lot, NamedClues } from '../client';
import { previewClues } from '../client';
import {
  addClueListMutation,
  changeClueListMutation,
  getLotCluesOptions,
  getLotCluesQueryKey,
  listClueListsOptions,
  listClueListsQueryKey,
  readLotWithMutation,
} from '../client/@tanstack/react-query.gen';
import { baseName, count, said } from '../shared/format';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { besideNames } from './words';
import css from './Clues.module.css';
import { Setting, Tester, Learned, Languages } from './ClueParts';

/**
 * The clue list that a lot is read with: every change is tried at once on the whole lot, before it is kept.
 */
export function Clues({
  open,
  onClose,
  lot,
  path,
}: {
  open: boolean;
  onClose: () => void;
  lot: Lot;
  path: string;
}) {
  return (
    <Drawer opened={open} onClose={onClose} position="right" size={600} title="Clues">
      {open && <Loaded lot={lot} path={path} onClose={onClose} />}
    </Drawer>
  );
}

function Loaded({ lot, path, onClose }: { lot: Lot; path: string; onClose: () => void }) {
  const now = useQuery({ ...getLotCluesOptions({ path: { id: lot.id } }), staleTime: 0 });
  if (now.error) return <Failed error={now.error} again={() => void now.refetch()} />;
  return now.data && !now.isFetching ? (
    <Editor
      key={`${now.data.id} ${now.data.version}`}
      lot={lot}
      path={path}
      now={now.data}
      onClose={onClose}
    />
  ) : null;
}

function usePreview(lot: number, list: ClueList) {
  const [asked] = useDebouncedValue(list, 150);
  return useQuery({
    queryKey: [{ _id: 'previewClues' }, lot, asked],
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 0,
    queryFn: async ({ signal }) =>
      (await previewClues({ path: { id: lot }, body: asked, signal, throwOnError: true })).data,
  });
}

function Editor({
  lot,
  path,
  now,
  onClose,
}: {
  lot: Lot;
  path: string;
  now: NamedClues;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const [list, setList] = useState<ClueList>(now.list);
  const [name, setName] = useState(now.id ? now.name : '');
  const [always, setAlways] = useState(lot.originId > 0);
  const lists = useQuery(listClueListsOptions());
  const preview = usePreview(lot.id, list);
  const add = useMutation(addClueListMutation());
  const change = useMutation(changeClueListMutation());
  const use = useMutation(readLotWithMutation());
  const changed = JSON.stringify(list) !== JSON.stringify(now.list);
  const set = (at: number, next: Partial<ClueSetting>) =>
    setList({ ...list, clues: list.clues.map((c, i) => (i === at ? { ...c, ...next } : c)) });
  const numbered = list.clues.map((clue, at) => ({ clue, at }));
  const ordered = numbered.filter(({ clue }) => !besideNames.has(clue.clue));
  const beside = numbered.filter(({ clue }) => besideNames.has(clue.clue));
  /** Lets two clues change places. */
  const swap = (
    one: { clue: ClueSetting; at: number },
    other: { clue: ClueSetting; at: number } | undefined,
  ) => {
    if (other)
      setList({
        ...list,
        clues: list.clues.map((c, i) => (i === one.at ? other.clue : i === other.at ? one.clue : c)),
      });
  };
  const decides = (clue: string) => preview.data?.clues[clue] ?? 0;
  const readWith = async (id: number) => {
    await use.mutateAsync({ path: { id: lot.id }, body: { list: id, always } });
    void client.invalidateQueries({ queryKey: getLotCluesQueryKey({ path: { id: lot.id } }) });
    void client.invalidateQueries({ queryKey: listClueListsQueryKey() });
    onClose();
  };
  const keep = async () => {
    try {
      let id = now.id;
      if (now.id > 0 && name.trim() === now.name)
        await change.mutateAsync({
          path: { id: now.id },
          body: { name: now.name, list, version: now.version },
        });
      else id = (await add.mutateAsync({ body: { name: name.trim(), list } })).id;
      await readWith(id);
    } catch (e) {
      tell('The list is not kept', said(e), true);
    }
  };
  const working = add.isPending || change.isPending || use.isPending;
  return (
    <div className="columns loosely">
      <div className="spread">
        <NativeSelect
          aria-label="Read with"
          className="grow"
          value={String(now.id)}
          disabled={working || changed}
          onChange={(e) =>
            void readWith(Number(e.currentTarget.value)).catch((err: unknown) =>
              tell('Nothing changed', said(err), true),
            )
          }
          data={[
            { value: '0', label: 'the usual clues' },
            ...(lists.data?.items ?? []).map((l) => ({ value: String(l.id), label: l.name })),
          ]}
        />
        {changed && <Button onClick={() => setList(now.list)}>Undo changes</Button>}
      </div>
      <Tester lot={lot.id} list={list} start={path} />
      <div className="sheet">
        <h2>What names say, in this order</h2>
        {ordered.map((c, n) => (
          <Setting
            key={c.clue.clue}
            lot={lot}
            clue={c.clue}
            files={decides(c.clue.clue)}
            onChange={(next) => set(c.at, next)}
            moves={{ up: n > 0, down: n < ordered.length - 1, move: (by) => swap(c, ordered[n + by]) }}
          />
        ))}
      </div>
      <div className="sheet">
        <h2>Beside names</h2>
        {beside.map(({ clue, at }) => (
          <Setting
            key={clue.clue}
            lot={lot}
            clue={clue}
            files={decides(clue.clue)}
            onChange={(next) => set(at, next)}
          />
        ))}
      </div>
      <Learned steps={list.steps ?? []} onChange={(steps) => setList({ ...list, steps })} />
      <Languages value={list.languages ?? []} onChange={(languages) => setList({ ...list, languages })} />
      <div className="cluefoot">
        <Effect change={preview.data} error={preview.error} changed={changed} />
        <div className="spread at-foot">
          <TextInput
            label="Name of the list"
            value={name}
            onChange={(e) => setName(e.currentTarget.value)}
            className="grow"
            placeholder={lot.name}
          />
          <Button
            variant="filled"
            disabled={!name.trim() || preview.isError || !changed}
            loading={working}
            onClick={() => void keep()}
          >
            Keep and read again
          </Button>
        </div>
        {lot.originId > 0 && (
          <Checkbox
            size="xs"
            checked={always}
            onChange={(e) => setAlways(e.currentTarget.checked)}
            label="Use it for whatever comes from this origin"
          />
        )}
      </div>
    </div>
  );
}

const effects = { win: 'would be paired', lose: 'would no longer be', turn: 'would change' };

/** What the list as it stands would do to the lot. */
function Effect({
  change,
  error,
  changed,
}: {
  change: CluesChange | undefined;
  error: unknown;
  changed: boolean;
}) {
  if (error)
    return (
      <div className="note bad" role="alert">
        {said(error)}
      </div>
    );
  if (!change) return null;
  return (
    <section className="sheet" aria-live="polite">
      <h2>
        {count(change.paired)} of {count(change.files)} paired
        {changed && (
          <span className="plain">
            : <strong>{count(change.wins)}</strong> won, <strong>{count(change.loses)}</strong> lost,{' '}
            <strong>{count(change.turns)}</strong> turned
          </span>
        )}
      </h2>
      {changed &&
        change.examples.map((e) => (
          <div key={`${e.how} ${e.id}`} className={`row ${css.example}`}>
            <span className="mono clip" title={e.path}>
              {baseName(e.path)}
            </span>
            <span className="quiet">{effects[e.how]}</span>
            <span className="narrow">
              <span className="mono clip block">{[e.was, e.code].filter(Boolean).join(' → ')}</span>
              <span className="quiet clip block small" title={e.reason}>
                {e.reason}
              </span>
            </span>
          </div>
        ))}
      {changed && change.examples.length === 0 && (
        <div className="quiet padded">The same files would be paired with the same products.</div>
      )}
    </section>
  );
}
