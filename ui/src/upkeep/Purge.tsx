import { Button, Checkbox, Modal, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { Holding } from '../client';
import { purgeMutation } from '../client/@tanstack/react-query.gen';
import { bytes, said, some } from '../shared/format';
import { tell } from '../shared/tell';

/** The word that is typed before files go. */
const word = 'purge';

interface Props {
  /** Those that go before their term; with none, those past it go. */
  holdings: Holding[];
  due: Holding[];
  onClose: () => void;
}

/** Has held files go: the one thing that cannot be taken back, and so a word is typed for it. */
export function Purge({ holdings, due, onClose }: Props) {
  const [typed, setTyped] = useState('');
  const [over, setOver] = useState('');
  const [much, setMuch] = useState(false);
  const client = useQueryClient();
  const of = holdings.length > 0 ? holdings : due;
  const files = of.reduce((n, h) => n + h.held, 0);
  const frees = of.reduce((n, h) => n + h.frees, 0);
  const purge = useMutation({
    ...purgeMutation(),
    onError: (e) => {
      const words = said(e);
      if (words.includes('percent')) return setOver(words);
      tell('Nothing is purged', words, true);
      void client.invalidateQueries();
      onClose();
    },
    onSuccess: () => {
      void client.invalidateQueries();
      onClose();
    },
  });
  return (
    <Modal opened onClose={onClose} title={`Purge ${some(files, 'file')}?`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          if (typed.trim() === word)
            purge.mutate({ body: { holdings: holdings.map((h) => h.id), files, much } });
        }}
      >
        <p className="flush">
          Each is asked about once more; what is needed by then stays. The others are gone for good, and{' '}
          {bytes(frees)} are free. A receipt says what went.
        </p>
        {over && (
          <Checkbox
            label={`${over} Do it all the same.`}
            checked={much}
            onChange={(e) => setMuch(e.currentTarget.checked)}
          />
        )}
        <TextInput
          data-autofocus
          label={`Type “${word}”`}
          value={typed}
          onChange={(e) => setTyped(e.currentTarget.value)}
        />
        <div className="spread">
          <Button
            type="submit"
            variant="filled"
            loading={purge.isPending}
            disabled={typed.trim() !== word || (over !== '' && !much)}
          >
            Purge {some(files, 'file')}
          </Button>
          <Button onClick={onClose}>Keep them held</Button>
        </div>
      </form>
    </Modal>
  );
}
