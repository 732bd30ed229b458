import { useRef, useState } from 'react';
import { said } from './format';
import { tell } from './tell';

/** What was chosen of a long list, in the order of choosing. */
export interface Chosen<T> {
  items: T[];
  has: (id: number) => boolean;
  toggle: (item: T, index: number) => void;
  /** Chooses from the one chosen last, or from a place, up to a place of the list. */
  upTo: (index: number, from?: number) => void;
  all: () => void;
  clear: () => void;
}

/** How many can be chosen one by one, and how many are asked for at a time. */
export const mostChosen = 2000;
const page = 500;

/** Chooses of a list of so many; those that were not seen are fetched by their places. */
export function useChosen<T extends { id: number }>(
  total: number,
  fetch: (offset: number, limit: number) => Promise<T[]>,
): Chosen<T> {
  const [chosen, setChosen] = useState(new Map<number, T>());
  const anchor = useRef(-1);
  const range = async (first: number, last: number) => {
    const found: T[] = [];
    for (let offset = first; offset <= last && found.length < mostChosen; offset += page)
      found.push(...(await fetch(offset, Math.min(page, last - offset + 1))));
    setChosen((now) => new Map([...now, ...found.slice(0, mostChosen).map((one) => [one.id, one] as const)]));
    if (last - first + 1 > mostChosen)
      tell('Not all are chosen', `No more than ${mostChosen} can be chosen at once.`);
  };
  const failed = (e: unknown) => tell('Not all are chosen', said(e), true);
  return {
    items: [...chosen.values()],
    has: (id) => chosen.has(id),
    toggle: (item, index) => {
      anchor.current = index;
      setChosen((now) => {
        const next = new Map(now);
        if (!next.delete(item.id)) next.set(item.id, item);
        return next;
      });
    },
    upTo: (index, from) => {
      const start = anchor.current >= 0 ? anchor.current : (from ?? index);
      anchor.current = start;
      range(Math.min(start, index), Math.max(start, index)).catch(failed);
    },
    all: () => void range(0, total - 1).catch(failed),
    clear: () => {
      anchor.current = -1;
      setChosen(new Map());
    },
  };
}
