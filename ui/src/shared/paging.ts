import { keepPreviousData, useQueries, type UseQueryOptions } from '@tanstack/react-query';

const pageSize = 100;

interface PageOf<T> {
  items: T[];
  total: number;
}

interface Held<T> {
  total: number;
  at: (index: number) => T | undefined;
  loading: boolean;
  error: unknown;
}

/**
 * The rows of a long list that can be seen, fetched page by page as the list is scrolled. Pages that were
 * seen stay, so
 * that scrolling back is at once.
 */
export function usePages<T>(
  first: number,
  last: number,
  options: (window: { offset: number; limit: number }) => unknown,
): Held<T> {
  const from = Math.max(0, Math.floor(first / pageSize));
  const to = Math.max(from, Math.floor(last / pageSize));
  const wanted = new Set([0]);
  for (let page = from; page <= to; page++) wanted.add(page);
  const pages = [...wanted];
  const answers = useQueries({
    queries: pages.map((page) => ({
      ...(options({ offset: page * pageSize, limit: pageSize }) as UseQueryOptions<PageOf<T>>),
      placeholderData: keepPreviousData,
    })),
  });
  return {
    total: answers[0]?.data?.total ?? 0,
    loading: answers[0]?.isPending ?? true,
    error: answers[0]?.error ?? null,
    at: (index) => {
      const answer = answers[pages.indexOf(Math.floor(index / pageSize))];
      return answer && !answer.isPlaceholderData ? answer.data?.items[index % pageSize] : undefined;
    },
  };
}
