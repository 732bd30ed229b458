import { useQueryClient, type Query, type QueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { listen, type Change } from './listen';

/** What each kind of change makes stale. */
const touched: Record<string, string[]> = {
  run: [
    'listRuns',
    'getRun',
    'getWaiting',
    'getToday',
    'getLot',
    'listLots',
    'getPlan',
    'listOrigins',
    'getOrigin',
    'getLookup',
    'getSheet',
    'getUpkeep',
    'listReceipts',
  ],
  upkeep: [
    'getUpkeep',
    'listFindings',
    'listHoldings',
    'listHeld',
    'listReceipts',
    'getSpace',
    'listPins',
    'getFileHistory',
    'getWaiting',
    'getToday',
  ],
  origin: ['listOrigins', 'getOrigin'],
  lookup: ['getLookup', 'listLookupCodes'],
  lot: [
    'listLots',
    'listGivenUp',
    'getLot',
    'getWaiting',
    'getToday',
    'listFiles',
    'countMarks',
    'listGroups',
    'getLotClues',
    'getLotSheet',
    'getSheet',
    'listUnnamedFiles',
  ],
  files: [
    'listFiles',
    'getLotSheet',
    'listUnnamedFiles',
    'countMarks',
    'listGroups',
    'getFile',
    'getLot',
    'listLots',
    'getWaiting',
    'getToday',
    'previewTarget',
    'getPlan',
  ],
  plan: ['getPlan', 'getPlanUndo', 'listPlanChanges', 'getLot', 'listLots', 'getToday', 'previewTarget'],
  sheet: [
    'listSheets',
    'getSheet',
    'listSheetRows',
    'listImported',
    'listUnnamedFiles',
    'listGone',
    'getLotSheet',
    'getWaiting',
  ],
  dispatch: ['listOutlets', 'getOutlet', 'listDispatches', 'listDispatched', 'listExceptions'],
  shelf: ['listShelf', 'getFileHistory', 'getUpkeep', 'listFindings'],
  message: ['listMessages', 'getWaiting', 'getMailing'],
  category: ['listCategories', 'getCategory', 'previewTarget', 'getPlan', 'listPlanChanges'],
  settings: [
    'listClueLists',
    'getLotClues',
    'getCoverage',
    'listRequests',
    'listRequestShots',
    'getDropFolder',
    'listSupplierLinks',
    'getMailing',
    'getUpkeep',
    'listExceptions',
  ],
  record: ['getRecord'],
  product: [
    'listGone',
    'listProducts',
    'getProduct',
    'getWaiting',
    'getToday',
    'previewTarget',
    'getPlan',
    'listPlanChanges',
    'listCategories',
  ],
};

/** Of these, those that are of the one thing that the change is of: others of their kind are as they were. */
const ofOne: Record<string, string[]> = {
  run: ['getRun'],
  lot: ['getLot', 'listFiles', 'countMarks', 'listGroups', 'getLotClues', 'getLotSheet'],
  files: ['getLot', 'listFiles', 'countMarks', 'listGroups', 'getLotSheet'],
  plan: ['getPlan', 'getPlanUndo', 'listPlanChanges'],
  sheet: ['getSheet', 'listSheetRows', 'listImported', 'listUnnamedFiles', 'listGone'],
  origin: ['getOrigin'],
  lookup: ['getLookup', 'listLookupCodes'],
};

/** What shows how far a run is. */
const progress = ['listRuns', 'getRun'];

/** Milliseconds after which what anybody did is shown: changes that come fast are taken together. */
const soon = 200;
/** Milliseconds between two looks at how far a run is, and at what a run changes on its way. */
const whileRunning = { progress: 1000, other: 2500 };

/** A query as the client names it: its operation, and the number in its path. */
interface Key {
  _id?: unknown;
  path?: { id?: unknown };
}

function keyOf(query: Query): Key {
  const first: unknown = query.queryKey[0];
  return typeof first === 'object' && first !== null ? first : {};
}

/** Tells whether a change makes a query stale. */
function touches(change: Change, query: Query): boolean {
  const { _id, path } = keyOf(query);
  if (typeof _id !== 'string') return false;
  if (change.topic === 'everything') return true;
  if (change.note === 'progress')
    return progress.includes(_id) && (_id !== 'getRun' || path?.id === change.id);
  if (!touched[change.topic]?.includes(_id)) return false;
  return change.id === 0 || !ofOne[change.topic]?.includes(_id) || path?.id === change.id;
}

/**
 * Fetches queries again. What is on its way for the first time was perhaps answered before the
 * change, and is not asked for anew until it is there: it is then.
 */
async function refetch(client: QueryClient, stale: (query: Query) => boolean) {
  const early = client
    .getQueryCache()
    .findAll({ predicate: stale, fetchStatus: 'fetching' })
    .filter((query) => query.state.data === undefined);
  await client.invalidateQueries({ predicate: stale });
  if (early.length > 0) await client.invalidateQueries({ predicate: (query) => early.includes(query) });
}

/**
 * Keeps what is shown up to date with what happens at the server: only what a change touches, what runs do on
 * their way now and then, and what is in a tab that nobody sees when it is seen again.
 */
export function useEvents() {
  const client = useQueryClient();
  useEffect(() => {
    /** When a query is to be fetched again, by its hash. */
    const due = new Map<string, number>();
    let timer: number | undefined;
    const refresh = () => {
      timer = undefined;
      if (document.hidden) return;
      const now = Date.now();
      const ready = new Set([...due].filter(([, at]) => at <= now).map(([hash]) => hash));
      ready.forEach((hash) => due.delete(hash));
      if (ready.size > 0) void refetch(client, (query) => ready.has(query.queryHash));
      plan();
    };
    const plan = () => {
      window.clearTimeout(timer);
      timer =
        due.size > 0
          ? window.setTimeout(refresh, Math.max(0, Math.min(...due.values()) - Date.now()))
          : undefined;
    };
    const heard = (change: Change) => {
      const now = Date.now();
      for (const query of client.getQueryCache().getAll()) {
        if (!touches(change, query)) continue;
        const between = change.note === 'progress' ? whileRunning.progress : whileRunning.other;
        const at = change.run > 0 ? Math.max(now + soon, query.state.dataUpdatedAt + between) : now + soon;
        due.set(query.queryHash, Math.min(due.get(query.queryHash) ?? Infinity, at));
      }
      // What a run touched on its way is shown as it left it.
      if (change.note === 'ended') for (const [hash, at] of due) due.set(hash, Math.min(at, now + soon));
      plan();
    };
    let leave = listen(heard);
    const seen = () => !document.hidden && refresh();
    // A page that is left may be kept by the browser; what it hears by would take one of the few connections.
    const hide = () => leave();
    const back = (event: PageTransitionEvent) => {
      if (event.persisted) leave = listen(heard);
    };
    document.addEventListener('visibilitychange', seen);
    window.addEventListener('pagehide', hide);
    window.addEventListener('pageshow', back);
    return () => {
      leave();
      document.removeEventListener('visibilitychange', seen);
      window.removeEventListener('pagehide', hide);
      window.removeEventListener('pageshow', back);
      window.clearTimeout(timer);
    };
  }, [client]);
}
