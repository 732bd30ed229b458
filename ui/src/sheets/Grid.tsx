import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, useState, type CSSProperties } from 'react';
import type { Column, JudgedRow, SheetPage } from '../client';
import { listSheetRowsOptions } from '../client/@tanstack/react-query.gen';
import { usePages } from '../shared/paging';
import { useRows } from '../shared/rows';
import { Empty, Failed } from '../shared/State';
import { Cell, Head } from './Cells';
import { isLeft, valueOf } from './edits';
import css from './Grid.module.css';
import { useGridKeys, type At } from './gridKeys';
import { RowMark } from './RowMark';
import type { useEdits } from './useEdits';
import { inFixedWidth } from './words';

/** Which rows are shown. */
export interface RowsWanted {
  verdict?: JudgedRow['verdict'];
  column?: number;
  judgement?: string;
  q?: string;
}

/** Pixels: of a row, of the headers, of what stands before the cells, and bounds of a column. */
const rowHeight = 28;
const headHeight = 46;
const gutter = 74;
const narrowest = 84;
const widest = 280;
const perCharacter = 7.4;
const perFixed = 8.6;

/** How many rows are looked at for how wide a column has to be. */
const measured = 40;

interface Props {
  sheet: SheetPage;
  wanted: RowsWanted;
  edits: ReturnType<typeof useEdits>;
  at: At;
  setAt: (at: At) => void;
  onRow: (row: JudgedRow | undefined) => void;
}

/** The rows of a sheet as they were judged, worked on as in a spreadsheet. */
export function Grid({ sheet, wanted, edits, at, setAt, onRow }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const columns = sheet.mapping.columns;
  const [total, setTotal] = useState(0);
  const rows = useRows({ count: total, box: () => box.current, height: rowHeight, head: headHeight });
  const { seen } = rows;
  const pages = usePages<JudgedRow>(seen[0]?.index ?? 0, seen.at(-1)?.index ?? 0, (window) =>
    listSheetRowsOptions({ path: { id: sheet.id }, query: { ...window, ...wanted } }),
  );
  if (pages.total !== total && !pages.loading) setTotal(pages.total);
  const rowAt = (index: number) => {
    const row = pages.at(index);
    return row && (edits.judged.get(row.row) ?? row);
  };
  const sample = rowsFrom(pages.at, measured);
  const widths = columns.map((c, i) => widthOf(c, sample, i));
  const measures = widths.join(' ');
  const across = useVirtualizer({
    horizontal: true,
    count: columns.length,
    getScrollElement: () => box.current,
    estimateSize: (i) => widths[i] ?? narrowest,
    paddingStart: gutter,
    scrollPaddingStart: gutter,
    overscan: 3,
  });
  useEffect(() => across.measure(), [across, measures]);
  const here = rowAt(at.row);
  useEffect(() => onRow(here), [here, onRow]);
  const keys = useGridKeys({
    at,
    setAt,
    rows: pages.total,
    columns: columns.length,
    rowAt,
    edits,
    tall: () => Math.max(1, Math.floor((box.current?.clientHeight ?? 0) / rowHeight) - 3),
    focus: () => box.current?.focus({ preventScroll: true }),
    show: (next) => {
      rows.scrollTo(next.row);
      if (next.column >= 0) across.scrollToIndex(next.column);
    },
  });
  if (pages.error) return <Failed error={pages.error} />;
  const room = {
    '--wide': `${across.getTotalSize()}px`,
    '--tall': `${rows.size}px`,
  } as CSSProperties;
  return (
    <div
      ref={box}
      className={`scroll ${css.grid}`}
      tabIndex={0}
      role="grid"
      aria-label="Rows"
      aria-rowcount={pages.total + 1}
      aria-colcount={columns.length + 1}
      onKeyDown={keys.press}
      onPaste={keys.paste}
      onCopy={keys.copy}
    >
      <div className={css.room} style={room}>
        <div className={css.heads} role="row">
          <span className={css.corner} role="columnheader" aria-label="Row" />
          {across.getVirtualItems().map((c) => {
            const column = columns[c.index];
            return (
              column && (
                <Head
                  key={c.key}
                  column={column}
                  at={c}
                  on={at.row < 0 && at.column === c.index}
                  onPress={() => setAt({ row: -1, column: c.index })}
                />
              )
            );
          })}
        </div>
        {!pages.loading && pages.total === 0 && <Empty title="No row is like this." />}
        {seen.map((r) => {
          const row = rowAt(r.index);
          return (
            <div
              key={r.key}
              className={row && isLeft(row) ? `${css.line} ${css.left}` : css.line}
              role="row"
              aria-rowindex={r.index + 2}
              style={{ '--top': `${r.start}px` } as CSSProperties}
            >
              <span className={css.number} role="rowheader" title={row?.verdict}>
                {row && <RowMark verdict={row.verdict} />}
                {row?.row}
              </span>
              {row &&
                across.getVirtualItems().map((c) => {
                  const is = at.row === r.index && at.column === c.index;
                  return (
                    <Cell
                      key={c.key}
                      row={row}
                      index={c.index}
                      column={columns[c.index]}
                      at={c}
                      is={is}
                      typed={is ? keys.typed : undefined}
                      onType={keys.setTyped}
                      onDone={keys.done}
                      onPress={() => {
                        setAt({ row: r.index, column: c.index });
                        keys.focus();
                      }}
                      onOpen={() => keys.setTyped(valueOf(row, c.index))}
                    />
                  );
                })}
            </div>
          );
        })}
      </div>
    </div>
  );
}

const rowsFrom = (at: (index: number) => JudgedRow | undefined, n: number) =>
  Array.from({ length: n }, (_, i) => at(i)).flatMap((row) => (row ? [row] : []));

/** How wide a column has to be for its header and its first values. */
function widthOf(c: Column, rows: JudgedRow[], column: number): number {
  const longest = Math.max(8, ...rows.map((r) => (r.values[column] ?? '').length));
  const wide = Math.max(
    c.column.length * perCharacter,
    longest * (inFixedWidth(c.field) ? perFixed : perCharacter),
  );
  return Math.min(widest, Math.max(narrowest, wide + 18));
}
