import { Spotlight, spotlight } from '@mantine/spotlight';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { searchOptions } from '../client/@tanstack/react-query.gen';
import type { Found } from '../client';
import { baseName } from './format';
import { Picture } from './Picture';
import css from './Search.module.css';

export const openSearch = () => spotlight.open();

const groups: { kind: Found['kind']; name: string }[] = [
  { kind: 'variant', name: 'Variants by SKU and GTIN' },
  { kind: 'product', name: 'Products' },
  { kind: 'category', name: 'Categories' },
  { kind: 'shelf', name: 'On the shelf' },
  { kind: 'file', name: 'Files' },
];

/** Where what was found is opened. */
function addressOf(f: Found): string {
  switch (f.kind) {
    case 'file':
      return `/pair/${f.lot}?file=${f.id}`;
    case 'shelf':
      return `/shelf?q=${encodeURIComponent(baseName(f.code))}`;
    case 'category':
      return `/categories/${f.id}`;
    default:
      return `/products/${f.id}`;
  }
}

/** Search over products, SKUs, categories and files, from anywhere. */
export function Search() {
  const [text, setText] = useState('');
  const [asked] = useDebouncedValue(text.trim(), 80);
  const navigate = useNavigate();
  const answer = useQuery({
    ...searchOptions({ query: { q: asked, limit: 8 } }),
    enabled: asked !== '',
    placeholderData: keepPreviousData,
  });
  const found = asked === '' ? [] : (answer.data?.items ?? []);
  const open = (f: Found) => {
    spotlight.close();
    void navigate(addressOf(f));
  };
  return (
    <Spotlight.Root
      query={text}
      onQueryChange={setText}
      shortcut="mod + K"
      scrollable
      maxHeight={460}
      clearQueryOnClose
    >
      <Spotlight.Search
        placeholder="A part of a SKU, title, GTIN, category or file name"
        leftSection={null}
      />
      <Spotlight.ActionsList>
        {groups.map((group) => {
          const items = found.filter((f) => f.kind === group.kind);
          return (
            items.length > 0 && (
              <Spotlight.ActionsGroup key={group.kind} label={group.name}>
                {items.map((f) => (
                  <Spotlight.Action key={`${f.kind}${f.id}-${f.variant ?? 0}`} onClick={() => open(f)}>
                    <div className="spread wide">
                      <div className={`fill ${css.lead}`}>
                        <Picture sum={f.sum} none="–" />
                      </div>
                      <span className="mono clip yielding">{f.code}</span>
                      <span className="quiet clip">{f.title}</span>
                    </div>
                  </Spotlight.Action>
                ))}
              </Spotlight.ActionsGroup>
            )
          );
        })}
        {asked !== '' && !answer.isFetching && found.length === 0 && (
          <Spotlight.Empty>Nothing is named “{asked}”. A part of the SKU is enough.</Spotlight.Empty>
        )}
      </Spotlight.ActionsList>
    </Spotlight.Root>
  );
}
