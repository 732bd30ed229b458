import type { FileDetail, Suggestion } from '../client';
import type { Aim } from '../shared/target';
import { clueNames, rungNames } from './words';

/** A product, variant or category that a file might be paired with. */
export interface Choice extends Aim {
  code: string;
  title: string;
  key: string;
  note: string;
  why: string;
  suggestion?: Suggestion;
}

/** What a paired file is paired with. */
export const pairedWith = ({ product, variant, target }: FileDetail): Aim => ({
  product,
  variant,
  category: target?.kind === 'category' ? target.id : undefined,
});

/** Who claims a file, then the keys nearest to its name; each target once. */
export function choicesOf(file: FileDetail): Choice[] {
  const list: Choice[] = file.candidates.map((c) => ({
    product: c.product,
    variant: c.variant ?? 0,
    category: c.category,
    code: c.code,
    title: c.title ?? '',
    key: c.key,
    note: rungNames[c.rung] ?? clueNames[c.clue] ?? '',
    why: file.verdict === 'contested' ? 'chosen among those that claim it' : 'accepted as proposed',
  }));
  for (const s of file.suggestions) {
    if (list.some((c) => c.product === s.product && c.variant === s.variant)) continue;
    list.push({
      product: s.product,
      variant: s.variant,
      code: s.code,
      title: s.title,
      key: s.key,
      suggestion: s,
      why: 'accepted from the nearest keys',
      note: s.distance === 0 ? 'same letters' : `${s.distance} off`,
    });
  }
  return list;
}
