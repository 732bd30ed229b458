import type { ShotList } from '../client';

/** A part of a whole, in percent: only all of it is 100. */
export function percent(n: number, of: number): string {
  if (of === 0) return '–';
  const part = Math.round((100 * n) / of);
  return `${n < of ? Math.min(part, 99) : part} %`;
}

/** The list that counts for a category: its own, or the nearest above. */
export function listFor(lists: ShotList[], path: string): ShotList | undefined {
  return lists
    .filter((l) => l.path === '' || l.path === path || path.startsWith(`${l.path} / `))
    .sort((a, b) => b.path.length - a.path.length)[0];
}
