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
