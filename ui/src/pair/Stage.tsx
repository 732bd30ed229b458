import { Kbd } from '@mantine/core';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { type FileDetail, type SheetLine } from '../client';
import { baseName, bytes } from '../shared/format';
import { large, thumb } from '../shared/Picture';
import { sameTarget, targetKey } from '../shared/target';
import { Verdict } from '../shared/Verdict';
import { CodePlaces, shownSide } from './CodePlaces';
import { ReadingLine } from './ReadingLine';
import css from './Bench.module.css';
import type { Against } from './readingParts';

/** The picture, large, with the barcodes that were read in it. */
export function Stage({ file, onLarge }: { file: FileDetail; onLarge: () => void }) {
  return (
    <button className={`link stage mat ${css.enlarges}`} onClick={onLarge} aria-label="Large view">
      {file.sum && !file.problem ? (
        <>
          <StagePicture key={file.sum} file={file} />
          <CodePlaces file={file} />
        </>
      ) : (
        <span className="none">{file.problem || 'no picture'}</span>
      )}
    </button>
  );
}

/** Tells whether the picture of a file, or its thumbnail, is on the screen; or that there is none to show. */
export function isPictured(file: FileDetail): boolean {
  const stage = document.querySelector('.bench .stage');
  if (!stage || stage.querySelector('.none')) return true;
  return [...stage.querySelectorAll('img')].some(
    (img) => img.src.includes(`/media/${file.sum}/`) && img.complete && img.naturalWidth > 0,
  );
}

/** A picture whose thumbnail stands in its place until it is here. */
function StagePicture({ file }: { file: FileDetail }) {
  const [state, setState] = useState<'coming' | 'small' | 'here' | 'broken'>('coming');
  const { sum, width, height } = file;
  const part = Math.min(1, shownSide / Math.max(width, height, 1));
  const size = width > 0 && {
    width: `min(100%, ${width * part}px)`,
    height: `min(100%, ${height * part}px)`,
  };
  if (state === 'broken')
    return (
      <div className="mat">
        <span className="none broken">This picture cannot be shown.</span>
      </div>
    );
  return (
    <div className="mat" aria-busy={state === 'coming'}>
      {state !== 'here' && (
        <img src={thumb(sum)} alt="" style={size || {}} onLoad={() => setState('small')} />
      )}
      <img
        className={state !== 'here' ? css.coming : undefined}
        src={large(sum)}
        alt=""
        decoding="async"
        draggable={false}
        onLoad={() => setState('here')}
        onError={() => setState('broken')}
      />
    </div>
  );
}

/** What is known of the file: its verdict and why, its name held against the key, what the sheet says. */
export function Told({
  file,
  against,
  claims,
  children,
}: {
  file: FileDetail;
  against: Against | undefined;
  claims: string[];
  children: ReactNode;
}) {
  return (
    <div className={css.below}>
      <div className="spread wrap">
        <Verdict verdict={file.verdict} />
        <span>{file.problem || file.reason}</span>
        <span className="push quiet">
          {file.width > 0 && `${file.width} × ${file.height}, `}
          {bytes(file.bytes)}
          {file.same > 0 && `, the same bytes ${file.same + 1} times`}
        </span>
      </div>
      <ReadingLine file={file} against={against} claims={claims} />
      {file.restored && (
        <span className="quiet">
          read as <span className="mono">{baseName(file.restored)}</span>
        </span>
      )}
      <PlacedOn file={file} />
      <SheetLines lines={file.rows} />
      {children}
    </div>
  );
}

/** Where plans placed the file, and what a decision that differs leads to. */
function PlacedOn({ file }: { file: FileDetail }) {
  if (file.placedOn.length === 0) return null;
  const shown = [...(file.target ? [file.target] : []), ...file.others.map((o) => o.target)];
  const corrected =
    file.verdict !== 'paired' ||
    shown.length !== file.placedOn.length ||
    file.placedOn.some((p) => !shown.some((t) => sameTarget(t, p.target)));
  return (
    <span className={corrected ? undefined : 'quiet'}>
      Placed on{' '}
      {file.placedOn.map((p, i) => (
        <span key={targetKey(p.target)}>
          {i > 0 && ', '}
          <Link className="link mono" to={`/plans/${p.plan}`}>
            {p.code}
          </Link>
          {!p.stands && ' (removed or moved by hand since)'}
        </span>
      ))}
      {corrected
        ? '. The next plan of this lot corrects it.'
        : '. If that is wrong, decide again: the next plan corrects it.'}
    </span>
  );
}

const named = [
  ['Enter', 'accept'],
  ['f', 'find'],
  ['x', 'set aside'],
  ['X', 'why'],
  ['s', 'later'],
  ['p', 'place'],
  ['v', 'view'],
  ['o', 'reopen'],
  ['m', 'choose'],
  ['u', 'undo'],
  ['U', 'redo'],
  ['n', 'next'],
  ['c', 'clues'],
] as const;

type Named = (typeof named)[number][0];

/** The keys of the bench, which can be pressed with the mouse as well. */
export function BenchKeys({ keys, disabled }: { keys: Record<Named, () => void>; disabled: boolean }) {
  return (
    <div className="keys" aria-label="Keys on the bench">
      {named.map(([k, what]) => (
        <button key={k} className="link" disabled={disabled} onClick={() => keys[k]()}>
          <Kbd>{k}</Kbd> {what}
        </button>
      ))}
    </div>
  );
}

/** What a sheet that came with the lot says of the file, row by row. */
function SheetLines({ lines }: { lines: SheetLine[] }) {
  if (lines.length === 0) return null;
  return (
    <div className="sheetlines" role="group" aria-label="Rows of the sheet">
      {lines.map((l) => (
        <div key={`${l.line}-${l.file}`} className="spread wrap">
          <span className="quiet">row {l.line} of the sheet</span>
          <span className="mono">{l.file}</span>
          <span className="mono sku">{l.sku}</span>
          <span>
            {[l.place > 0 && `place ${l.place}`, l.view, l.lead && 'lead', l.alt && `“${l.alt}”`]
              .filter(Boolean)
              .join(', ')}
          </span>
        </div>
      ))}
    </div>
  );
}
