import { Button, Modal, TextInput } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import {
  addDropPersonMutation,
  getDropFolderOptions,
  getDropFolderQueryKey,
  removeDropPersonMutation,
  takeDroppedMutation,
} from '../client/@tanstack/react-query.gen';
import { bytes, count, said, some, when } from '../shared/format';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';
import css from './DropFolder.module.css';

/** The folder that people mount: who may, and what waits of each. */
export function DropFolder() {
  const folder = useQuery({ ...getDropFolderOptions(), refetchInterval: 5000 });
  const client = useQueryClient();
  const navigate = useNavigate();
  const [adding, setAdding] = useState(false);
  const again = () => void client.invalidateQueries({ queryKey: getDropFolderQueryKey() });
  const take = useMutation({
    ...takeDroppedMutation(),
    onSuccess: (lot) => navigate(`/lots/${lot.id}`),
    onError: (e) => tell('No lot was made', said(e), true),
  });
  const remove = useMutation({
    ...removeDropPersonMutation(),
    onSuccess: again,
    onError: (e) => tell('Nothing changed', said(e), true),
  });
  if (folder.error)
    return (
      <section className="sheet">
        <h2>Drop folder</h2>
        <Failed error={folder.error} again={() => void folder.refetch()} />
      </section>
    );
  if (!folder.data?.address) return null;
  const { address, people, quietSeconds } = folder.data;
  return (
    <section className="sheet">
      <h2 className="spread">
        Drop folder
        <span className="mono plain">{address}</span>
        <Button className="push" onClick={() => setAdding(true)}>
          Add a person
        </Button>
      </h2>
      {people.length === 0 && (
        <div className="quiet padded-more">
          File managers mount this address by WebDAV. Each person gets a folder of their own; what they drop
          becomes a lot when nothing has changed for {some(quietSeconds, 'second')}.
        </div>
      )}
      {people.map((p) => (
        <div key={p.name} className={`row ${css.line}`}>
          <span className="clip">{p.name}</span>
          <span className={p.files ? 'num' : 'num faint'}>{p.files ? some(p.files, 'file') : 'nothing'}</span>
          <span className="num quiet">{p.files ? bytes(p.bytes) : ''}</span>
          <span className="num quiet">{p.files ? `since ${when(p.changed)}` : ''}</span>
          <span className="spread to-end">
            {p.files > 0 && (
              <Button
                size="compact-xs"
                loading={take.isPending}
                onClick={() => take.mutate({ path: { name: p.name } })}
                aria-label={`Make a lot of ${count(p.files)} files of ${p.name}`}
              >
                Make a lot now
              </Button>
            )}
            <Button
              size="compact-xs"
              loading={remove.isPending}
              onClick={() => remove.mutate({ path: { name: p.name } })}
              aria-label={`Remove ${p.name}`}
            >
              Remove
            </Button>
          </span>
        </div>
      ))}
      <AddPerson
        open={adding}
        address={address}
        onClose={() => {
          setAdding(false);
          again();
        }}
      />
    </section>
  );
}

function AddPerson({ open, address, onClose }: { open: boolean; address: string; onClose: () => void }) {
  return (
    <Modal opened={open} onClose={onClose} title="Add a person to the drop folder">
      {open && <Person address={address} onClose={onClose} />}
    </Modal>
  );
}

function Person({ address, onClose }: { address: string; onClose: () => void }) {
  const [name, setName] = useState('');
  const add = useMutation(addDropPersonMutation());
  if (add.data) {
    return (
      <div className="columns">
        <span>
          {add.data.name} mounts the drop folder with these. The password is shown this once; nobody can look
          it up later.
        </span>
        <dl className="facts unpadded">
          <div>
            <dt>address</dt>
            <dd className="mono">{address}</dd>
          </div>
          <div>
            <dt>name</dt>
            <dd className="mono">{add.data.name}</dd>
          </div>
          <div>
            <dt>password</dt>
            <dd className="mono">{add.data.password}</dd>
          </div>
        </dl>
        <div>
          <Button variant="filled" onClick={onClose}>
            I have noted it
          </Button>
        </div>
      </div>
    );
  }
  return (
    <form
      className="columns"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate({ body: { name } });
      }}
    >
      <TextInput
        label="Name"
        required
        value={name}
        onChange={(e) => setName(e.currentTarget.value)}
        data-autofocus
      />
      {add.error && (
        <div className="note bad" role="alert">
          {said(add.error)}
        </div>
      )}
      <div className="spread">
        <Button type="submit" variant="filled" loading={add.isPending}>
          Add
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </form>
  );
}
