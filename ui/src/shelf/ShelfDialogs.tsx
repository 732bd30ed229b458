import { Button, Modal, TagsInput } from '@mantine/core';
import { useState } from 'react';
import type { Shelved } from '../client';
import { some } from '../shared/format';
import { useShelf } from './changing';
import { FolderField, nothingTyped, WordsField, wordsOf } from './SaveForLater';

interface Props {
  items: Shelved[];
  onClose: () => void;
}

/** Puts pictures of the shelf into another folder. */
export function MoveDialog({ items, onClose }: Props) {
  const [folder, setFolder] = useState(items[0]?.folder ?? '');
  const shelf = useShelf();
  return (
    <Modal opened onClose={onClose} title={`Move ${some(items.length, 'picture')}`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          shelf.act(
            { files: items.map((i) => i.id), folder },
            `moved to ${folder || 'the shelf itself'}`,
            onClose,
          );
        }}
      >
        <FolderField value={folder} onChange={setFolder} autoFocus />
        <Button type="submit" variant="filled" loading={shelf.busy}>
          Move
        </Button>
      </form>
    </Modal>
  );
}

/** Adds words to pictures of the shelf, or takes some away. */
export function WordsDialog({ items, onClose }: Props) {
  const [add, setAdd] = useState(nothingTyped);
  const [remove, setRemove] = useState<string[]>([]);
  const shelf = useShelf();
  const there = [...new Set(items.flatMap((i) => i.words))].toSorted((a, b) => a.localeCompare(b));
  return (
    <Modal opened onClose={onClose} title={`Words of ${some(items.length, 'picture')}`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          shelf.act(
            { files: items.map((i) => i.id), add: wordsOf(add), remove },
            'given other words',
            onClose,
          );
        }}
      >
        <WordsField value={add} onChange={setAdd} />
        {there.length > 0 && (
          <TagsInput
            label="Take away"
            description={`They have: ${there.slice(0, 12).join(', ')}${there.length > 12 ? ' …' : ''}`}
            data={there}
            value={remove}
            onChange={setRemove}
          />
        )}
        <Button
          type="submit"
          variant="filled"
          loading={shelf.busy}
          disabled={wordsOf(add).length + remove.length === 0}
        >
          Keep
        </Button>
      </form>
    </Modal>
  );
}
