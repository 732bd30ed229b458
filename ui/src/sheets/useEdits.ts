import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useRef, useState } from 'react';
import { editSheetRow, type CellEdit, type JudgedRow } from '../client';
import { said } from '../shared/format';
import { tell } from '../shared/tell';

interface Change {
  row: JudgedRow;
  edits: CellEdit[];
}

/** How many rows of a block are sent side by side. */
const sideBySide = 4;

/**
 * Changes rows of a sheet in place. A row that was changed is shown so at once, then as the server judged it,
 * until the list comes anew with it. Changes are sent in the order in which they are made, each on what the
 * server had before: what somebody else did to a row is never written over.
 */
export function useEdits(sheet: number) {
  const client = useQueryClient();
  const [judged, setJudged] = useState(new Map<number, JudgedRow>());
  const kept = useRef(new Map<number, CellEdit[]>()); // what the server has of rows that were changed here
  const sent = useRef<Promise<unknown>>(Promise.resolve());
  const past = useRef<Change[][]>([]);

  const send = useCallback(
    async (changes: Change[]) => {
      const waiting = [...changes];
      const work = async () => {
        for (let next = waiting.shift(); next; next = waiting.shift()) {
          const { row, edits } = next;
          const was = kept.current.get(row.row) ?? row.edits;
          const path = { id: sheet, row: row.row };
          const { data } = await editSheetRow({ path, body: { was, edits }, throwOnError: true });
          kept.current.set(row.row, data.edits);
          setJudged((rows) => new Map(rows).set(row.row, data));
        }
      };
      try {
        await Promise.all(Array.from({ length: Math.min(sideBySide, waiting.length) }, work));
      } catch (e) {
        tell('Not changed', said(e), true);
        kept.current.clear();
        setJudged(new Map());
        void client.invalidateQueries();
      }
    },
    [client, sheet],
  );

  const show = useCallback(
    (changes: Change[]) => {
      setJudged((rows) => {
        const next = new Map(rows);
        for (const { row, edits } of changes) next.set(row.row, { ...row, edits });
        return next;
      });
      sent.current = sent.current.then(() => send(changes));
    },
    [send],
  );

  const change = useCallback(
    (changes: Change[]) => {
      if (changes.length === 0) return;
      past.current.push(changes);
      show(changes);
    },
    [show],
  );

  const undo = useCallback(() => {
    const last = past.current.pop();
    if (last) show(last.map(({ row, edits }) => ({ row: { ...row, edits }, edits: row.edits })));
    else tell('Nothing to undo', 'Nothing was changed here since the sheet was opened.');
  }, [show]);

  const forget = useCallback(() => {
    kept.current.clear();
    setJudged(new Map());
  }, []);
  return { judged, change, undo, forget };
}
