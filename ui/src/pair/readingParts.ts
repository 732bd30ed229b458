import type { Aligned, FileDetail, Span, Suggestion } from '../client';
import { bySpan } from '../shared/bytes';
import { folderOf } from '../shared/format';

/** What the line shows of a file, or of a name that is tried. */
export type Read = Pick<FileDetail, 'path' | 'spans' | 'aligned' | 'problem' | 'place'>;

/** A character of the name, and the one of the key below it; "" where one of the two has none. */
export interface Cell {
  read: string;
  key: string;
  same: boolean;
}

/** The key that the name is held against, and the nearest one where the name holds none. */
export interface Against {
  key: string;
  suggestion?: Suggestion;
}

/** A part of the name. claim: the number of the choice whose key it is, 0 for none. */
export interface Part {
  kind: Span['kind'];
  what: string;
  cells: Cell[];
  keyed: boolean;
  claim: number;
  named: boolean;
}

/**
 * The parts of a name, each character in a cell of its own; a part that is a key has the key below it,
 * character for character.
 */
export function partsOf(file: Read, against: Against | undefined, claims: string[]): Part[] {
  const cut = bySpan(file.path);
  const bytes = (text: string) => new TextEncoder().encode(text).length;
  const unread: Span = {
    start: 0,
    end: bytes(file.path),
    kind: 'noise',
    what: file.problem ? 'not read' : '',
  };
  const spans = file.spans.length > 0 ? file.spans : [unread];
  const near = against?.suggestion;
  if (near && spans.every((s) => s.kind !== 'key')) return nearParts(file, near);
  const keys = spans.filter((s) => s.kind === 'key' && s.what !== 'option');
  const chosen = keys.find((s) => s.what === against?.key) ?? keys[0];
  const folderEnd = bytes(folderOf(file.path)) + 1;
  return spans.map((s) => {
    const text = cut(s.start, s.end);
    const claim = claims.length > 1 && keys.includes(s) ? claims.indexOf(s.what ?? '') + 1 : 0;
    const key = claim > 0 ? (s.what ?? '') : s === chosen ? (against?.key ?? '') : '';
    const folder = s.end <= folderEnd && s.kind === 'noise';
    const label = folder ? '' : claim > 0 ? `key ${claim}` : labelOf(s, file);
    return {
      kind: s.kind,
      what: label,
      keyed: key !== '',
      claim,
      named: s.kind !== 'noise',
      cells: keyCells(file.aligned, text, key),
    };
  });
}

function labelOf(s: Span, file: Read): string {
  switch (s.kind) {
    case 'key':
      return s.what === 'option' ? s.option || 'option' : 'key';
    case 'place':
      return `place ${file.place || ''}`.trim();
    case 'view':
      return s.what ? `view: ${s.what}` : 'view';
    default:
      return s.what ?? '';
  }
}

/** A part against its key as the server aligned the two; a part without a key by itself. */
function keyCells(aligned: Aligned[], text: string, key: string): Cell[] {
  const found = aligned.find((a) => a.read === text && a.key === key);
  if (!found) return plainCells(text);
  return found.edits.map((e) => ({ read: e.read, key: e.key, same: e.read === e.key }));
}

const plainCells = (text: string): Cell[] =>
  [...text.normalize('NFC')].map((c) => ({ read: c, key: '', same: true }));

const noise = (text: string): Part[] =>
  text === ''
    ? []
    : [{ kind: 'noise', what: '', keyed: false, claim: 0, named: false, cells: plainCells(text) }];

/** A loose name against the nearest key: what was read stands above it, the differing characters marked. */
function nearParts(file: Read, near: Suggestion): Part[] {
  const at = file.path.lastIndexOf(near.read);
  if (at < 0) return noise(file.path);
  const what = near.distance === 1 ? '1 character differs' : `${near.distance} characters differ`;
  const cells = near.edits.map((e) => ({ read: e.read, key: e.key, same: e.read === e.key }));
  return [
    ...noise(file.path.slice(0, at)),
    { kind: 'noise', what, keyed: true, claim: 0, named: true, cells },
    ...noise(file.path.slice(at + near.read.length)),
  ];
}

/** A piece of a part that stands on one line, and where its label stands below it. */
export interface Piece {
  part: Part;
  cells: Cell[];
  at: number;
  first: boolean;
}

export interface Label {
  text: string;
  kind: Part['kind'];
  claim: number;
  at: number;
  row: number;
}

export interface Line {
  pieces: Piece[];
  labels: Label[];
  rows: number;
  keyed: boolean;
}

/**
 * Labels are set in a smaller face: this much of a character's width is one of theirs, and as many characters
 * are kept between two.
 */
const labelWidth = 0.66;
const labelGap = 1.2;

/**
 * Breaks parts into lines of so many characters. A label stands below the first character of its part, in the
 * first row where it meets no other.
 */
export function linesOf(parts: Part[], width: number): Line[] {
  const lines: Line[] = [];
  let pieces: Piece[] = [];
  let at = 0;
  const end = () => {
    if (pieces.length > 0)
      lines.push({ pieces, ...labelsOf(pieces, width), keyed: pieces.some((p) => p.part.keyed) });
    pieces = [];
    at = 0;
  };
  for (const part of parts) {
    for (let from = 0; from < part.cells.length;) {
      if (at >= width) end();
      // A part that is named is kept on one line where it fits on one.
      if (from === 0 && part.named && at > 0 && at + part.cells.length > width && part.cells.length <= width)
        end();
      const cells = part.cells.slice(from, from + width - at);
      pieces.push({ part, cells, at, first: from === 0 });
      at += cells.length;
      from += cells.length;
    }
  }
  end();
  return lines;
}

function labelsOf(pieces: Piece[], width: number): { labels: Label[]; rows: number } {
  const ends: number[] = [];
  const labels: Label[] = [];
  for (const { part, at, first } of pieces) {
    if (!first || part.what === '') continue;
    const wide = part.what.length * labelWidth;
    const start = Math.max(0, Math.min(at, width - wide));
    let row = ends.findIndex((taken) => taken + labelGap <= start);
    if (row < 0) row = ends.length;
    // What is only noise is named where there is room in the first row.
    if (row > 0 && !part.named) continue;
    ends[row] = start + wide;
    labels.push({ text: part.what, kind: part.kind, claim: part.claim, at: start, row });
  }
  return { labels, rows: ends.length };
}
