import type { Target } from '../client';

/** A product as a whole, or the variant of it that is not 0. */
export const targetOf = (product: number, variant = 0): Target =>
  variant > 0 ? { kind: 'variant', id: variant } : { kind: 'product', id: product };

/** What a person picks: a product, a variant of it that is not 0, or a category. */
export interface Aim {
  product: number;
  variant: number;
  category?: number;
}

export const aimOf = ({ product, variant, category }: Aim): Target =>
  category ? { kind: 'category', id: category } : targetOf(product, variant);

export const sameTarget = (a: Target, b: Target) => a.kind === b.kind && a.id === b.id;

/** A target as a key of a list. */
export const targetKey = (t: Target) => `${t.kind} ${t.id}`;
