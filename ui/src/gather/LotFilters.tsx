import { Button, NativeSelect, TextInput } from '@mantine/core';
import type { ReactNode } from 'react';
import type { MarkCounts } from '../client';
import { count } from '../shared/format';
import css from './LotPage.module.css';
import { marks, sorts, type Query } from './query';

/** Which of a lot's files are shown, and in which order. */
export type Filter = Pick<Query, 'verdict' | 'rights' | 'mark' | 'type' | 'shape' | 'sort' | 'down'>;

/** What a lot's files are chosen by, with how many of each there are. */
export function LotFilters({
  filter,
  set,
  text,
  setText,
  counts,
  children,
}: {
  filter: Filter;
  set: (change: Filter) => void;
  text: string;
  setText: (text: string) => void;
  counts: MarkCounts | undefined;
  children: ReactNode;
}) {
  const ofMark = counts?.marks ?? {};
  return (
    <div className={`spread wrap ${css.marks}`}>
      <TextInput
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
        placeholder="Part of a file name"
        aria-label="Part of a file name"
        w={170}
      />
      <NativeSelect
        value={filter.mark ?? ''}
        onChange={(e) => set({ mark: (e.currentTarget.value || undefined) as Query['mark'] })}
        data={[
          { value: '', label: 'any mark' },
          ...marks.map((m) => ({ value: m, label: `${m} ${count(ofMark[m] ?? 0)}`, disabled: !ofMark[m] })),
        ]}
        aria-label="Mark"
        w={136}
      />
      <NativeSelect
        value={filter.type ?? ''}
        onChange={(e) => set({ type: e.currentTarget.value || undefined })}
        data={[
          { value: '', label: 'any type' },
          ...Object.entries(counts?.types ?? {}).map(([t, n]) => ({ value: t, label: `${t} ${count(n)}` })),
        ]}
        aria-label="Type"
        w={130}
      />
      <NativeSelect
        value={filter.shape ?? ''}
        onChange={(e) => set({ shape: (e.currentTarget.value || undefined) as Query['shape'] })}
        data={[{ value: '', label: 'any shape' }, 'square', 'upright', 'lying']}
        aria-label="Shape"
        w={100}
      />
      <NativeSelect
        value={filter.rights ?? ''}
        onChange={(e) => set({ rights: (e.currentTarget.value || undefined) as Query['rights'] })}
        data={[{ value: '', label: 'any rights' }, 'cleared', 'restricted', 'unknown']}
        aria-label="Rights"
        w={104}
      />
      <NativeSelect
        value={filter.sort ?? 'arrival'}
        onChange={(e) => set({ sort: e.currentTarget.value as Query['sort'] })}
        data={sorts}
        aria-label="Order"
        w={118}
      />
      <Button
        onClick={() => set({ down: !filter.down })}
        aria-pressed={filter.down ?? false}
        aria-label="Largest first"
        title="Largest first"
      >
        {filter.down ? '↓' : '↑'}
      </Button>
      {children}
    </div>
  );
}
