import type { RehearsedPicture, Settings } from '../client';

/** What can be wrong with a name, as a list says it. */
export const problems: Record<string, string> = {
  collision: 'same name as another',
  'too long': 'too long',
  forbidden: 'has a character that some file system refuses',
  reserved: 'is a device on some systems',
  empty: 'something in it is empty',
};

export const problemsOf = (p: RehearsedPicture) => p.problems.map((one) => problems[one] ?? one).join(', ');

/** Which of a product's pictures go. */
export const whichPictures: { value: Settings['pictures']; label: string }[] = [
  { value: 'all', label: 'All' },
  { value: 'lead', label: 'The lead' },
  { value: 'first', label: 'The first …' },
];

/** Templates to begin with. */
export const ready = [
  { value: '[sku]_[place pad 2]', label: 'By SKU and place' },
  { value: '[id]-[number pad 2]', label: 'By product ID and number' },
  { value: '[title slug most 50 | sku]-[options slug | code]-[place]', label: 'Words for search engines' },
  { value: '[code]/[sku]_[place pad 2]', label: 'A folder a product' },
];

/** What a new outlet begins with. */
export const fresh: Settings = {
  query: '',
  category: '',
  skus: [],
  pictures: 'all',
  first: 0,
  names: '[sku]_[place pad 2]',
  rename: false,
  changed: false,
};
