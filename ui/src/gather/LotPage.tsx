import { Button, SegmentedControl } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams, useSearchParams } from 'react-router';
import type { File as LotFile } from '../client';
import { countMarksOptions, getLotOptions, listRunsOptions } from '../client/@tanstack/react-query.gen';
import { some } from '../shared/format';
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
import { LotFilters, type Filter } from './LotFilters';
import { type Query, useless } from './query';

/** A lot's files as contact sheet or table. */
export function LotPage() {
  const id = Number(useParams()['id']);
  const lot = useQuery(getLotOptions({ path: { id } }));
  const runs = useQuery(listRunsOptions());
  const counts = useQuery(countMarksOptions({ path: { id } }));
  const [filter, setFilter] = useState<Filter>({});
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
  const set = (change: Filter) => setFilter({ ...filter, ...change });
  const query = useless({ ...filter, q });
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
        <LotFilters filter={filter} set={set} text={text} setText={setText} counts={counts.data}>
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
        </LotFilters>
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
      {asking === 'export' && (
        <Export
          onClose={() => setAsking(undefined)}
          lot={id}
          query={Object.fromEntries(Object.entries(query).map(([name, value]) => [name, String(value)]))}
        />
      )}
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
