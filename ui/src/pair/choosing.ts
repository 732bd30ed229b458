import { useCallback, useEffect, useRef, type MouseEvent } from 'react';
import type { File as LotFile } from '../client';
import { said } from '../shared/format';
import { tell } from '../shared/tell';
import type { Chosen } from './chosen';
import type { Pressed } from './FileRow';

/** How many files one press can choose. */
const chosenAtOnce = 20_000;

/** How many of them are asked for in one piece. */
const page = 500;

/**
 * What presses in the column do: a plain one shows the file, with Ctrl or on its box it is chosen, with shift
 * all are from the one pressed before. filesIn fetches a window of the column.
 */
export function useChoosing(
  chosen: Chosen,
  filesIn: (window: { offset: number; limit: number }) => Promise<LotFile[]>,
  pick: (id: number) => void,
): { press: Pressed; choose: Pressed } {
  const anchor = useRef(-1);
  const upTo = async (to: number) => {
    const [first, last] = [Math.min(anchor.current, to), Math.max(anchor.current, to)];
    for (let offset = first; offset <= last && offset < first + chosenAtOnce; offset += page)
      chosen.add(await filesIn({ offset, limit: Math.min(page, last - offset + 1) }));
  };
  const choose: Pressed = (file, index, event) => {
    if (event.shiftKey && anchor.current >= 0)
      upTo(index).catch((e: unknown) => tell('Not all are chosen', said(e), true));
    else chosen.toggle(file);
    anchor.current = index;
  };
  const press: Pressed = (file, index, event) => {
    if (event.ctrlKey || event.metaKey || event.shiftKey) return choose(file, index, event);
    anchor.current = index;
    pick(file.id);
  };
  // Rows keep one handler, so that none is rendered anew when what is chosen changes.
  const now = useRef<{ press: Pressed; choose: Pressed }>(null);
  useEffect(() => {
    now.current = { press, choose };
  });
  return {
    press: useCallback(
      (file: LotFile, index: number, event: MouseEvent) => now.current?.press(file, index, event),
      [],
    ),
    choose: useCallback(
      (file: LotFile, index: number, event: MouseEvent) => now.current?.choose(file, index, event),
      [],
    ),
  };
}
