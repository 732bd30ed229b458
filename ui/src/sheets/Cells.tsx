import type { VirtualItem } from '@tanstack/react-virtual';
import type { CSSProperties } from 'react';
import type { Column, JudgedRow } from '../client';
import { thumb } from '../shared/Picture';
import { editedValue, valueOf } from './edits';
import css from './Grid.module.css';
import type { Then } from './gridKeys';
import { inFixedWidth, takenFor } from './words';

const placed = (at: VirtualItem) =>
  ({ '--left': `${at.start}px`, '--width': `${at.size}px` }) as CSSProperties;

/** The field that is typed into has the keys from its first moment on. */
const focused = (input: HTMLInputElement | null) => input?.focus();

/** A column's header, and what it is taken for. */
export function Head({
  column,
  at,
  on,
  onPress,
}: {
  column: Column;
  at: VirtualItem;
  on: boolean;
  onPress: () => void;
}) {
  const state = column.field === '' ? css.open : column.sure ? '' : css.unsure;
  return (
    <button
      type="button"
      role="columnheader"
      className={`${css.head}${on ? ` ${css.on}` : ''}`}
      style={placed(at)}
      title={column.evidence}
      aria-selected={on}
      onClick={onPress}
    >
      <span className="clip">{column.column || '(no header)'}</span>
      <span className={`clip ${css.field} ${state}`}>
        {takenFor(column)}
        {column.field !== '' && !column.sure && ' – look at this'}
      </span>
    </button>
  );
}

interface CellProps {
  row: JudgedRow;
  index: number;
  column: Column | undefined;
  at: VirtualItem;
  is: boolean; // the cell at hand
  typed: string | undefined; // what is being typed into it
  onType: (text: string) => void;
  onDone: (text: string | undefined, then: Then) => void;
  onPress: () => void;
  onOpen: () => void;
}

/** A cell: what it says, and how it was judged. */
export function Cell(props: CellProps) {
  const { row, index, column, at, is, typed, onType, onDone, onPress, onOpen } = props;
  const asked = row.cells.filter((c) => c.column === index);
  const changes =
    row.verdict === 'change' &&
    row.changes.some((c) => c.field === column?.field && (!c.name || c.name === column.name));
  const looks = [css.cell];
  if (inFixedWidth(column?.field ?? '')) looks.push('mono');
  if (!column?.field) looks.push(css.unmapped);
  if (asked.some((c) => c.refuses)) looks.push(css.refused);
  else if (asked.length > 0) looks.push(css.asked);
  else if (changes) looks.push(css.changes);
  if (editedValue(row, index) !== undefined) looks.push(css.edited);
  if (is) looks.push(css.at);
  return (
    <span
      role="gridcell"
      tabIndex={-1}
      aria-colindex={index + 2}
      aria-selected={is}
      className={`clip ${looks.join(' ')}`}
      style={placed(at)}
      title={asked[0]?.reason}
      onMouseDown={(e) => {
        if (typed === undefined) {
          e.preventDefault();
          onPress();
        }
      }}
      onDoubleClick={onOpen}
    >
      {typed === undefined ? (
        <>
          {row.pictures
            .filter((p) => p.column === index)
            .map((p) => (
              <img key={p.sum} className={css.thumb} src={thumb(p.sum)} alt="" loading="lazy" />
            ))}
          {valueOf(row, index)}
        </>
      ) : (
        <input
          className={css.input}
          aria-label={column?.column || 'Cell'}
          ref={focused}
          value={typed}
          onChange={(e) => onType(e.currentTarget.value)}
          onBlur={() => onDone(typed, 'stay')}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === 'Enter') onDone(typed, 'down');
            if (e.key === 'Escape') onDone(undefined, 'back');
            if (e.key === 'Tab') {
              e.preventDefault();
              onDone(typed, 'right');
            }
          }}
        />
      )}
    </span>
  );
}
