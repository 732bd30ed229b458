import type { ListFilesData } from '../client';
export type Query = NonNullable<ListFilesData['query']>;
export type Mark = NonNullable<Query['mark']>;

export const marks: Mark[] = [
  'small',
  'padded',
  'enlarged',
  'same bytes',
  'look-alike',
  'animated',
  'CMYK',
  'transparent',
];
export const sorts: { value: NonNullable<Query['sort']>; label: string }[] = [
  { value: 'arrival', label: 'as they came' },
  { value: 'name', label: 'by name' },
  { value: 'bytes', label: 'by size' },
  { value: 'pixels', label: 'by pixels' },
  { value: 'shape', label: 'by shape' },
  { value: 'type', label: 'by type' },
];

/** Leaves out what chooses nothing. */
export function useless(query: Query): Query {
  return Object.fromEntries(
    Object.entries(query).filter(([, value]) => value !== undefined && value !== '' && value !== false),
  ) as Query;
}
