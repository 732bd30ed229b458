import { Autocomplete, Button, Modal, TagsInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { listShelfOptions } from '../client/@tanstack/react-query.gen';
import { some } from '../shared/format';
import { useShelf } from './changing';

/** Puts files on the shelf: into a folder, with words by which they are found. */
export function SaveForLater({
  files,
  onClose,
  onDone,
}: {
  files: number[];
  onClose: () => void;
  onDone?: () => void;
}) {
  const [folder, setFolder] = useState('');
  const [typed, setTyped] = useState(nothingTyped);
  const shelf = useShelf();
  return (
    <Modal opened onClose={onClose} title={`Save ${some(files.length, 'file')} for later`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          shelf.act({ files, folder, add: wordsOf(typed) }, 'saved for later', () => {
            onDone?.();
            onClose();
          });
        }}
      >
        <span className="quiet">
          On the shelf they are needed, so nothing cleans them away, and they wait on no bench any more.
        </span>
        <FolderField value={folder} onChange={setFolder} autoFocus />
        <WordsField value={typed} onChange={setTyped} />
        <Button type="submit" variant="filled" loading={shelf.busy}>
          Save for later
        </Button>
      </form>
    </Modal>
  );
}

/** Chooses a folder of the shelf, or names a new one. */
export function FolderField({
  value,
  onChange,
  autoFocus,
}: {
  value: string;
  onChange: (folder: string) => void;
  autoFocus?: boolean;
}) {
  const shelf = useQuery(listShelfOptions({ query: { limit: 1 } }));
  return (
    <Autocomplete
      data-autofocus={autoFocus}
      label="Folder"
      description="A new name makes a new one; a slash puts it into another."
      placeholder="Labels/Care"
      maxLength={700}
      limit={30}
      data={(shelf.data?.folders ?? []).map((f) => f.folder).filter(Boolean)}
      value={value}
      onChange={onChange}
    />
  );
}

/** Words as they are typed: what is not entered yet counts, too. */
export interface Typed {
  words: string[];
  typing: string;
}

export const nothingTyped: Typed = { words: [], typing: '' };

export const wordsOf = ({ words, typing }: Typed) => [...words, typing.trim()].filter(Boolean);

/** Takes words or phrases, each behind a comma or Enter. */
export function WordsField({ value, onChange }: { value: Typed; onChange: (to: Typed) => void }) {
  return (
    <TagsInput
      label="Words"
      description="The search finds them by these, by the folder and by the name."
      placeholder={value.words.length === 0 ? 'size chart, EU' : ''}
      maxTags={30}
      value={value.words}
      onChange={(words) => onChange({ words, typing: '' })}
      searchValue={value.typing}
      onSearchChange={(typing) => onChange({ ...value, typing })}
    />
  );
}
