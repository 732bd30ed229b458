import { ActionIcon, Button, Checkbox, Drawer, NativeSelect, Switch, Textarea, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { IconArrowDown, IconArrowUp, IconX } from '@tabler/icons-react';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { ClueList, ClueSetting, CluesChange, Lot, NamedClues, Step } from '../client';
import { previewClues, tryName } from '../client';
import { addClueListMutation, changeClueListMutation, getLotCluesOptions, getLotCluesQueryKey, listClueListsOptions, listClueListsQueryKey, lookAtLotMutation, readLotWithMutation } from '../client/@tanstack/react-query.gen';
import { baseName, count, said } from '../shared/format';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { Verdict } from '../shared/Verdict';
import { ReadingLine } from './ReadingLine';
import { besideNames, clueHelp, clueNames } from './words';

/** The clue list that a lot is read with: every change is tried at once on the whole lot, before it is kept. */
export function Clues({ open, onClose, lot, path }: { open: boolean; onClose: () => void; lot: Lot; path: string }) {
  return (
    <Drawer opened={open} onClose={onClose} position="right" size={600} title="Clues">
      {open && <Loaded lot={lot} path={path} onClose={onClose} />}
    </Drawer>
  );
}

function Loaded({ lot, path, onClose }: { lot: Lot; path: string; onClose: () => void }) {
  const now = useQuery({ ...getLotCluesOptions({ path: { id: lot.id } }), staleTime: 0 });
  if (now.error) return <Failed error={now.error} again={() => void now.refetch()} />;
  return now.data && !now.isFetching ? <Editor key={`${now.data.id} ${now.data.version}`} lot={lot} path={path} now={now.data} onClose={onClose} /> : null;
}

function usePreview(lot: number, list: ClueList) {
  const [asked] = useDebouncedValue(list, 150);
  return useQuery({
    queryKey: [{ _id: 'previewClues' }, lot, asked], placeholderData: keepPreviousData, retry: false, staleTime: 0,
    queryFn: async ({ signal }) => (await previewClues({ path: { id: lot }, body: asked, signal, throwOnError: true })).data,
  });
}

function Editor({ lot, path, now, onClose }: { lot: Lot; path: string; now: NamedClues; onClose: () => void }) {
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
  const set = (at: number, next: Partial<ClueSetting>) => setList({ ...list, clues: list.clues.map((c, i) => (i === at ? { ...c, ...next } : c)) });
  const numbered = list.clues.map((clue, at) => ({ clue, at }));
  const ordered = numbered.filter(({ clue }) => !besideNames.has(clue.clue));
  const beside = numbered.filter(({ clue }) => besideNames.has(clue.clue));
  /** Lets two clues change places. */
  const swap = (one: { clue: ClueSetting; at: number }, other: { clue: ClueSetting; at: number } | undefined) => {
    if (other) setList({ ...list, clues: list.clues.map((c, i) => (i === one.at ? other.clue : i === other.at ? one.clue : c)) });
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
      if (now.id > 0 && name.trim() === now.name) await change.mutateAsync({ path: { id: now.id }, body: { name: now.name, list, version: now.version } });
      else id = (await add.mutateAsync({ body: { name: name.trim(), list } })).id;
      await readWith(id);
    } catch (e) {
      tell('The list is not kept', said(e), true);
    }
  };
  const working = add.isPending || change.isPending || use.isPending;
  return (
    <div className="columns" style={{ gap: 10 }}>
      <div className="spread">
        <NativeSelect aria-label="Read with" style={{ flex: 1 }} value={String(now.id)} disabled={working || changed} onChange={(e) => void readWith(Number(e.currentTarget.value)).catch((err: unknown) => tell('Nothing changed', said(err), true))}
          data={[{ value: '0', label: 'the usual clues' }, ...(lists.data?.items ?? []).map((l) => ({ value: String(l.id), label: l.name }))]} />
        {changed && <Button onClick={() => setList(now.list)}>Undo changes</Button>}
      </div>
      <Tester lot={lot.id} list={list} start={path} />
      <div className="sheet">
        <h2>What names say, in this order</h2>
        {ordered.map((c, n) => (
          <Setting
            key={c.clue.clue} lot={lot} clue={c.clue} files={decides(c.clue.clue)} onChange={(next) => set(c.at, next)}
            moves={{ up: n > 0, down: n < ordered.length - 1, move: (by) => swap(c, ordered[n + by]) }}
          />
        ))}
      </div>
      <div className="sheet">
        <h2>Beside names</h2>
        {beside.map(({ clue, at }) => <Setting key={clue.clue} lot={lot} clue={clue} files={decides(clue.clue)} onChange={(next) => set(at, next)} />)}
      </div>
      <Learned steps={list.steps ?? []} onChange={(steps) => setList({ ...list, steps })} />
      <Languages value={list.languages ?? []} onChange={(languages) => setList({ ...list, languages })} />
      <div className="cluefoot">
      <Effect change={preview.data} error={preview.error} changed={changed} />
      <div className="spread" style={{ alignItems: 'end' }}>
        <TextInput label="Name of the list" value={name} onChange={(e) => setName(e.currentTarget.value)} style={{ flex: 1 }} placeholder={lot.name} />
        <Button variant="filled" disabled={!name.trim() || preview.isError || !changed} loading={working} onClick={() => void keep()}>Keep and read again</Button>
      </div>
      {lot.originId > 0 && <Checkbox size="xs" checked={always} onChange={(e) => setAlways(e.currentTarget.checked)} label="Use it for whatever comes from this origin" />}
      </div>
    </div>
  );
}

