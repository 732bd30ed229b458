import { Button, Modal, TextInput } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { setAsideMutation, takeBackDecisionMutation } from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';
import { type Query, useless } from './query';
/** Sets aside what is shown; what was decided before can be brought back at once. */
export function AsideForm({
  open,
  onClose,
  lot,
  query,
  total,
}: {
  open: boolean;
  onClose: () => void;
  lot: number;
  query: Query;
  total: number;
}) {
  const [reason, setReason] = useState('');
  const back = useMutation({
    ...takeBackDecisionMutation(),
    onSuccess: (done) =>
      tell(
        'Brought back',
        some(done.files.length, 'file') +
          (done.stayed > 0
            ? `; ${some(done.stayed, 'file')} stayed, since somebody decided on it in between`
            : ''),
      ),
    onError: (e) => tell('Nothing is brought back', said(e), true),
  });
  const set = useMutation({
    ...setAsideMutation(),
    onError: (e) => tell('Nothing is set aside', said(e), true),
    onSuccess: (done) => {
      onClose();
      notifications.show({
        title: 'Set aside',
        autoClose: 30_000,
        withBorder: true,
        color: 'dark',
        message: (
          <span className="spread">
            {some(done.files.length, 'file')}
            <Button size="compact-xs" onClick={() => back.mutate({ path: { id: done.id } })}>
              Bring back
            </Button>
          </span>
        ),
      });
    },
  });
  const { verdict, q, rights, mark, type, shape } = query;
  const chosen = useless({ verdict, q, rights, mark, type, shape });
  return (
    <Modal opened={open} onClose={onClose} title={`Set aside ${some(total, 'file')}?`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          set.mutate({ path: { id: lot }, query: chosen, body: { reason: reason || 'set aside together' } });
        }}
      >
        <span>
          All files that are shown{chosen.mark ? ` (marked ${chosen.mark})` : ''} are set aside; unusable ones
          stay as they are. Nothing is deleted, and it can be undone.
        </span>
        <TextInput
          label="Reason"
          value={reason}
          onChange={(e) => setReason(e.currentTarget.value)}
          placeholder={chosen.mark ?? 'not needed'}
          data-autofocus
        />
        <div className="spread">
          <Button type="submit" variant="filled" loading={set.isPending}>
            Set aside
          </Button>
          <Button onClick={onClose}>Leave it</Button>
        </div>
      </form>
    </Modal>
  );
}
