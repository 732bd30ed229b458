import { Button, SegmentedControl, Switch, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { listCategoriesOptions, listShelfOptions } from '../client/@tanstack/react-query.gen';
import { baseName } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Categories } from './Categories';
import { NewVariant } from './NewVariant';
import { Products, type Wanted } from './Products';
import { TakeOut } from './TakeOut';

/** Says what products are chosen for, where a picture of the shelf is to be put on them. */
function ToPut({ put, onLeave }: { put: number; onLeave: () => void }) {
  const shelf = useQuery({ ...listShelfOptions({ query: { files: [put] } }), enabled: put > 0 });
  const picture = shelf.data?.items[0];
  if (put === 0 || !picture) return null;
  return (
    <div className="note spread" role="status">
      <Picture sum={picture.sum} className="tiny" />
      <span>
        Choose the products that <span className="mono">{baseName(picture.path)}</span> goes on; then put it
        on them below, as a plan to look at.
      </span>
      <Button className="push" size="compact-xs" onClick={onLeave}>
        Not now
      </Button>
    </div>
  );
}

/** The catalog: the tree of categories, and the products of one of them as grid or table. */
export function Catalog() {
  const [search, setSearch] = useSearchParams();
  const [text, setText] = useState(search.get('q') ?? '');
  const [q] = useDebouncedValue(text.trim(), 120);
  const [out, setOut] = useState(false);
  const [making, setMaking] = useState(false);
  const wanted: Wanted = {
    q,
    category: search.get('category') ?? '',
    noPicture: search.get('noPicture') === '1',
  };
  const table = search.get('as') === 'table';
  const categories = useQuery({
    ...listCategoriesOptions({ query: { path: wanted.category } }),
    enabled: wanted.category !== '',
  });
  const category = wanted.category ? categories.data?.items[0] : undefined;
  const set = (name: string, value: string) =>
    setSearch(
      (now) => {
        if (value) now.set(name, value);
        else now.delete(name);
        return now;
      },
      { replace: true },
    );
  return (
    <>
      <div className="head wrap">
        <TextInput
          value={text}
          onChange={(e) => setText(e.currentTarget.value)}
          placeholder="Part of a SKU, code, title or GTIN"
          aria-label="Part of a SKU, code, title or GTIN"
          w={260}
        />
        <Switch
          size="xs"
          checked={wanted.noPicture}
          onChange={(e) => set('noPicture', e.currentTarget.checked ? '1' : '')}
          label="Only without a picture"
        />
        <div className="spread push">
          {category && (
            <Button component={Link} to={`/categories/${category.id}`}>
              Category’s page
            </Button>
          )}
          <SegmentedControl
            value={table ? 'table' : 'grid'}
            onChange={(v) => set('as', v === 'table' ? 'table' : '')}
            aria-label="Shown as"
            data={[
              { value: 'grid', label: 'Grid' },
              { value: 'table', label: 'Table' },
            ]}
          />
          <Button component={Link} to="/shelf">
            Shelf
          </Button>
          <Button onClick={() => setOut(true)}>Take out…</Button>
          <Button onClick={() => setMaking(true)}>New product…</Button>
          <Button component={Link} to="/sheets">
            Bring in products
          </Button>
        </div>
      </div>
      <ToPut put={Number(search.get('put')) || 0} onLeave={() => set('put', '')} />
      <div className="catalog">
        <Categories chosen={wanted.category} onChoose={(path) => set('category', path)} />
        <Products key={`${JSON.stringify(wanted)}|${table}`} wanted={wanted} table={table} />
      </div>
      {making && <NewVariant onClose={() => setMaking(false)} />}
      {out && <TakeOut wanted={wanted} onClose={() => setOut(false)} />}
    </>
  );
}
