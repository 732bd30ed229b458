import type { CategoryPage, Change, ProductPage, Shown, Target } from '../client';
import { targetOf } from '../shared/target';

/** What changes together: a product with its variants, or a category. */
export interface Owner {
  kind: 'product' | 'category';
  id: number;
  version: number;
  /** A product's code, a category's path. */
  code: string;
  targets: NamedTarget[];
  pictures: Shown[];
  changes: Change[];
}

/** What pictures stand on, as it is called. */
export interface NamedTarget {
  target: Target;
  name: string;
  /** The name is a SKU. */
  code: boolean;
  options: string;
}

export const productOwner = (page: ProductPage): Owner => ({
  kind: 'product',
  id: page.id,
  version: page.version,
  code: page.code,
  targets: [
    { target: targetOf(page.id), name: 'The product as a whole', code: false, options: '' },
    ...page.variantList.map((v) => ({
      target: targetOf(page.id, v.id),
      name: v.sku,
      code: true,
      options: v.options.map((o) => o.value).join(', '),
    })),
  ],
  pictures: page.pictureList,
  changes: page.changes,
});

export const categoryOwner = (page: CategoryPage): Owner => ({
  kind: 'category',
  id: page.id,
  version: page.version,
  code: page.path,
  targets: [
    { target: { kind: 'category', id: page.id }, name: 'Pictures of the category', code: false, options: '' },
  ],
  pictures: page.pictureList,
  changes: page.changes,
});
