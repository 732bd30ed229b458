import { Button, Modal, NativeSelect, TextInput } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import type { File, RightsChange } from '../client';
import { setRightsMutation } from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';

/** Marks a file that may not be handed on; why stands in its title. */
export function HeldBack({ file }: { file: File }) {
  if (!file.heldBack) return <span className="clip quiet" title={[file.licence, file.credit].filter(Boolean).join(', ')}>cleared</span>;
  return <span className="clip" style={{ color: 'var(--contested)' }} title={`Not to be handed on: ${file.heldBack}`}>{file.rights === 'cleared' ? 'expired' : file.rights}</span>;
}

type Filter = { verdict: string | undefined; q: string; of: string | undefined };

/** Gives rights to all files that a filter chooses. */
export function RightsForm({ open, onClose, lot, filter }: { open: boolean; onClose: () => void; lot: number; filter: Filter }) {
  return <Modal opened={open} onClose={onClose} title="Rights of these files">{open && <Fields onClose={onClose} lot={lot} filter={filter} />}</Modal>;
}

function Fields({ onClose, lot, filter }: { onClose: () => void; lot: number; filter: Filter }) {
  const [input, setInput] = useState<RightsChange>({ rights: 'cleared', licence: '', credit: '' });
  const [ends, setEnds] = useState('');
  const set = useMutation({ ...setRightsMutation(), onSuccess: (done) => { tell('Rights changed', some(done.files, 'file'), false); onClose(); } });
  const chosen = [filter.verdict, filter.q && `named like “${filter.q}”`, filter.of && `that are ${filter.of}`].filter(Boolean).join(', ');
  const save = () => {
    const { verdict, q, of } = filter;
    set.mutate({ path: { id: lot }, body: { ...input, ...(ends ? { expires: `${ends}T00:00:00Z` } : {}), ...(verdict ? { verdict } : {}), ...(q ? { q } : {}), ...(of ? { of } : {}) } });
  };
  return (
    <form className="columns" onSubmit={(e) => { e.preventDefault(); save(); }}>
      <span>{chosen ? <>For the files that are shown: {chosen}.</> : 'For all files of this lot.'} What is not cleared can be paired and placed; it is marked as not to be handed on.</span>
      <NativeSelect label="Rights" value={input.rights} onChange={(e) => setInput({ ...input, rights: e.currentTarget.value as RightsChange['rights'] })} data={['cleared', 'restricted', 'unknown']} />
      <TextInput label="Licence" value={input.licence} onChange={(e) => setInput({ ...input, licence: e.currentTarget.value })} />
      <TextInput label="Credit" value={input.credit} onChange={(e) => setInput({ ...input, credit: e.currentTarget.value })} />
      <TextInput label="Ends on" type="date" value={ends} onChange={(e) => setEnds(e.currentTarget.value)} />
      {set.error && <div className="note bad" role="alert">{said(set.error)}</div>}
      <div className="spread"><Button type="submit" variant="filled" loading={set.isPending}>Change</Button><Button onClick={onClose}>Leave it</Button></div>
    </form>
  );
}
