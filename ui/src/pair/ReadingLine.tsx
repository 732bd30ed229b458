import { useResizeObserver } from '@mantine/hooks';
import { useMemo, type CSSProperties } from 'react';
import { linesOf, partsOf, type Against, type Cell, type Line, type Piece, type Read } from './readingParts';

/**
 * Pixels: of a character of the line's face at its size, and of what stands beside the characters
 * (theme.css).
 */
const character = 10.4;
const beside = 30;

const noClaims: string[] = [];

/**
 * The file's name and the product's key, one above the other, character against character; labels below.
 * claims: the keys that claim the file, in
 * the order in which they can be chosen. tight: without a line for the key where there is none.
 */
export function ReadingLine({
  file,
  against,
  claims = noClaims,
  tight = false,
}: {
  file: Read;
  against: Against | undefined;
  claims?: string[];
  tight?: boolean;
}) {
  const [box, { width }] = useResizeObserver<HTMLDivElement>();
  const across = width > 0 ? Math.max(8, Math.floor((width - beside) / character)) : 60;
  const lines = useMemo(
    () => linesOf(partsOf(file, against, claims), across),
    [file, against, claims, across],
  );
  const keyed = !tight || lines.some((l) => l.keyed);
  return (
    <div className="reading" aria-label="Reading" role="group" ref={box}>
      {lines.map((line, i) => (
        <ReadingRow key={i} line={line} keyed={keyed} />
      ))}
    </div>
  );
}

function ReadingRow({ line, keyed }: { line: Line; keyed: boolean }) {
  return (
    <div className="reading-row">
      <div className="chars">
        {line.pieces.map((p) => (
          <Pieces key={p.at} piece={p} of="read" />
        ))}
      </div>
      {keyed && (
        <div className="chars key">
          {line.pieces.map((p) => (
            <Pieces key={p.at} piece={p} of="key" />
          ))}
        </div>
      )}
      <div className="labels" style={{ '--rows': line.rows } as CSSProperties}>
        {line.labels.map((l) => (
          <span
            key={l.at}
            className={`label ${l.kind}${claimOf(l.claim)}`}
            style={{ '--at': l.at, '--label-row': l.row } as CSSProperties}
          >
            {l.text}
          </span>
        ))}
      </div>
    </div>
  );
}

const claimOf = (claim: number) => (claim > 0 ? ` claim claim-${claim > 2 ? 3 : claim}` : '');

/** One part's characters: of the name, or of the key below it. */
function Pieces({ piece: { part, cells }, of }: { piece: Piece; of: 'read' | 'key' }) {
  return (
    <span className={`part ${part.kind}${claimOf(part.claim)}`}>
      {cells.map((c, n) => (
        <span key={n} className={lookOf(c, part.keyed, of)}>
          {textOf(c, part.keyed, of)}
        </span>
      ))}
    </span>
  );
}

const textOf = (c: Cell, keyed: boolean, of: 'read' | 'key') =>
  of === 'read' ? c.read || '·' : keyed ? c.key || '·' : ' ';

/** Letter case and separators are differences that the rung explains; only the others are marked. */
function lookOf(c: Cell, keyed: boolean, of: 'read' | 'key'): string | undefined {
  if (c[of] === '' && (of === 'read' || keyed)) return 'gap';
  if (!keyed || c.same || c.read.toLowerCase() === c.key.toLowerCase()) return undefined;
  return /[\p{L}\p{N}]/u.test(c.read + c.key) ? 'off' : undefined;
}
