import { Button, Modal, NativeSelect, TextInput } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import type { File, RightsChange } from '../client';
import { setRightsMutation } from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
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
  const save = () => {
    const { verdict, q, of, mark, type, shape } = filter;
    set.mutate({
      path: { id: lot },
      body: {
        ...input,
        ...(ends ? { expires: `${ends}T00:00:00Z` } : {}),
        ...(verdict ? { verdict } : {}),
        ...(q ? { q } : {}),
        ...(of ? { of } : {}),
        ...(mark ? { mark } : {}),
        ...(type ? { type } : {}),
        ...(shape ? { shape } : {}),
        ...(file ? { file: file.id } : {}),
      },
    });
  };
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
      {set.error && (
        <div className="note bad" role="alert">
          {said(set.error)}
        </div>
      )}
      <div className="spread">
        <Button type="submit" variant="filled" loading={set.isPending}>
          Change
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </form>
  );
}
