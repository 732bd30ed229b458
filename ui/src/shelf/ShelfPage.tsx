import { Button, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { listShelfOptions } from '../client/@tanstack/react-query.gen';
import { SendingLine } from '../gather/Drop';
import { pickedFrom, send, shelfGate, watchUploads, type Picked, type Sending } from '../gather/uploads';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';
import { Folders } from './Folders';
import { OnShelf } from './OnShelf';

/** Pictures that are needed and stand on no product yet: folders, what is in them, and what can be done. */
export function ShelfPage() {
  const [search, setSearch] = useSearchParams();
  const [text, setText] = useState(search.get('q') ?? '');
  const [q] = useDebouncedValue(text.trim(), 120);
  const folder = search.get('folder') ?? '';
  const { take, sending } = useBringing(folder);
  const picker = useRef<HTMLInputElement>(null);
  const folders = useQuery(listShelfOptions({ query: { limit: 1 } })).data?.folders ?? [];
  const choose = (path: string) => setSearch(path === '' ? {} : { folder: path }, { replace: true });
  return (
    <>
      <div className="head wrap">
        <TextInput
          value={text}
          onChange={(e) => setText(e.currentTarget.value)}
          placeholder="Words, folder or a part of the name"
          aria-label="Words, folder or a part of the name"
          w={280}
        />
        <span className="quiet">Needed, and on no product yet. Nothing on the shelf is cleaned away.</span>
        <div className="spread push">
          <Button variant="filled" onClick={() => picker.current?.click()}>
            Bring in pictures{folder && ` to ${folder}`}…
          </Button>
          <Button component={Link} to="/catalog">
            Catalog
          </Button>
        </div>
        <input
          ref={picker}
          type="file"
          multiple
          hidden
          aria-label="Pictures for the shelf"
          onChange={(e) => {
            take([...(e.currentTarget.files ?? [])].map((file) => ({ file, path: file.name })));
            e.currentTarget.value = '';
          }}
        />
      </div>
      {sending.map((s) => (
        <SendingLine key={s.lot} sending={s} />
      ))}
      <section
        className="catalog"
        aria-label="Shelf"
        onDragOver={(e) => e.preventDefault()}
        onDrop={(e) => {
          e.preventDefault();
          void pickedFrom(e.dataTransfer).then(take);
        }}
      >
        <Folders folders={folders} chosen={folder} onChoose={choose} />
        <OnShelf key={`${folder}|${q}`} folder={folder} q={q} />
      </section>
    </>
  );
}

/** Takes files that are dropped on the shelf; they stand there when they were examined. */
function useBringing(folder: string) {
  const [sending, setSending] = useState<Sending[]>([]);
  useEffect(() => watchUploads(setSending), []);
  const take = (picked: Picked[]) => {
    if (picked.length === 0) return;
    send(`To the shelf${folder && `: ${folder}`}`, picked, shelfGate(folder))
      .then(() =>
        tell(`${some(picked.length, 'file')} arrived`, 'They stand on the shelf when they were examined.'),
      )
      .catch((e: unknown) => tell('They did not arrive', said(e), true));
  };
  return { take, sending };
}
