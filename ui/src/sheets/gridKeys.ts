import { useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import type { CellEdit, JudgedRow } from '../client';
import { blockOf, valueOf, withValue } from './edits';
import type { useEdits } from './useEdits';

/** The cell at hand: row −1 is the header of the column. */
export interface At {
  row: number;
  column: number;
}

/** How many rows of a block can be pasted at once. */
const longestBlock = 500;

interface With {
  at: At;
  setAt: (at: At) => void;
  rows: number;
  columns: number;
  rowAt: (index: number) => JudgedRow | undefined;
  edits: ReturnType<typeof useEdits>;
  tall: () => number; // rows in sight
  show: (at: At) => void;
  focus: () => void; // gives the grid the keys back
}

/** Where a person goes from a cell that they typed into; stay: the keys are elsewhere already. */
export type Then = 'down' | 'right' | 'back' | 'stay';

/** The keys of a spreadsheet: arrows, Enter, typing over, copying, pasting a block, undo. */
export function useGridKeys({ at, setAt, rows, columns, rowAt, edits, tall, show, focus }: With) {
  const [typed, setTyped] = useState<string>();

  const go = (row: number, column: number) => {
    const next = {
      row: Math.min(Math.max(0, row), rows - 1),
      column: Math.min(Math.max(0, column), columns - 1),
    };
    setTyped(undefined);
    setAt(next);
    show(next);
  };

  const write = (value: string) => {
    const row = rowAt(at.row);
    if (row && value !== valueOf(row, at.column))
      edits.change([{ row, edits: withValue(row, at.column, value) }]);
  };

  const done = (text: string | undefined, then: Then) => {
    if (typed === undefined) return;
    setTyped(undefined);
    if (text !== undefined) write(text);
    if (then === 'down') go(at.row + 1, at.column);
    if (then === 'right') go(at.row, at.column + 1);
    if (then !== 'stay') focus();
  };

  const moves: Record<string, () => void> = {
    ArrowDown: () => go(at.row + 1, at.column),
    ArrowUp: () => go(at.row - 1, at.column),
    ArrowLeft: () => go(at.row, at.column - 1),
    ArrowRight: () => go(at.row, at.column + 1),
    PageDown: () => go(at.row + tall(), at.column),
    PageUp: () => go(at.row - tall(), at.column),
    Home: () => go(at.row, 0),
    End: () => go(at.row, columns - 1),
    Tab: () => go(at.row, at.column + 1),
    Delete: () => write(''),
    Backspace: () => write(''),
    Enter: open,
    F2: open,
  };

  function open() {
    const row = rowAt(at.row);
    if (row) setTyped(valueOf(row, at.column));
  }

  const press = (e: KeyboardEvent) => {
    if (typed !== undefined) return;
    if ((e.ctrlKey || e.metaKey) && e.key === 'z') {
      e.preventDefault();
      edits.undo();
      return;
    }
    if ((e.ctrlKey || e.metaKey) && (e.key === 'Home' || e.key === 'End')) {
      e.preventDefault();
      go(e.key === 'Home' ? 0 : rows - 1, at.column);
      return;
    }
    if (e.ctrlKey || e.metaKey || e.altKey || (e.key === 'Tab' && (e.shiftKey || at.row < 0))) return;
    const move = moves[e.key];
    if (move) {
      e.preventDefault();
      e.stopPropagation();
      move();
    } else if (e.key.length === 1 && at.row >= 0) {
      // The field opens before the character is typed, which goes into it; input methods work too.
      e.stopPropagation();
      setTyped('');
    }
  };

  const paste = (e: ClipboardEvent) => {
    if (typed !== undefined || at.row < 0) return;
    e.preventDefault();
    const block = blockOf(e.clipboardData.getData('text/plain')).slice(0, longestBlock);
    const changes = block.flatMap((cells, down) => {
      const row = rowAt(at.row + down);
      if (!row) return [];
      let changed: JudgedRow = row;
      cells.forEach((value, right) => {
        if (at.column + right < columns)
          changed = { ...changed, edits: withValue(changed, at.column + right, value) as CellEdit[] };
      });
      return [{ row, edits: changed.edits }];
    });
    edits.change(changes);
  };

  const copy = (e: ClipboardEvent) => {
    const row = rowAt(at.row);
    if (typed !== undefined || !row) return;
    e.preventDefault();
    e.clipboardData.setData('text/plain', valueOf(row, at.column));
  };

  return { typed, setTyped, done, press, paste, copy, focus };
}
