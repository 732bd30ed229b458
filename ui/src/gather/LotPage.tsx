import { Button, NativeSelect, SegmentedControl, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams, useSearchParams } from 'react-router';
import type { File as LotFile } from '../client';
import { countMarksOptions, getLotOptions, listRunsOptions } from '../client/@tanstack/react-query.gen';
import { count, some } from '../shared/format';
import { active, RunLine } from '../shared/Runs';
import { Failed } from '../shared/State';
import { Export } from './Export';
import { FileDetail } from './FileDetail';
import { RightsForm } from './Rights';
import { SheetReport } from './SheetReport';
import css from './LotPage.module.css';
import { Files } from './LotFiles';
import { classes, Head } from './LotHead';
import { AsideForm } from './AsideForm';
import { type Query, marks, sorts, useless } from './query';

/** A lot's files as contact sheet or table. */
export function LotPage() {
  const id = Number(useParams()['id']);
  const lot = useQuery(getLotOptions({ path: { id } }));
  const runs = useQuery(listRunsOptions());
  const counts = useQuery(countMarksOptions({ path: { id } }));
  const [filter, setFilter] = useState<
    Pick<Query, 'verdict' | 'rights' | 'mark' | 'type' | 'shape' | 'sort' | 'down'>
  >({});
  const [text, setText] = useState('');
  const [q] = useDebouncedValue(text, 120);
  const [search, setSearch] = useSearchParams();
  const table = search.get('as') !== 'sheet';
  const [asking, setAsking] = useState<'rights' | 'aside' | 'export'>();
  const [open, setOpen] = useState<LotFile>();
  const [total, setTotal] = useState(0);
  if (lot.error) return <Failed error={lot.error} again={() => void lot.refetch()} />;
  if (!lot.data) return null;
  const working = runs.data?.items.filter((r) => r.lot === id && r.state !== 'done') ?? [];
  const set = (change: typeof filter) => setFilter({ ...filter, ...change });
  const query = useless({ ...filter, q });
  const markCounts = counts.data?.marks ?? {};
  return (
    <>
      <Head lot={lot.data} />
      <div className={`spread wrap ${css.filters}`}>
        <SegmentedControl
          value={filter.verdict ?? 'all'}
          onChange={(v) => set({ verdict: v === 'all' ? undefined : (v as Query['verdict']) })}
          data={classes(lot.data)}
          aria-label="Verdict"
        />
        <SegmentedControl
          className="push"
          value={table ? 'table' : 'sheet'}
          onChange={(v) => setSearch(v === 'table' ? {} : { as: v }, { replace: true })}
          data={[
            { value: 'table', label: 'Table' },
            { value: 'sheet', label: 'Contact sheet' },
          ]}
          aria-label="Shown as"
        />
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
              ...marks.map((m) => ({
                value: m,
                label: `${m} ${count(markCounts[m] ?? 0)}`,
                disabled: !markCounts[m],
              })),
            ]}
            aria-label="Mark"
            w={136}
          />
          <NativeSelect
            value={filter.type ?? ''}
            onChange={(e) => set({ type: e.currentTarget.value || undefined })}
            data={[
              { value: '', label: 'any type' },
              ...Object.entries(counts.data?.types ?? {}).map(([t, n]) => ({
                value: t,
                label: `${t} ${count(n)}`,
              })),
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
          <span className="quiet" aria-live="polite">
            {some(total, 'file')}
          </span>
          <span className="spread push tight">
            <Button onClick={() => setAsking('aside')} disabled={total === 0}>
              Set aside…
            </Button>
            <Button onClick={() => setAsking('rights')}>Rights…</Button>
            <Button onClick={() => setAsking('export')}>Export…</Button>
          </span>
        </div>
      </div>
      {working.length > 0 && (
        <div className="sheet beside-edge">
          {working.map((r) => (
            <RunLine key={r.id} run={r} />
          ))}
        </div>
      )}
      {lot.data.problems.map((p) => (
        <div key={p} className="note bad beside-edge" role="alert">
          {p}
        </div>
      ))}
      <SheetReport lot={id} />
      <RightsForm
        open={asking === 'rights'}
        onClose={() => setAsking(undefined)}
        lot={id}
        filter={{
          q,
          verdict: filter.verdict,
          of: filter.rights,
          mark: filter.mark,
          type: filter.type,
          shape: filter.shape,
        }}
      />
      <AsideForm
        open={asking === 'aside'}
        onClose={() => setAsking(undefined)}
        lot={id}
        query={query}
        total={total}
      />
      <Export
        open={asking === 'export'}
        onClose={() => setAsking(undefined)}
        lot={id}
        query={Object.fromEntries(Object.entries(query).map(([name, value]) => [name, String(value)]))}
      />
      <Files
        key={JSON.stringify(query) + String(table)}
        lot={id}
        query={query}
        table={table}
        onOpen={setOpen}
        waiting={working.some(active)}
        onTotal={setTotal}
      />
      <FileDetail file={open} onClose={() => setOpen(undefined)} />
    </>
  );
}
