import type { RehearsedPicture, RenditionRecipe, Settings, SheetColumn, SheetSettings } from '../client';

/** What can be wrong with a name, as a list says it. */
export const problems: Record<string, string> = {
  collision: 'same name as another',
  'too long': 'too long',
  forbidden: 'has a character that some file system refuses',
  reserved: 'is a device on some systems',
  hidden: 'begins with a dot',
  'no name': 'is empty',
  empty: 'something in it is empty',
};

export const problemsOf = (p: RehearsedPicture) => p.problems.map((one) => problems[one] ?? one).join(', ');

/** Which of a product's pictures go. */
export const whichPictures: { value: Settings['pictures']; label: string }[] = [
  { value: 'all', label: 'All' },
  { value: 'lead', label: 'The lead' },
  { value: 'first', label: 'The first …' },
  { value: 'views', label: 'Of some views …' },
];

/** Templates to begin with. */
export const ready = [
  { value: '[sku]_[nth pad 2]', label: 'By SKU and number' },
  { value: '[id]-[number pad 2]', label: 'By product ID and number' },
  {
    value: '[title slug most 50 | code]-[options slug | view | "image"]-[sku slug]-[nth]',
    label: 'Words for search engines',
  },
  { value: '[code]/[sku]_[nth pad 2]', label: 'A folder per product' },
  { value: '[gs1 | item]', label: 'GS1 picture file name' },
];

/** The formats that pictures go in. */
export const formats: { value: RenditionRecipe['format']; label: string }[] = [
  { value: 'original', label: 'they came' },
  { value: 'jpeg', label: 'JPEG' },
  { value: 'webp', label: 'WebP' },
  { value: 'png', label: 'PNG' },
  { value: 'avif', label: 'AVIF' },
];

/** Canvases to begin with. */
export const ratios = ['1:1', '4:5', '3:4', '4:3', '16:9'];

/** What becomes of what a file says of itself. */
export const metadata: { value: RenditionRecipe['metadata']; label: string }[] = [
  { value: 'written', label: 'rights and text' },
  { value: 'stripped', label: 'nothing' },
  { value: 'kept', label: 'what it said' },
];

/** The forms of a sheet that goes along. */
export const sheetFormats: { value: SheetSettings['format']; label: string }[] = [
  { value: 'csv', label: 'CSV' },
  { value: 'xlsx', label: 'XLSX workbook' },
  { value: 'none', label: 'no sheet' },
];

/** What a row of it is about. */
export const sheetRows: { value: SheetSettings['rows']; label: string }[] = [
  { value: 'picture', label: 'a picture' },
  { value: 'sku', label: 'a SKU' },
  { value: 'product', label: 'a product' },
];

export const separators: { value: SheetSettings['separator']; label: string }[] = [
  { value: 'comma', label: 'comma' },
  { value: 'semicolon', label: 'semicolon' },
  { value: 'tab', label: 'tab' },
  { value: 'bar', label: 'bar |' },
];

/** How a column has what several pictures of a row say. */
export const sheetMany: { value: SheetColumn['many']; label: string }[] = [
  { value: 'first', label: 'of the first' },
  { value: 'columns', label: 'in columns 1 … n' },
  { value: 'joined', label: 'in one cell' },
];

/** Columns to add. */
export const readyColumns: SheetColumn[] = (
  [
    ['SKU', '[sku]'],
    ['Product', '[code]'],
    ['Title', '[title]'],
    ['Options', '[options]'],
    ['GTIN', '[gtin]'],
    ['Picture', '[file]'],
    ['Address', '[address]'],
    ['Alternative text', '[text]'],
    ['Place', '[place]'],
    ['View', '[view]'],
    ['Lead', '[lead]'],
    ['Credit', '[credit]'],
    ['Form', '[form]'],
    ['Name before', '[before]'],
    ['SHA-256', '[sum]'],
  ] as const
).map(([header, value]) => ({ header, value, many: 'first' }));

/** What a new outlet begins with. */
export const fresh: Settings = {
  query: '',
  category: '',
  skus: [],
  pictures: 'all',
  first: 0,
  rendition: {
    format: 'original',
    width: 1600,
    height: 1600,
    ratio: '',
    colour: '',
    quality: 0,
    most: 0,
    metadata: 'written',
  },
  names: '[sku]_[nth pad 2]',
  rename: false,
  changed: false,
  remove: false,
  language: '',
  sheet: {
    format: 'csv',
    separator: 'comma',
    rows: 'picture',
    columns: readyColumns.filter((c) =>
      ['SKU', 'Product', 'Title', 'Picture', 'Alternative text', 'Place', 'View', 'Credit'].includes(
        c.header,
      ),
    ),
    base: '',
    between: '|',
    size: 0,
  },
};
