import type { Column, JudgedRow } from '../client';

/** Fields as people are offered them, in groups. */
export const fieldGroups: [string, [string, string][]][] = [
  [
    'Which product',
    [
      ['sku', 'SKU'],
      ['product', 'Product code'],
      ['product-id', 'Product ID'],
      ['gtin', 'GTIN'],
      ['code', 'Further code'],
    ],
  ],
  [
    'What it is',
    [
      ['title', 'Title'],
      ['description', 'Description'],
      ['option', 'Option'],
      ['attribute', 'Attribute'],
      ['category', 'Category'],
      ['category-id', 'Category ID'],
      ['retire', 'Retire'],
    ],
  ],
  [
    'Its pictures',
    [
      ['picture', 'Picture'],
      ['view', 'View'],
      ['place', 'Place'],
      ['alt', 'Alternative text'],
      ['lead', 'Lead'],
      ['rights', 'Rights'],
    ],
  ],
];

const labels = new Map(fieldGroups.flatMap(([, fields]) => fields));

/** Fields whose cells are codes or names of files: they stand in the fixed-width face. */
const fixedWidth = new Set(['sku', 'product', 'product-id', 'gtin', 'code', 'category-id', 'picture']);

export const inFixedWidth = (field: string) => fixedWidth.has(field);

/** Fields that several columns may have. */
const many = new Set(['code', 'option', 'attribute', 'picture', 'view', 'place', 'alt']);

export const mayRepeat = (field: string) => many.has(field);

export const identifying = [
  'sku',
  'product',
  'product-id',
  'gtin',
  'code',
  'title',
  'category-id',
  'category',
];

/** What a column is taken for, as its header says it. */
export function takenFor(column: Column): string {
  if (column.field === '') return 'left open';
  const label = labels.get(column.field) ?? column.field;
  return column.name && column.name !== column.column ? `${label}: ${column.name}` : label;
}

export const fieldLabel = (field: string) => labels.get(field) ?? field;

export type RowVerdict = JudgedRow['verdict'];

/** Verdicts in the order in which they are worked through, with what an import does. */
export const rowVerdicts: [RowVerdict, string][] = [
  ['refused', 'refused'],
  ['make', 'to make'],
  ['change', 'to change'],
  ['same', 'the same'],
  ['skipped', 'left out'],
];

const matters: Record<string, string> = {
  'spelt otherwise': 'probably spelt otherwise',
  'lost figures': 'figures were lost',
  'made a date': 'turned into a date',
  'formula error': 'a formula failed',
  'no gtin': 'no GTIN',
  "another's gtin": 'another’s GTIN',
  'would move': 'would move to another product',
  twice: 'stands twice',
  several: 'means several products',
  'no identity': 'names no product',
  'no sku': 'new, without a SKU',
  "another's id": 'ID of another product',
  "another's sku": 'SKU of another product’s variant',
  'new category': 'makes a new category',
  cleaned: 'read without marks around it',
  'named for another': 'picture of two products',
  'no picture': 'names no picture',
  missing: 'no file of this name came',
  contested: 'several files of this name',
  'private address': 'address inside a network',
  'not fetched': 'not fetched yet',
  'out of place': 'more cells than columns',
  'too long': 'too long',
  'too deep': 'too many levels',
  'no place': 'no place',
  'not yes or no': 'neither yes nor no',
  'no such category': 'no such category',
  'step failed': 'a step failed',
};

export const matterWords = (kind: string) => matters[kind] ?? kind;

const deeds: Record<string, string> = {
  take: 'Take what is proposed',
  empty: 'Leave the cells out',
  keep: 'All are right as they are',
  leave: 'Leave the rows out',
};

export const deedWords = (deed: string) => deeds[deed] ?? deed;
