import { Button, Checkbox, Drawer, NativeSelect, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { CluesChange, Lot, NamedClues } from '../client';
import { getLotCluesOptions, listClueListsOptions } from '../client/@tanstack/react-query.gen';
import { baseName, count, said } from '../shared/format';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { useClueList } from './clueList';
import { Setting, Tester, Learned, Languages } from './ClueParts';
import css from './Clues.module.css';
import { besideNames } from './words';

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
  // What is fetched again while somebody changes the list leaves their changes alone.
  return now.data && now.isFetchedAfterMount ? (
    <Editor
      key={`${now.data.id} ${now.data.version}`}
      lot={lot}
      path={path}
      now={now.data}
      onClose={onClose}
    />
  ) : null;
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
  const clues = useClueList(lot, now, onClose);
  const { list, setList, set, changed, preview } = clues;
  const lists = useQuery(listClueListsOptions());
  const numbered = list.clues.map((clue, at) => ({ clue, at }));
  const ordered = numbered.filter(({ clue }) => !besideNames.has(clue.clue));
  const beside = numbered.filter(({ clue }) => besideNames.has(clue.clue));
  const decides = (clue: string) => preview.data && (preview.data.clues[clue] ?? 0);
  const failed = (e: unknown) => tell('Nothing changed', said(e), true);
  return (
    <div className="columns loosely">
      <div className="spread">
        <NativeSelect
          aria-label="Read with"
          className="grow"
          value={String(now.id)}
          disabled={clues.working || changed}
          onChange={(e) => void clues.readWith(Number(e.currentTarget.value)).catch(failed)}
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
            moves={{
              up: n > 0,
              down: n < ordered.length - 1,
              move: (by) => clues.swap(c.at, ordered[n + by]?.at ?? -1),
            }}
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
        <Keep lot={lot} now={now} clues={clues} />
      </div>
    </div>
  );
}

/** Gives a list its name, keeps it and reads the lot with it. */
function Keep({ lot, now, clues }: { lot: Lot; now: NamedClues; clues: ReturnType<typeof useClueList> }) {
  const [name, setName] = useState(now.id ? now.name : '');
  return (
    <>
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
          disabled={!name.trim() || clues.preview.isError || !clues.changed}
          loading={clues.working}
          onClick={() =>
            void clues.keep(name.trim()).catch((e: unknown) => tell('The list is not kept', said(e), true))
          }
        >
          Keep and read again
        </Button>
      </div>
      {lot.originId > 0 && (
        <Checkbox
          size="xs"
          checked={clues.always}
          onChange={(e) => clues.setAlways(e.currentTarget.checked)}
          label="Use it for whatever comes from this origin"
        />
      )}
    </>
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
