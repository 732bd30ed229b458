import { Button, Select } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import type { Recorded } from '../client';
import { listActorsOptions } from '../client/@tanstack/react-query.gen';
import { Empty, Failed, Loading } from '../shared/State';
import { Line } from './Line';
import { together, useLines, type RecordQuery } from './lines';
import css from './Record.module.css';
import { phrases } from './words';

const dayNames = new Intl.DateTimeFormat('en-GB', {
  weekday: 'long',
  day: 'numeric',
  month: 'long',
  year: 'numeric',
});

/** Who did what, day by day. */
export function RecordPage() {
  const [search, setSearch] = useSearchParams();
  const actors = useQuery(listActorsOptions());
  const query: RecordQuery = { limit: 100 };
  if (search.get('who')) query.actor = Number(search.get('who'));
  if (search.get('what')) query.action = search.get('what') ?? '';
  const { pages, lines } = useLines(query);
  const set = (name: string, value: string | null) =>
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
      <div className="head">
        <div className="narrow">
          <h1>Record</h1>
          <span className="quiet">Who did what. Entries are never changed or deleted.</span>
        </div>
      </div>
      <div className={`spread wrap ${css.filters}`}>
        <Select
          aria-label="Who"
          placeholder="Everybody"
          clearable
          searchable
          value={search.get('who')}
          onChange={(v) => set('who', v)}
          data={(actors.data?.items ?? []).map((a) => ({
            value: String(a.id),
            label: a.kind === 'supplier' || a.kind === 'drop person' ? `${a.name} (${a.kind})` : a.name,
          }))}
        />
        <Select
          aria-label="Action"
          placeholder="Every action"
          clearable
          searchable
          w={300}
          value={search.get('what')}
          onChange={(v) => set('what', v)}
          data={Object.entries(phrases)
            .map(([value, label]) => ({ value, label: label.charAt(0).toUpperCase() + label.slice(1) }))
            .sort((a, b) => a.label.localeCompare(b.label))}
        />
      </div>
      <div className="scroll pad" tabIndex={0} role="region" aria-label="Entries">
        {pages.isError && <Failed error={pages.error} again={() => void pages.refetch()} />}
        {pages.isPending && <Loading what="Loading the record…" />}
        {pages.isSuccess && lines.length === 0 && (
          <Empty
            title={search.size > 0 ? 'No entry matches these filters.' : 'Nothing has been recorded yet.'}
          >
            {search.size > 0 && (
              <Button onClick={() => setSearch({}, { replace: true })}>Clear filters</Button>
            )}
          </Empty>
        )}
        <div className={css.page}>
          {byDay(lines).map(([day, of]) => (
            <section key={day} aria-label={day}>
              <h2 className={css.day}>{day}</h2>
              {together(of).map(({ line, times }) => (
                <Line key={line.id} line={line} times={times} />
              ))}
            </section>
          ))}
          {pages.hasNextPage && (
            <Button loading={pages.isFetchingNextPage} onClick={() => void pages.fetchNextPage()} mt="sm">
              Show older entries
            </Button>
          )}
        </div>
      </div>
    </>
  );
}

/** Lines by the day that they are of, in the order in which they come. */
function byDay(lines: Recorded[]): [string, Recorded[]][] {
  const days = new Map<string, Recorded[]>();
  for (const line of lines) {
    const day = dayNames.format(new Date(line.at));
    days.set(day, [...(days.get(day) ?? []), line]);
  }
  return [...days];
}
