import { useInfiniteQuery } from '@tanstack/react-query';
import type { GetRecordData, Recorded } from '../client';
import { getRecordInfiniteOptions } from '../client/@tanstack/react-query.gen';

export type RecordQuery = NonNullable<GetRecordData['query']>;

/** Lines of the record, the newest first, and the way to older ones. */
export function useLines(query: RecordQuery) {
  const pages = useInfiniteQuery({
    ...getRecordInfiniteOptions({ query }),
    initialPageParam: { query: { before: 0 } },
    getNextPageParam: (last) => (last.more ? { query: { before: last.items.at(-1)?.id ?? 0 } } : undefined),
  });
  const lines: Recorded[] = pages.data?.pages.flatMap((p) => p.items) ?? [];
  return { pages, lines };
}

/** Lines that say the same, one after the other. */
export interface Together {
  /** The newest of them, with what all of them were done to. */
  line: Recorded;
  times: number;
}

/** Milliseconds within which lines that follow each other are taken together. */
const atOnce = 10 * 60_000;

/** Takes lines together that say the same of several things, one after the other. */
export function together(lines: Recorded[]): Together[] {
  const groups: Together[] = [];
  for (const line of lines) {
    const last = groups.at(-1);
    if (!last || !same(last.line, line)) {
      groups.push({ line, times: 1 });
      continue;
    }
    const known = new Set(last.line.about.map((a) => `${a.kind} ${a.id}`));
    const others = line.about.filter((a) => !known.has(`${a.kind} ${a.id}`));
    const more = line.abouts - line.about.length;
    last.times++;
    last.line = {
      ...last.line,
      about: [...last.line.about, ...others],
      abouts: last.line.abouts + others.length + more,
    };
  }
  return groups;
}

const same = (one: Recorded, other: Recorded) =>
  one.who.id === other.who.id &&
  one.action === other.action &&
  one.action !== 'run.end' &&
  one.run === other.run &&
  Date.parse(one.at) - Date.parse(other.at) < atOnce;
