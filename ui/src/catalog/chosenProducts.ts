import { useQueryClient } from '@tanstack/react-query';
import type { Product } from '../client';
import { listProductsOptions } from '../client/@tanstack/react-query.gen';
import { useChosen, type Chosen } from '../shared/chosen';
import { queryOf, type Wanted } from './Products';

/** Chooses of the products that are looked for. */
export function useChosenProducts(wanted: Wanted, total: number): Chosen<Product> {
  const client = useQueryClient();
  return useChosen(total, async (offset, limit) => {
    const query = { ...queryOf(wanted), offset, limit };
    return (await client.fetchQuery(listProductsOptions({ query }))).items;
  });
}
