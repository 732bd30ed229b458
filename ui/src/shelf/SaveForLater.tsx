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
  const [words, setWords] = useState<string[]>([]);
  const shelf = useShelf();
  return (
    <Modal opened onClose={onClose} title={`Save ${some(files.length, 'file')} for later`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          shelf.act({ files, folder, add: words }, 'saved for later', () => {
            onDone?.();
            onClose();
          });
        }}
      >
        <span className="quiet">
          On the shelf they are needed, so nothing cleans them away, and they wait on no bench any more.
        </span>
        <FolderField value={folder} onChange={setFolder} autoFocus />
        <WordsField value={words} onChange={setWords} />
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

/** Takes words or phrases, each behind a comma or Enter. */
export function WordsField({ value, onChange }: { value: string[]; onChange: (words: string[]) => void }) {
  return (
    <TagsInput
      label="Words"
      description="The search finds them by these, by the folder and by the name."
      placeholder={value.length === 0 ? 'size chart, EU' : ''}
      maxTags={30}
      value={value}
      onChange={onChange}
      acceptValueOnBlur
    />
  );
}
