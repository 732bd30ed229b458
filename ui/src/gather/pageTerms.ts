import type { Picture, Rendition } from '../client';

/** What a picture of the page must be to be shown, and how its file is named. */
export interface Terms {
  width: number; // least, pixels
  height: number;
  shape: string;
  type: string;
  template: string;
}

export const usualTerms: Terms = { width: 500, height: 500, shape: '', type: '', template: '{page}-{n}' };

/** A picture with the largest rendition that was found of it. */
export interface Largest {
  picture: Picture;
  rendition: Rendition;
}

export const shapes = [
  { value: '', label: 'any shape' },
  { value: 'square', label: 'square' },
  { value: 'tall', label: 'upright' },
  { value: 'wide', label: 'lying' },
];

function shapeOf(r: Rendition): string {
  const ratio = r.height ? r.width / r.height : 1;
  if (ratio > 1.05) return 'wide';
  return ratio < 0.95 ? 'tall' : 'square';
}

/** The pictures whose largest rendition meets the terms. */
export const meeting = (pictures: Picture[], terms: Terms): Largest[] =>
  pictures.flatMap((picture) => {
    const rendition = picture.renditions[0];
    return rendition &&
      rendition.width >= terms.width &&
      rendition.height >= terms.height &&
      (!terms.shape || shapeOf(rendition) === terms.shape) &&
      (!terms.type || rendition.type === terms.type)
      ? [{ picture, rendition }]
      : [];
  });

/** The name that a template gives the n-th picture of a page with a title. */
export function nameOf(template: string, title: string, address: string, n: number): string {
  const fields: Record<string, string> = {
    page: title,
    file: address.replace(/.*\//, '').replace(/[.?].*/, ''),
    n: String(n),
  };
  return template.replace(/\{(page|file|n)\}/g, (_, field: string) => fields[field] ?? '') || `picture-${n}`;
}
