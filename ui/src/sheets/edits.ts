import type { CellEdit, JudgedRow, Remedy } from '../client';

/** What a cell says as a person changed it; as it came where nobody did. */
export function valueOf(row: JudgedRow, column: number): string {
  return editedValue(row, column) ?? row.values[column] ?? '';
}

export const editedValue = (row: JudgedRow, column: number) =>
  row.edits.find((e) => e.column === column && e.value !== undefined)?.value;

export const isLeft = (row: JudgedRow) => row.edits.some((e) => e.left);

/** The edits of a row with a cell's value: none where it is what came. */
export function withValue(row: JudgedRow, column: number, value: string): CellEdit[] {
  const others = row.edits.filter((e) => !(e.column === column && (e.value !== undefined || e.kept)));
  return value === (row.values[column] ?? '') ? others : [...others, { column, value }];
}

/** The edits of a row with what a remedy of a cell does. */
export function withRemedy(row: JudgedRow, column: number, kind: string, remedy: Remedy): CellEdit[] {
  switch (remedy.do) {
    case 'take':
      return withValue(row, column, remedy.value ?? '');
    case 'empty':
      return withValue(row, column, '');
    case 'keep':
      return [...row.edits, { column, kept: kind }];
    case 'leave':
      return [...row.edits, { column: -1, left: true }];
  }
}

/** Cells of a block as it comes by the clipboard: tabs between them, quotes around those with line ends. */
export function blockOf(text: string): string[][] {
  const rows: string[][] = [[]];
  let cell = '';
  let quoted = false;
  const end = () => {
    rows.at(-1)?.push(cell);
    cell = '';
  };
  for (let i = 0; i < text.length; i++) {
    const c = text[i];
    if (quoted) {
      if (c !== '"') cell += c;
      else if (text[i + 1] === '"') cell += text[i++];
      else quoted = false;
    } else if (c === '"' && cell === '') quoted = true;
    else if (c === '\t') end();
    else if (c === '\n') {
      end();
      rows.push([]);
    } else if (c !== '\r') cell += c;
  }
  end();
  const last = rows.at(-1);
  if (rows.length > 1 && last?.length === 1 && last[0] === '') rows.pop();
  return rows;
}
