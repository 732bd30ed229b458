import { Button, Modal, NativeSelect, TextInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { File, GetRightsData, RightsChange, RightsHad } from '../client';
import { getRightsOptions, setRightsMutation } from '../client/@tanstack/react-query.gen';
import { count, some } from '../shared/format';
import { NotSaved } from '../shared/NotSaved';
import { tell } from '../shared/tell';

/** Marks a file that may not be handed on; why stands in its title. */
export function HeldBack({ file }: { file: File }) {
  if (!file.heldBack)
    return (
      <span className="clip quiet" title={[file.licence, file.credit].filter(Boolean).join(', ')}>
        cleared
      </span>
    );
  return (
    <span className="clip doubtful" title={`Not to be handed on: ${file.heldBack}`}>
      {file.rights === 'cleared' ? 'expired' : file.rights}
    </span>
  );
}

type Filter = {
  verdict?: string | undefined;
  q: string;
  of?: string | undefined;
  mark?: string | undefined;
  type?: string | undefined;
  shape?: 'square' | 'upright' | 'lying' | undefined;
};

interface Props {
  onClose: () => void;
  lot: number;
  filter: Filter;
  file?: File;
}

/** Gives rights to all files that a filter chooses, or to one. */
export function RightsForm({ open, ...rest }: Props & { open: boolean }) {
  return (
    <Modal
      opened={open}
      onClose={rest.onClose}
      title={rest.file ? 'Rights of this file' : 'Rights of these files'}
    >
      {open && <Fields {...rest} />}
    </Modal>
  );
}

/** How many files have which rights. */
const currentRights = (had: RightsHad) =>
  [
    had.cleared > 0 && `${count(had.cleared)} cleared`,
    had.restricted > 0 && `${count(had.restricted)} restricted`,
    had.unknown > 0 && `${count(had.unknown)} unknown`,
  ]
    .filter(Boolean)
    .join(', ') || 'no files';

type RightsQuery = NonNullable<GetRightsData['query']>;

function Fields({ onClose, lot, filter, file }: Props) {
  const [input, setInput] = useState<RightsChange>({
    rights: file?.rights ?? 'cleared',
    licence: file?.licence ?? '',
    credit: file?.credit || file?.stated.credit || '',
  });
  const [ends, setEnds] = useState(file?.expires?.slice(0, 10) ?? '');
  const set = useMutation({
    ...setRightsMutation(),
    onSuccess: (done) => {
      tell('Rights changed', some(done.files, 'file'), false);
      onClose();
    },
  });
  const chosen = [
    filter.verdict,
    filter.q && `named like “${filter.q}”`,
    filter.of && `that are ${filter.of}`,
    filter.mark && `marked ${filter.mark}`,
    filter.type,
    filter.shape,
  ]
    .filter(Boolean)
    .join(', ');
  const { verdict, q, of, mark, type, shape } = filter;
  const chosenBy = {
    ...(verdict ? { verdict } : {}),
    ...(q ? { q } : {}),
    ...(mark ? { mark } : {}),
    ...(type ? { type } : {}),
    ...(shape ? { shape } : {}),
    ...(file ? { file: file.id } : {}),
  };
  const seen = useQuery(
    getRightsOptions({
      path: { id: lot },
      query: { ...chosenBy, ...(of ? { rights: of } : {}) } as RightsQuery,
    }),
  );
  const had = seen.data;
  const save = () =>
    had &&
    set.mutate({
      path: { id: lot },
      body: {
        ...input,
        ...chosenBy,
        ...(of ? { of } : {}),
        ...(ends ? { expires: `${ends}T00:00:00Z` } : {}),
        stamp: had.stamp,
      },
    });
  return (
    <form
      className="columns"
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <span>
        {file ? (
          'For this file alone.'
        ) : chosen ? (
          <>For the files that are shown: {chosen}.</>
        ) : (
          'For all files of this lot.'
        )}{' '}
        What is not cleared can be paired and placed; it is marked as not to be handed on.
      </span>
      <NativeSelect
        label="Rights"
        value={input.rights}
        onChange={(e) => setInput({ ...input, rights: e.currentTarget.value as RightsChange['rights'] })}
        data={['cleared', 'restricted', 'unknown']}
      />
      <TextInput
        label="Licence"
        value={input.licence}
        onChange={(e) => setInput({ ...input, licence: e.currentTarget.value })}
      />
      <TextInput
        label="Credit"
        value={input.credit}
        onChange={(e) => setInput({ ...input, credit: e.currentTarget.value })}
      />
      <TextInput label="Ends on" type="date" value={ends} onChange={(e) => setEnds(e.currentTarget.value)} />
      <NotSaved
        error={set.error ?? seen.error}
        onReload={() => {
          set.reset();
          void seen.refetch();
        }}
      />
      {had && !file && <span className="quiet">Current rights: {currentRights(had)}.</span>}
      <div className="spread">
        <Button type="submit" variant="filled" disabled={!had?.files} loading={set.isPending}>
          {had && !file ? `Change rights of ${some(had.files, 'file')}` : 'Change rights'}
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </form>
  );
}
