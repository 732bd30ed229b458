import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import type { File as LotFile } from '../client';
import { getFileOptions } from '../client/@tanstack/react-query.gen';

/**
 * The files before and behind the one that is shown, and the first of the list that is worked through; 0 for
 * none.
 */
export interface Neighbours {
  before: number;
  after: number;
  first: number;
}

/** How many files ahead are fetched before their turn comes. */
const fetchedAhead = 4;

/** Finds the files around one, of those that are in sight or near it. */
export function neighboursOf(
  files: (LotFile | undefined)[],
  here: number,
): Omit<Neighbours, 'first'> & { ahead: number[] } {
  const at = files.findIndex((f) => f?.id === here);
  const ids = (from: number) => files.slice(from, from + fetchedAhead).flatMap((f) => (f ? [f.id] : []));
  if (at < 0) return { before: 0, after: files.find((f) => f !== undefined)?.id ?? 0, ahead: ids(0) };
  return { before: files[at - 1]?.id ?? 0, after: files[at + 1]?.id ?? 0, ahead: ids(at + 1) };
}

/** Milliseconds after which what was asked for is on the screen. */
const shownAfter = 60;

/** Fetches the evidence of files before their turn comes: when the one asked for is on the screen. */
export function useFetchAhead(ids: number[]) {
  const client = useQueryClient();
  const ahead = ids.join(' ');
  useEffect(() => {
    const later = window.setTimeout(() => {
      for (const id of ahead.split(' '))
        if (id) void client.prefetchQuery(getFileOptions({ path: { id: Number(id) } }));
    }, shownAfter);
    return () => window.clearTimeout(later);
  }, [ahead, client]);
}
