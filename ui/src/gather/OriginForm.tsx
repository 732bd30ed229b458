import { Button, Modal, NumberInput, SegmentedControl, Textarea, TextInput } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Origin, OriginInput } from '../client';
import {
  createOriginMutation,
  getOriginOptions,
  listOriginKindsOptions,
  updateOriginMutation,
} from '../client/@tanstack/react-query.gen';
import { some } from '../shared/format';
import { NotSaved } from '../shared/NotSaved';
import { Setting } from '../shared/Setting';
import { TermsFields, termsInWords } from './Terms';

const lines = (text: string) =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean);

/** What a person enters about an origin. It is tested before it is kept. */
export function OriginForm({
  open,
  onClose,
  origin,
}: {
  open: boolean;
  onClose: () => void;
  origin?: Origin;
}) {
  return (
    <Modal
      opened={open}
      onClose={onClose}
      title={origin ? `Change ${origin.name}` : 'Add an origin'}
      size={620}
    >
      {open && <Fields onClose={onClose} origin={origin} />}
    </Modal>
  );
}

/** What the form holds of an origin. */
const inputOf = (origin: Origin | undefined): OriginInput => ({
  kind: origin?.kind ?? 'webdav',
  name: origin?.name ?? '',
  settings: origin?.settings ?? {},
  folder: origin?.folder ?? '',
  selection: origin?.selection ?? {},
  everyMinutes: origin?.everyMinutes ?? 0,
  rights: origin?.rights ?? 'unknown',
  licence: origin?.licence ?? '',
  credit: origin?.credit ?? '',
  ...(origin?.expires ? { expires: origin.expires } : {}),
  ...(origin ? { version: origin.version } : {}),
});

function Fields({ onClose, origin }: { onClose: () => void; origin: Origin | undefined }) {
  const kinds = useQuery({ ...listOriginKindsOptions(), staleTime: Infinity }).data?.items ?? [];
  const navigate = useNavigate();
  const client = useQueryClient();
  const [input, setInput] = useState<OriginInput>(() => inputOf(origin));
  const set = (change: Partial<OriginInput>) => setInput((before) => ({ ...before, ...change }));
  const choose = (change: Partial<OriginInput['selection']>) =>
    set({ selection: { ...input.selection, ...change } });
  const create = useMutation({
    ...createOriginMutation(),
    onSuccess: (made) => {
      onClose();
      void navigate(`/origins/${made.id}`);
    },
  });
  const update = useMutation({ ...updateOriginMutation(), onSuccess: onClose });
  const working = create.isPending || update.isPending;
  const error = create.error ?? update.error;
  const kind = kinds.find((k) => k.name === input.kind);
  const drive = input.kind !== 'lookup';
  const reload = async () => {
    if (!origin) return;
    const now = await client.fetchQuery({
      ...getOriginOptions({ path: { id: origin.id } }),
      staleTime: 0,
    });
    update.reset();
    setInput(inputOf(now));
  };
  const save = () =>
    origin ? update.mutate({ path: { id: origin.id }, body: input }) : create.mutate({ body: input });
  return (
    <form
      className="columns"
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      {!origin && (
        <SegmentedControl
          aria-label="Kind"
          value={input.kind}
          onChange={(k) => set({ kind: k, settings: {} })}
          data={kinds.map((k) => ({ value: k.name, label: k.label }))}
        />
      )}
      <TextInput
        label="Name"
        required
        value={input.name}
        onChange={(e) => set({ name: e.currentTarget.value })}
        placeholder="the supplier’s name"
        data-autofocus
      />
      {kind?.fields.map((field) => (
        <Setting
          key={field.name}
          field={field}
          kept={origin !== undefined}
          value={input.settings[field.name] ?? ''}
          onChange={(value) => set({ settings: { ...input.settings, [field.name]: value } })}
        />
      ))}
      {drive && (
        <TextInput
          label="Folder to take"
          value={input.folder}
          onChange={(e) => set({ folder: e.currentTarget.value })}
          placeholder="everything"
        />
      )}
      {drive && <Choosing selection={input.selection} choose={choose} />}
      <details
        className="rarely"
        open={origin !== undefined && (input.everyMinutes > 0 || input.rights !== 'unknown')}
      >
        <summary>
          When it is fetched, and rights of its files <span className="quiet">{termsInWords(input)}</span>
        </summary>
        <div className="columns two">
          <TermsFields value={input} onChange={set} />
        </div>
      </details>
      <div className="formfoot">
        <NotSaved error={error} onReload={() => void reload()} />
        <div className="spread">
          <Button type="submit" variant="filled" loading={working}>
            {origin ? 'Test and save' : 'Test and add'}
          </Button>
          <Button onClick={onClose}>Cancel</Button>
          {working && (
            <span className="quiet">
              asking {input.settings['address'] ?? input.settings['host'] ?? 'the drive'}…
            </span>
          )}
        </div>
      </div>
    </form>
  );
}

type Selection = OriginInput['selection'];

/** Which of a drive's files are taken; rarely other than all. */
function Choosing({
  selection,
  choose,
}: {
  selection: Selection;
  choose: (change: Partial<Selection>) => void;
}) {
  const limits = [
    (selection.include ?? []).length > 0,
    (selection.exclude ?? []).length > 0,
    (selection.minBytes ?? 0) > 0,
    (selection.days ?? 0) > 0,
  ].filter(Boolean).length;
  return (
    <details className="rarely" open={limits > 0}>
      <summary>
        Only some of its files{' '}
        <span className="quiet">{limits === 0 ? 'all are taken' : some(limits, 'limit')}</span>
      </summary>
      <div className="columns two">
        <Patterns
          label="Only files like"
          hint="a pattern a line: *.jpg, spring/**"
          value={selection.include ?? []}
          onChange={(include) => choose({ include })}
        />
        <Patterns
          label="Leave out"
          hint="a pattern a line: **/raw/**"
          value={selection.exclude ?? []}
          onChange={(exclude) => choose({ exclude })}
        />
        <NumberInput
          label="At least, kB"
          min={0}
          value={(selection.minBytes ?? 0) / 1000}
          onChange={(n) => choose({ minBytes: Math.round(Number(n) * 1000) })}
        />
        <NumberInput
          label="Changed within, days"
          min={0}
          value={selection.days ?? 0}
          onChange={(n) => choose({ days: Math.round(Number(n)) })}
        />
      </div>
    </details>
  );
}

function Patterns({
  label,
  hint,
  value,
  onChange,
}: {
  label: string;
  hint: string;
  value: string[];
  onChange: (value: string[]) => void;
}) {
  return (
    <Textarea
      label={label}
      description={hint}
      autosize
      minRows={1}
      maxRows={4}
      value={value.join('\n')}
      onChange={(e) => onChange(e.currentTarget.value.split('\n'))}
      onBlur={(e) => onChange(lines(e.currentTarget.value))}
    />
  );
}
