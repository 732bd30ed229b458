import { useQueryClient, type Query, type QueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';

/** What each kind of change makes stale, beside the record, which tells of all. */
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
  dispatch: ['listOutlets', 'getOutlet', 'listDispatches'],
  shelf: ['listShelf', 'getFileHistory', 'getUpkeep', 'listFindings'],
  message: ['listMessages', 'getWaiting'],
  category: ['listCategories', 'getCategory', 'previewTarget', 'getPlan', 'listPlanChanges'],
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

function names(query: Query, ids: Set<string>): boolean {
  const first = query.queryKey[0];
  return (
    typeof first === 'object' &&
    first !== null &&
    '_id' in first &&
    typeof first._id === 'string' &&
    ids.has(first._id)
  );
}

/**
 * Fetches again what may be stale. What is on its way for the first time was perhaps answered before the
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

/** The server says that it is there every 15 seconds; a stream that is silent for longer leads nowhere. */
const silence = 40_000;

/**
 * Keeps what is shown up to date with what happens at the server. Changes that come fast are taken together.
 */
export function useEvents() {
  const client = useQueryClient();
  useEffect(() => {
    const stale = new Set<string>();
    let timer: number | undefined;
    const refresh = () => {
      timer = undefined;
      const ids = new Set(stale);
      stale.clear();
      void refetch(client, (query) => names(query, ids));
    };
    let source: EventSource | undefined;
    let silent: number | undefined;
    const alive = () => {
      window.clearTimeout(silent);
      silent = window.setTimeout(open, silence);
    };
    const heard = (event: MessageEvent<string>) => {
      alive();
      const change: unknown = JSON.parse(event.data);
      if (typeof change !== 'object' || change === null || !('topic' in change)) return;
      if (change.topic === 'everything') return void refetch(client, () => true);
      for (const id of touched[String(change.topic)] ?? []) stale.add(id);
      if (change.topic !== 'message') stale.add('getRecord');
      timer ??= window.setTimeout(refresh, 200);
    };
    const open = () => {
      source?.close();
      source = new EventSource('/api/v1/events');
      source.addEventListener('change', heard);
      source.addEventListener('beat', alive);
      // What happened before it was open was told to nobody.
      source.onopen = () => void refetch(client, () => true);
      alive();
    };
    // A page that is left may be kept by the browser; its stream would take one of the few connections.
    const back = (event: PageTransitionEvent) => event.persisted && open();
    const leave = () => {
      window.clearTimeout(silent);
      source?.close();
    };
    open();
    window.addEventListener('pagehide', leave);
    window.addEventListener('pageshow', back);
    return () => {
      leave();
      window.removeEventListener('pagehide', leave);
      window.removeEventListener('pageshow', back);
      window.clearTimeout(timer);
    };
  }, [client]);
}