/** One clue: whether it is used, what it decides, and its settings. */
function Setting({ lot, clue, files, moves, onChange }: {
  lot: Lot; clue: ClueSetting; files: number; moves?: { up: boolean; down: boolean; move: (by: number) => void }; onChange: (next: Partial<ClueSetting>) => void;
}) {
  const name = clueNames[clue.clue] ?? clue.clue;
  return (
    <div className="clue">
      <div className="spread clue-head">
        <Switch size="xs" checked={!clue.off} onChange={(e) => onChange({ off: !e.currentTarget.checked })} label={name} aria-label={`Use ${name}`} />
        <span className="quiet clip small" title={clueHelp[clue.clue]}>{clueHelp[clue.clue]}</span>
        {clue.clue === 'barcode-in-picture' && !clue.off && <LookInAll lot={lot} />}
        <strong className="push num" title="files that it decides">{count(files)}</strong>
        {moves && <ActionIcon size="sm" aria-label={`${clue.clue} further up`} disabled={!moves.up} onClick={() => moves.move(-1)}><IconArrowUp size={14} /></ActionIcon>}
        {moves && <ActionIcon size="sm" aria-label={`${clue.clue} further down`} disabled={!moves.down} onClick={() => moves.move(1)}><IconArrowDown size={14} /></ActionIcon>}
      </div>
      {clue.clue === 'pattern' && !clue.off && <Patterns value={clue} onChange={onChange} />}
      {clue.clue === 'attribute' && !clue.off && (
        <TextInput
          aria-label="Names of the attributes"
          placeholder="all whose values look like codes; or their names, separated by commas"
          value={(clue.attributes ?? []).join(', ')}
          onChange={(e) => onChange({ attributes: e.currentTarget.value.split(',').map((s) => s.trimStart()).filter(Boolean) })}
        />
      )}
    </div>
  );
}

/** Pictures of loose files are looked at by themselves; the others when somebody asks for it. */
function LookInAll({ lot }: { lot: Lot }) {
  const look = useMutation({
    ...lookAtLotMutation(), onError: (e) => tell('No picture is looked at', said(e), true),
    onSuccess: () => tell('Looking for barcodes', 'In every picture of the lot. It is read again when one is found.'),
  });
  return <Button size="compact-xs" style={{ flex: 'none' }} loading={look.isPending} onClick={() => look.mutate({ path: { id: lot.id } })}>Look in all pictures</Button>;
}

function Patterns({ value, onChange }: { value: ClueSetting; onChange: (next: Partial<ClueSetting>) => void }) {
  return (
    <div className="columns" style={{ gap: 6 }}>
      <Textarea aria-label="Patterns" autosize minRows={1} maxRows={6} classNames={{ input: 'mono' }} placeholder="^(?P<key>\d+)-(?P<place>\d+)" value={(value.patterns ?? []).join('\n')}
        onChange={(e) => onChange({ patterns: e.currentTarget.value.split('\n').filter((p) => p !== '') })} />
      <Checkbox size="xs" checked={value.onPath ?? false} onChange={(e) => onChange({ onPath: e.currentTarget.checked })} label="match the whole path, not the name without its extension" />
    </div>
  );
}

