import type { FileDetail, Span, Suggestion } from '../client';
import { align, bySpan, type Cell } from '../shared/align';
import { folderOf } from '../shared/format';

interface Part { kind: Span['kind']; what: string; cells: Cell[]; keyed: boolean }

/** What the line shows of a file, or of a name that is tried. */
type Read = Pick<FileDetail, 'path' | 'spans' | 'problem' | 'place'>;

/** The file's name and the product's key, one above the other, character against character. tight: without a line for the key where there is none. */
export function ReadingLine({ file, against, tight = false }: { file: Read; against: { key: string; suggestion?: Suggestion } | undefined; tight?: boolean }) {
  const parts = partsOf(file, against);
  const withKey = !tight || parts.some((p) => p.keyed);
  return (
    <div className="reading" aria-label="Reading" role="group">
      {parts.map((p, i) => (
        <div key={i} className={`span ${p.kind}`}>
          <div className="chars">{p.cells.map((c, n) => <span key={n} className={c.read === '' ? 'gap' : p.keyed && !c.same ? differs(c) : undefined}>{c.read || '·'}</span>)}</div>
          {withKey && <div className="chars key">{p.cells.map((c, n) => <span key={n} className={p.keyed && !c.same ? (c.key === '' ? 'gap' : differs(c)) : undefined}>{p.keyed ? c.key || '·' : ' '}</span>)}</div>}
          <div className={p.keyed && p.kind === 'noise' ? 'what over' : 'what'} title={p.what}>{fits(p) ? p.what : ''}</div>
        </div>
      ))}
    </div>
  );
}

/** Noise is named where there is room for it; keys, places and views always. */
const fits = (p: Part) => p.kind !== 'noise' || p.keyed || p.what.length * 6 <= p.cells.length * 10;

/** Letter case and separators are differences that the rung explains; only the others are marked. */
function differs(c: Cell): string | undefined {
  if (c.read.toLowerCase() === c.key.toLowerCase()) return undefined;
  return /[\p{L}\p{N}]/u.test(c.read + c.key) ? 'off' : undefined;
}

function partsOf(file: Read, against: { key: string; suggestion?: Suggestion } | undefined): Part[] {
  const cut = bySpan(file.path);
  const spans: Span[] = file.spans.length > 0 ? file.spans : [{ start: 0, end: new TextEncoder().encode(file.path).length, kind: 'noise', what: file.problem ? 'not read' : '' }];
  const near = against?.suggestion;
  if (near && spans.every((s) => s.kind !== 'key')) return nearParts(file, near);
  const keys = spans.filter((s) => s.kind === 'key' && s.what !== 'option');
  const named = keys.find((s) => s.what === against?.key) ?? keys[0];
  const folderEnd = new TextEncoder().encode(folderOf(file.path)).length + 1;
  return spans.map((s) => {
    const text = cut(s.start, s.end);
    const keyed = s === named && against !== undefined;
    const folder = s.end <= folderEnd && s.kind === 'noise';
    return { kind: s.kind, what: folder ? '' : labelOf(s, file), keyed, cells: keyed && against ? align(text, against.key) : plainCells(text) };
  });
}

function labelOf(s: Span, file: Read): string {
  switch (s.kind) {
    case 'key': return s.what === 'option' ? 'option' : 'key';
    case 'place': return `place ${file.place || ''}`.trim();
    case 'view': return s.what ? `view: ${s.what}` : 'view';
    default: return s.what ?? '';
  }
}

const plainCells = (text: string): Cell[] => [...text.normalize('NFC')].map((c) => ({ read: c, key: '', same: true }));

/** A loose name against the nearest key: what was read stands above it, the differing characters marked. */
function nearParts(file: Read, near: Suggestion): Part[] {
  const at = file.path.lastIndexOf(near.read);
  if (at < 0) return [{ kind: 'noise', what: '', keyed: false, cells: plainCells(file.path) }];
  const parts: Part[] = [];
  if (at > 0) parts.push({ kind: 'noise', what: '', keyed: false, cells: plainCells(file.path.slice(0, at)) });
  parts.push({ kind: 'noise', what: near.distance === 1 ? '1 character differs' : `${near.distance} characters differ`, keyed: true,
    cells: near.edits.map((e) => ({ read: e.read, key: e.key, same: e.read === e.key })) });
  const rest = file.path.slice(at + near.read.length);
  if (rest) parts.push({ kind: 'noise', what: '', keyed: false, cells: plainCells(rest) });
  return parts;
}
