import type { Lot } from '../client';

/** Somebody has something to do with a lot still: not all of it is set aside, or cannot be used. */
export const waits = (l: Lot) =>
  l.state !== 'ready' || l.files === 0 || l.unread + l.paired + l.contested + l.loose > 0;

/** Decisions can be made on a lot's files; on a finished lot they are corrections, and open it again. */
export const decidable = (l: Lot) =>
  (l.state === 'ready' || l.state === 'applied') && l.planState !== 'applying' && l.planState !== 'reverting';
