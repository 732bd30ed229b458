import { ActionIcon, Button, Checkbox, Switch, Textarea, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { IconArrowDown, IconArrowUp, IconX } from '@tabler/icons-react';
import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { ClueList, ClueSetting, Lot, Step } from '../client';
import { tryName } from '../client';
import { lookAtLotMutation } from '../client/@tanstack/react-query.gen';
import { count, said } from '../shared/format';
import { tell } from '../shared/tell';
import { Verdict } from '../shared/Verdict';
import { ReadingLine } from './ReadingLine';
import { clueHelp, clueNames } from './words';
import css from './Clues.module.css';
/** One clue: whether it is used, what it decides, and its settings. */
export function Setting({
  lot,
  clue,
  files,
  moves,
  onChange,
}: {
  lot: Lot;
  clue: ClueSetting;
  files: number | undefined;
  moves?: { up: boolean; down: boolean; move: (by: number) => void };
  onChange: (next: Partial<ClueSetting>) => void;
}) {
  const name = clueNames[clue.clue] ?? clue.clue;
  return (
    <div className="clue">
      <div className="spread clue-head">
        <Switch
          size="xs"
          checked={!clue.off}
          onChange={(e) => onChange({ off: !e.currentTarget.checked })}
          label={name}
          aria-label={`Use ${name}`}
        />
        <span className="quiet clip small" title={clueHelp[clue.clue]}>
          {clueHelp[clue.clue]}
        </span>
        {clue.clue === 'barcode-in-picture' && !clue.off && <LookInAll lot={lot} />}
        <strong className="push num" title="files that it decides">
          {files === undefined ? '…' : count(files)}
        </strong>
        {moves && (
          <ActionIcon
            size="sm"
            aria-label={`${clue.clue} further up`}
            disabled={!moves.up}
            onClick={() => moves.move(-1)}
          >
            <IconArrowUp size={14} />
          </ActionIcon>
        )}
        {moves && (
          <ActionIcon
            size="sm"
            aria-label={`${clue.clue} further down`}
            disabled={!moves.down}
            onClick={() => moves.move(1)}
          >
            <IconArrowDown size={14} />
          </ActionIcon>
        )}
      </div>
      {clue.clue === 'pattern' && !clue.off && <Patterns value={clue} onChange={onChange} />}
      {clue.clue === 'attribute' && !clue.off && (
        <TextInput
          aria-label="Names of the attributes"
          placeholder="all whose values look like codes; or their names, separated by commas"
          value={(clue.attributes ?? []).join(', ')}
          onChange={(e) =>
            onChange({
              attributes: e.currentTarget.value
                .split(',')
                .map((s) => s.trimStart())
                .filter(Boolean),
            })
          }
        />
      )}
    </div>
  );
}

/** Pictures of loose files are looked at by themselves; the others when somebody asks for it. */
export function LookInAll({ lot }: { lot: Lot }) {
  const look = useMutation({
    ...lookAtLotMutation(),
    onError: (e) => tell('No picture is looked at', said(e), true),
    onSuccess: () =>
      tell('Looking for barcodes', 'In every picture of the lot. It is read again when one is found.'),
  });
  return (
    <Button
      size="compact-xs"
      className="fixed"
      loading={look.isPending}
      onClick={() => look.mutate({ path: { id: lot.id } })}
    >
      Look in all pictures
    </Button>
  );
}

export function Patterns({
  value,
  onChange,
}: {
  value: ClueSetting;
  onChange: (next: Partial<ClueSetting>) => void;
}) {
  return (
    <div className="columns tight">
      <Textarea
        aria-label="Patterns"
        autosize
        minRows={1}
        maxRows={6}
        classNames={{ input: 'mono' }}
        placeholder="^(?P<key>\d+)-(?P<place>\d+)"
        value={(value.patterns ?? []).join('\n')}
        onChange={(e) => onChange({ patterns: e.currentTarget.value.split('\n').filter((p) => p !== '') })}
      />
      <Checkbox
        size="xs"
        checked={value.onPath ?? false}
        onChange={(e) => onChange({ onPath: e.currentTarget.checked })}
        label="match the whole path, not the name without its extension"
      />
    </div>
  );
}

/** How one name is read with the list as it stands, kept or not. */
export function Tester({ lot, list, start }: { lot: number; list: ClueList; start: string }) {
  const [path, setPath] = useState(start);
  const [asked] = useDebouncedValue({ list, path: path.trim() }, 150);
  const tried = useQuery({
    queryKey: [{ _id: 'tryName' }, lot, asked],
    enabled: asked.path !== '',
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 0,
    queryFn: async ({ signal }) =>
      (await tryName({ path: { id: lot }, body: asked, signal, throwOnError: true })).data,
  });
  return (
    <section className="columns tight" aria-label="Try a name">
      <TextInput
        label="Try a name"
        classNames={{ input: 'mono' }}
        value={path}
        onChange={(e) => setPath(e.currentTarget.value)}
      />
      {tried.data && !tried.isError && asked.path !== '' && (
        <>
          <span className="spread wrap">
            <Verdict verdict={tried.data.verdict} />
            {tried.data.code && (
              <span>
                <span className="mono">{tried.data.code}</span>
                {tried.data.place > 0 && `, place ${tried.data.place}`}
                {tried.data.view && `, ${tried.data.view}`}
              </span>
            )}
            <span className="quiet">{tried.data.reason}</span>
          </span>
          <ReadingLine
            tight
            file={{ ...tried.data, path: asked.path, problem: '' }}
            against={tried.data.key ? { key: tried.data.key } : undefined}
          />
        </>
      )}
    </section>
  );
}

export function stepInWords(s: Step): string {
  switch (s.kind) {
    case 'drop-prefix':
      return `drop “${s.text ?? ''}” before a key`;
    case 'drop-suffix':
      return `drop “${s.text ?? ''}” behind a key`;
    case 'separator':
      return `take “${s.text ?? ''}” as a separator`;
    case 'pad':
      return `fill numbers up to ${s.width ?? 0} digits with zeros`;
    default:
      return `take “${s.text ?? ''}” as a code of ${s.sku ?? ''}`;
  }
}

export function Learned({ steps, onChange }: { steps: Step[]; onChange: (steps: Step[]) => void }) {
  if (steps.length === 0) return null;
  return (
    <section className="sheet">
      <h2>Learned from corrections</h2>
      {steps.map((s, i) => (
        <div key={stepInWords(s)} className={`row ${css.clueLine}`}>
          <span className="clip">{stepInWords(s)}</span>
          <ActionIcon
            size="sm"
            aria-label={`Forget: ${stepInWords(s)}`}
            onClick={() => onChange(steps.filter((_, j) => j !== i))}
          >
            <IconX size={14} />
          </ActionIcon>
        </div>
      ))}
    </section>
  );
}

export const languages: [string, string][] = [
  ['de', 'German'],
  ['fr', 'French'],
  ['es', 'Spanish'],
  ['it', 'Italian'],
  ['nl', 'Dutch'],
  ['pl', 'Polish'],
  ['tr', 'Turkish'],
  ['pt', 'Portuguese'],
  ['sv', 'Swedish'],
  ['da', 'Danish'],
  ['cs', 'Czech'],
  ['ja', 'Japanese'],
];

export function Languages({ value, onChange }: { value: string[]; onChange: (value: string[]) => void }) {
  return (
    <div className="spread wrap loose" role="group" aria-label="Languages that names are in">
      <span className="quiet">Words in English and</span>
      {languages.map(([code, name]) => (
        <Checkbox
          key={code}
          size="xs"
          label={name}
          checked={value.includes(code)}
          onChange={(e) =>
            onChange(e.currentTarget.checked ? [...value, code] : value.filter((l) => l !== code))
          }
        />
      ))}
    </div>
  );
}
