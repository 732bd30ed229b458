import { Button, Modal, MultiSelect, NativeSelect } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Choices, SheetPage } from '../client';
import { listLotsOptions, mapSheetMutation } from '../client/@tanstack/react-query.gen';
import { type Way, ways as placing } from '../plan/ways';
import { said } from '../shared/format';
import { tell } from '../shared/tell';

const failed = (e: unknown) => tell('Not done', said(e), true);

const ways: {
  of: 'new' | 'known' | 'empty' | 'gone';
  label: string;
  data: { value: string; label: string }[];
}[] = [
  {
    of: 'new',
    label: 'New rows',
    data: [
      { value: 'make', label: 'Make them' },
      { value: 'skip', label: 'Leave them out' },
    ],
  },
  {
    of: 'known',
    label: 'Known rows',
    data: [
      { value: 'change', label: 'Change them' },
      { value: 'skip', label: 'Leave them as they are' },
    ],
  },
  {
    of: 'empty',
    label: 'Empty cells',
    data: [
      { value: 'leave', label: 'Leave what stands' },
      { value: 'clear', label: 'Clear it' },
    ],
  },
  {
    of: 'gone',
    label: 'Variants that it does not name',
    data: [
      { value: 'leave', label: 'Leave them' },
      { value: 'list', label: 'List those that an earlier such sheet named' },
      { value: 'list all', label: 'List all others of the catalog' },
    ],
  },
];

/** What the import shall do, chosen at one place. */
export function ChoicesMenu({ sheet }: { sheet: SheetPage }) {
  const [open, setOpen] = useState(false);
  const map = useMutation({ ...mapSheetMutation(), onError: failed });
  const set = (chosen: Partial<Choices>) =>
    map.mutate({
      path: { id: sheet.id },
      body: {
        revision: sheet.revision,
        mapping: sheet.mapping,
        choices: { ...sheet.choices, ...chosen },
      },
    });
  return (
    <>
      <Button onClick={() => setOpen(true)}>Choices…</Button>
      <Modal opened={open} onClose={() => setOpen(false)} title="What the import does">
        <div className="columns">
          {ways.map(({ of, label, data }) => (
            <NativeSelect
              key={of}
              label={label}
              data={data}
              value={sheet.choices[of]}
              onChange={(e) => set({ [of]: e.currentTarget.value })}
            />
          ))}
          {sheet.totals.pictures > 0 && (
            <NativeSelect
              label="Its pictures, among those that stand"
              data={placing.map(({ value, label, what }) => ({ value, label: `${label}: ${what}` }))}
              value={sheet.choices.pictures}
              onChange={(e) => set({ pictures: e.currentTarget.value as Way })}
            />
          )}
          {sheet.totals.pictures > 0 && (
            <LotsLookedIn chosen={sheet.choices.lots ?? []} onChoose={(lots) => set({ lots })} />
          )}
          <span className="quiet">
            The rows are judged again with each choice. An import never deletes anything.
          </span>
        </div>
      </Modal>
    </>
  );
}

/** In which lots the pictures are looked for that the sheet names by their files' names. */
function LotsLookedIn({ chosen, onChoose }: { chosen: number[]; onChoose: (lots: number[]) => void }) {
  const lots = useQuery(listLotsOptions({ query: { limit: 500 } }));
  const data = (lots.data?.items ?? []).map((lot) => ({
    value: String(lot.id),
    label: `${lot.name} (${lot.id})`,
  }));
  return (
    <MultiSelect
      label="Pictures by name are looked for in"
      placeholder={chosen.length === 0 ? 'all lots, those that came with the sheet first' : undefined}
      searchable
      clearable
      maxValues={100}
      limit={50}
      nothingFoundMessage="No lot is called so."
      data={data}
      value={chosen.map(String)}
      onChange={(values) => onChoose(values.map(Number))}
    />
  );
}
