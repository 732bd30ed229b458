import { useQueryClient, type Query } from '@tanstack/react-query';
import { useEffect } from 'react';

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
      void client.invalidateQueries({ predicate: (query) => names(query, ids) });
    };
    let source: EventSource | undefined;
    let lost = false;
    const heard = (event: MessageEvent<string>) => {
      const change: unknown = JSON.parse(event.data);
      if (typeof change !== 'object' || change === null || !('topic' in change)) return;
      for (const id of touched[String(change.topic)] ?? []) stale.add(id);
      timer ??= window.setTimeout(refresh, 200);
    };
    const open = () => {
      source?.close();
      source = new EventSource('/api/v1/events');
      source.addEventListener('change', heard);
      source.onerror = () => {
        lost = true;
      };
      source.onopen = () => {
        if (lost) void client.invalidateQueries();
        lost = false;
      };
    };
    // A page that is left may be kept by the browser; its stream would take one of the few connections.
    const leave = () => {
      source?.close();
      lost = true;
    };
    open();
    window.addEventListener('pagehide', leave);
    window.addEventListener('pageshow', open);
    return () => {
      source?.close();
      window.removeEventListener('pagehide', leave);
      window.removeEventListener('pageshow', open);
      window.clearTimeout(timer);
    };
  }, [client]);
}
