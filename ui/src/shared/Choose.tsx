import type { MouseEvent } from 'react';

/** How one of a long list looks and is pressed, where some can be chosen and one is at hand. */
export interface Look {
  at: boolean;
  chosen: boolean;
  onPress: (e: MouseEvent) => void;
  onChoose: (e: MouseEvent) => void;
}

/** Its classes. */
export const lookOf = (base: string, { at, chosen }: Look) =>
  `${base}${at ? ' at-here' : ''}${chosen ? ' chosen' : ''}`;

/** The box by which it is chosen; with Shift, all up to it. */
export function Choose({ name, look }: { name: string; look: Look }) {
  return (
    <input
      type="checkbox"
      className="choose"
      aria-label={`Choose ${name}`}
      checked={look.chosen}
      readOnly
      onClick={look.onChoose}
    />
  );
}
