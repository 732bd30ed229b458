/** A step of a recipe: what is looked for, and on which page. */
export interface Step {
  key: 'next' | 'product' | 'name' | 'sku' | 'barcode' | 'pictures' | number;
  name: string;
  label: string;
  on: 'listing' | 'product';
  many: boolean;
  hint: string;
}

/** The steps that every recipe has. */
export const steps: Step[] = [
  {
    key: 'next',
    name: 'next page',
    label: 'Next page',
    on: 'listing',
    many: false,
    hint: 'link to the next listing',
  },
  {
    key: 'product',
    name: 'product pages',
    label: 'Product pages',
    on: 'listing',
    many: true,
    hint: 'links to products, or none',
  },
  { key: 'name', name: 'name', label: 'Name', on: 'product', many: false, hint: '' },
  { key: 'sku', name: 'SKU', label: 'SKU', on: 'product', many: false, hint: '' },
  { key: 'barcode', name: 'barcode', label: 'Barcode', on: 'product', many: false, hint: '' },
  {
    key: 'pictures',
    name: 'pictures',
    label: 'Pictures',
    on: 'product',
    many: true,
    hint: 'what shows or knows them',
  },
];
