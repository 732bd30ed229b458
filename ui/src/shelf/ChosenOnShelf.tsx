import { Button } from '@mantine/core';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Shelved } from '../client';
import { Spread } from '../catalog/Spread';
import type { Chosen } from '../shared/chosen';
import { count, some } from '../shared/format';
import { useShelf } from './changing';
import { MoveDialog, WordsDialog } from './ShelfDialogs';

/** What can be done with the pictures of the shelf that are chosen. */
export function ChosenOnShelf({ chosen, total }: { chosen: Chosen<Shelved>; total: number }) {
  const [open, setOpen] = useState<'' | 'move' | 'words' | 'categories'>('');
  const shelf = useShelf();
  const navigate = useNavigate();
  const items = chosen.items;
  const one = items.length === 1 ? items[0] : undefined;
  if (items.length === 0) return null;
  const close = () => {
    setOpen('');
    chosen.clear();
  };
  return (
    <div className="chosenbar chosen-products" role="group" aria-label="Chosen on the shelf">
      <strong>{some(items.length, 'picture')} chosen</strong>
      {one && (
        <>
          <Button variant="filled" onClick={() => void navigate(`/catalog?put=${one.id}`)}>
            Put on products…
          </Button>
          <Button onClick={() => setOpen('categories')}>Put on categories…</Button>
        </>
      )}
      <Button onClick={() => setOpen('move')}>Move…</Button>
      <Button onClick={() => setOpen('words')}>Words…</Button>
      <Button
        loading={shelf.busy}
        title="They are judged like all other files again"
        onClick={() =>
          shelf.act({ files: items.map((i) => i.id), off: true }, 'taken off the shelf', chosen.clear)
        }
      >
        Take off
      </Button>
      {total > items.length && <Button onClick={chosen.all}>Choose all {count(total)}</Button>}
      <Button className="push" onClick={chosen.clear}>
        Choose none
      </Button>
      {open === 'move' && <MoveDialog items={items} onClose={close} />}
      {open === 'words' && <WordsDialog items={items} onClose={close} />}
      {open === 'categories' && one && (
        <Spread
          picture={{ file: one.id, sum: one.sum, path: one.path, alt: '' }}
          onClose={() => setOpen('')}
        />
      )}
    </div>
  );
}
