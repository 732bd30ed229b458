import type { Lot } from '../client';

/** Somebody has something to do with a lot still: not all of it is set aside, or cannot be used. */
export const waits = (l: Lot) =>
  l.state !== 'ready' || l.files === 0 || l.unread + l.paired + l.contested + l.loose > 0;