/** How one name is read with the list as it stands, kept or not. */
function Tester({ lot, list, start }: { lot: number; list: ClueList; start: string }) {
  const [path, setPath] = useState(start);
  const [asked] = useDebouncedValue({ list, path: path.trim() }, 150);
  const tried = useQuery({
    queryKey: [{ _id: 'tryName' }, lot, asked], enabled: asked.path !== '', placeholderData: keepPreviousData, retry: false, staleTime: 0,
    queryFn: async ({ signal }) => (await tryName({ path: { id: lot }, body: asked, signal, throwOnError: true })).data,
  });
  return (
    <section className="columns" style={{ gap: 6 }} aria-label="Try a name">
      <TextInput label="Try a name" classNames={{ input: 'mono' }} value={path} onChange={(e) => setPath(e.currentTarget.value)} />
      {tried.data && !tried.isError && asked.path !== '' && (
        <>
          <span className="spread wrap"><Verdict verdict={tried.data.verdict} />{tried.data.code && <span><span className="mono">{tried.data.code}</span>{tried.data.place > 0 && `, place ${tried.data.place}`}{tried.data.view && `, ${tried.data.view}`}</span>}<span className="quiet">{tried.data.reason}</span></span>
          <ReadingLine tight file={{ path: asked.path, spans: tried.data.spans, problem: '', place: tried.data.place }} against={tried.data.key ? { key: tried.data.key } : undefined} />
        </>
      )}
    </section>
  );
}

export function stepInWords(s: Step): string {
  switch (s.kind) {
    case 'drop-prefix': return `drop “${s.text ?? ''}” before a key`;
    case 'drop-suffix': return `drop “${s.text ?? ''}” behind a key`;
    case 'separator': return `take “${s.text ?? ''}” as a separator`;
    case 'pad': return `fill numbers up to ${s.width ?? 0} digits with zeros`;
    default: return `take “${s.text ?? ''}” as a code of ${s.sku ?? ''}`;
  }
}

function Learned({ steps, onChange }: { steps: Step[]; onChange: (steps: Step[]) => void }) {
  if (steps.length === 0) return null;
  return (
    <section className="sheet">
      <h2>Learned from corrections</h2>
      {steps.map((s, i) => <div key={stepInWords(s)} className="row" style={{ gridTemplateColumns: 'minmax(0, 1fr) auto' }}><span className="clip">{stepInWords(s)}</span><ActionIcon size="sm" aria-label={`Forget: ${stepInWords(s)}`} onClick={() => onChange(steps.filter((_, j) => j !== i))}><IconX size={14} /></ActionIcon></div>)}
    </section>
  );
}

const languages: [string, string][] = [['de', 'German'], ['fr', 'French'], ['es', 'Spanish'], ['it', 'Italian'], ['nl', 'Dutch']];

function Languages({ value, onChange }: { value: string[]; onChange: (value: string[]) => void }) {
  return (
    <div className="spread wrap" role="group" aria-label="Languages of view words" style={{ gap: 12 }}>
      <span className="quiet">View words in English and</span>
      {languages.map(([code, name]) => <Checkbox key={code} size="xs" label={name} checked={value.includes(code)} onChange={(e) => onChange(e.currentTarget.checked ? [...value, code] : value.filter((l) => l !== code))} />)}
    </div>
  );
}

const effects = { win: 'would be paired', lose: 'would no longer be', turn: 'would change' };

/** What the list as it stands would do to the lot. */
function Effect({ change, error, changed }: { change: CluesChange | undefined; error: unknown; changed: boolean }) {
  if (error) return <div className="note bad" role="alert">{said(error)}</div>;
  if (!change) return null;
  return (
    <section className="sheet" aria-live="polite">
      <h2>{count(change.paired)} of {count(change.files)} paired{changed && <span style={{ fontWeight: 400 }}>: <strong>{count(change.wins)}</strong> won, <strong>{count(change.loses)}</strong> lost, <strong>{count(change.turns)}</strong> turned</span>}</h2>
      {changed && change.examples.map((e) => (
        <div key={`${e.how} ${e.id}`} className="row" style={{ gridTemplateColumns: 'minmax(0, 1fr) 118px minmax(0, 1fr)', minHeight: 46 }}>
          <span className="mono clip" title={e.path}>{baseName(e.path)}</span><span className="quiet">{effects[e.how]}</span>
          <span style={{ minWidth: 0 }}><span className="mono clip" style={{ display: 'block' }}>{[e.was, e.code].filter(Boolean).join(' → ')}</span><span className="quiet clip" style={{ display: 'block', fontSize: 12 }} title={e.reason}>{e.reason}</span></span>
        </div>
      ))}
      {changed && change.examples.length === 0 && <div className="quiet" style={{ padding: '8px 12px' }}>The same files would be paired with the same products.</div>}
    </section>
  );
}
