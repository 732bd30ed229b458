import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import type { Product } from '../client';
import { listProductsOptions } from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { tell } from '../shared/tell';
import { queryOf, type Wanted } from './Products';

/** Products that were chosen, in the order of choosing. */
export interface Chosen {
  products: Product[];
  has: (id: number) => boolean;
  toggle: (product: Product, index: number) => void;
  /** Chooses from the one chosen last, or from a place, up to a place of the list. */
  upTo: (index: number, from?: number) => void;
  all: () => void;
  clear: () => void;
}

/** How many can be chosen, and how many are asked for at a time. */
export const mostChosen = 2000;
const page = 500;

export function useChosenProducts(wanted: Wanted, total: number): Chosen {
  const client = useQueryClient();
  const [chosen, setChosen] = useState(new Map<number, Product>());
  const anchor = useRef(-1);
  const range = async (first: number, last: number) => {
    const found: Product[] = [];
    for (let offset = first; offset <= last && found.length < mostChosen; offset += page) {
      const limit = Math.min(page, last - offset + 1);
      const { items } = await client.fetchQuery(
        listProductsOptions({ query: { ...queryOf(wanted), offset, limit } }),
      );
      found.push(...items);
    }
    setChosen((now) => new Map([...now, ...found.slice(0, mostChosen).map((p) => [p.id, p] as const)]));
    if (last - first + 1 > mostChosen)
      tell('Not all are chosen', `No more than ${mostChosen} can be chosen at once.`);
  };
  const failed = (e: unknown) => tell('Not all are chosen', said(e), true);
  return {
    products: [...chosen.values()],
    has: (id) => chosen.has(id),
    toggle: (product, index) => {
      anchor.current = index;
      setChosen((now) => {
        const next = new Map(now);
        if (!next.delete(product.id)) next.set(product.id, product);
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
