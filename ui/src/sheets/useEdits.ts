import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useRef, useState } from 'react';
import { editSheetRow, type CellEdit, type JudgedRow } from '../client';
import { said } from '../shared/format';
import { tell } from '../shared/tell';

/** A change of rows that can be taken back: what their edits were. */
type Before = { row: number; edits: CellEdit[] }[];

/** How many rows of a block are sent side by side. */
const sideBySide = 4;

/**
 * Changes rows of a sheet in place. A row that was changed is shown as the server judged it, until the list
 * comes anew with it.
 */
export function useEdits(sheet: number) {
  const client = useQueryClient();
  const [judged, setJudged] = useState(new Map<number, JudgedRow>());
  const past = useRef<Before[]>([]);

  const send = useCallback(
    async (changes: { row: number; edits: CellEdit[] }[]) => {
      const waiting = [...changes];
      const work = async () => {
        for (let next = waiting.shift(); next; next = waiting.shift()) {
          const { row, edits } = next;
          const { data } = await editSheetRow({
            path: { id: sheet, row },
            body: { edits },
            throwOnError: true,
          });
          setJudged((was) => new Map(was).set(row, data));
        }
      };
      try {
        await Promise.all(Array.from({ length: Math.min(sideBySide, waiting.length) }, work));
      } catch (e) {
        tell('Not changed', said(e), true);
        void client.invalidateQueries();
      }
    },
    [client, sheet],
  );

  const change = useCallback(
    (changes: { row: JudgedRow; edits: CellEdit[] }[]) => {
      if (changes.length === 0) return;
      past.current.push(changes.map(({ row }) => ({ row: row.row, edits: row.edits })));
      void send(changes.map(({ row, edits }) => ({ row: row.row, edits })));
    },
    [send],
  );

  const undo = useCallback(() => {
    const before = past.current.pop();
    if (before) void send(before);
    else tell('Nothing to undo', 'Nothing was changed here since the sheet was opened.');
  }, [send]);

  const forget = useCallback(() => setJudged(new Map()), []);
  return { judged, change, undo, forget };
}
