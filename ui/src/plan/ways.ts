import type { Plan } from '../client';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';
export const ways = [
  { value: 'after', label: 'after', what: 'New pictures stand behind those that are there.' },
  { value: 'before', label: 'before', what: 'New pictures stand in front; the first becomes the lead.' },
  {
    value: 'instead',
    label: 'in its stead',
    what: 'New pictures replace all that stand on the same product or variant.',
  },
  {
    value: 'like for like',
    label: 'like for like',
    what: 'Each replaces the picture of the same view or place; the others are left out.',
  },
] as const;

export type Way = (typeof ways)[number]['value'];

export const failed = (e: unknown) => tell('Nothing changed', said(e), true);

/** So many of what a plan changes: products, categories, or both. */
export function bearers(plan: Plan, n: number): string {
  if (plan.categories === 0) return some(n, 'product');
  if (plan.categories === plan.products) return some(n, 'category', 'categories');
  return some(n, 'product or category', 'products and categories');
}
