import { useEffect, useRef, useState, type CSSProperties } from 'react';
import { Link } from 'react-router';
import type { File as LotFile } from '../client';
import { listFilesOptions } from '../client/@tanstack/react-query.gen';
import { baseName, bytes, folderOf } from '../shared/format';
import { usePages } from '../shared/paging';
import { useRows } from '../shared/rows';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { Verdict } from '../shared/Verdict';
import { atOf, tallOf } from '../shared/virtual';
import { Marks } from './Marks';
import { HeldBack } from './Rights';
import css from './LotPage.module.css';
import type { Query } from './query';
export function Files({
  lot,
  query,
  table,
  onOpen,
  waiting,
  onTotal,
}: {
  lot: number;
  query: Query;
  table: boolean;
  onOpen: (f: LotFile) => void;
  waiting: boolean;
  onTotal: (n: number) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [total, setTotal] = useState(0);
  const [across, setAcross] = useState(7);
  const columns = table ? 1 : across;
  const rows = useRows({
    count: Math.ceil(total / columns),
    box: () => box.current,
    height: table ? 44 : 274,
    onWidth: (width) => setAcross(Math.max(2, Math.floor((width - 32) / 160))),
  });
  const { seen } = rows;
  const files = usePages<LotFile>(
    (seen[0]?.index ?? 0) * columns,
    (seen.at(-1)?.index ?? 0) * columns + columns,
    (window) => listFilesOptions({ path: { id: lot }, query: { ...query, ...window } }),
  );
  if (files.total !== total && !files.loading) setTotal(files.total);
  useEffect(() => {
    if (!files.loading) onTotal(files.total);
  }, [files.loading, files.total, onTotal]);
  if (files.error) return <Failed error={files.error} />;
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Files">
      {!files.loading && files.total === 0 && (
        <Empty
          title={
            waiting
              ? 'The files are being examined.'
              : query.q
                ? `No file’s name holds “${query.q}”.`
                : 'No file is here.'
          }
        >
          {waiting && 'They come up here as they are done; you can leave this page.'}
        </Empty>
      )}
      {table && files.total > 0 && (
        <div className={`row th ${css.line}`}>
          <span />
          <span>File</span>
          <span>Product or reason</span>
          <span className="num">Place</span>
          <span>View</span>
          <span className="num">Pixels</span>
          <span className="num">Size</span>
          <span>Marks</span>
          <span>Verdict</span>
          <span>Rights</span>
        </div>
      )}
      <div className="tall" style={tallOf(rows.size)}>
        {seen.map((row) => (
          <div key={row.key} className="at" style={atOf(row)}>
            {table ? (
              <FileRow file={files.at(row.index)} onOpen={onOpen} />
            ) : (
              <div className={css.cards} style={{ '--across': columns } as CSSProperties}>
                {Array.from({ length: Math.min(columns, total - row.index * columns) }, (_, i) => (
                  <FileCard key={i} file={files.at(row.index * columns + i)} onOpen={onOpen} />
                ))}
              </div>
            )}
          </div>
        ))}
      </div>
    </div>
  );
}

/** A picture as a list shows it; nothing of what is none. */
const shownOf = (file: LotFile) => (file.problem || file.verdict === 'sheet' ? '' : file.sum);

/** Where a person goes from a file: to the bench, of a sheet to that. */
const pathOf = (file: LotFile) =>
  file.sheet ? `/sheets/${file.sheet}` : `/pair/${file.lot}?file=${file.id}`;

const reasonOf = (file: LotFile) =>
  file.problem || (file.verdict === 'sheet' ? 'a sheet: what it says of files is a clue' : file.reason);

export function FileRow({ file, onOpen }: { file: LotFile | undefined; onOpen: (f: LotFile) => void }) {
  if (!file) return <div className={`row ${css.fileRow}`} />;
  return (
    <div className={`row pick ${css.line} ${css.tallLine}`}>
      <button
        className="link"
        onClick={() => onOpen(file)}
        disabled={!shownOf(file)}
        aria-label={`Show ${file.path}`}
      >
        <Picture sum={shownOf(file)} none="–" className="small" />
      </button>
      <Link className="link narrow" to={pathOf(file)} title={file.path}>
        <div className="mono clip">{baseName(file.path)}</div>
        {folderOf(file.path) && <div className="quiet clip small">{folderOf(file.path)}</div>}
      </Link>
      <span className="clip" title={reasonOf(file)}>
        {file.code ? (
          <span className="mono">{file.code}</span>
        ) : (
          <span className="quiet">{reasonOf(file)}</span>
        )}
      </span>
      <span className="num">{file.place || ''}</span>
      <span>{file.view}</span>
      <span className="num quiet">{file.width ? `${file.width} × ${file.height}` : ''}</span>
      <span className="num quiet">{bytes(file.bytes)}</span>
      <Marks file={file} most={1} />
      <Verdict verdict={file.verdict} />
      {file.verdict !== 'sheet' && <HeldBack file={file} />}
    </div>
  );
}

export function FileCard({ file, onOpen }: { file: LotFile | undefined; onOpen: (f: LotFile) => void }) {
  if (!file)
    return (
      <div className="card">
        <div className="mat" />
      </div>
    );
  if (file.sheet)
    return (
      <Link className="link card" to={pathOf(file)} title={file.path}>
        <Picture sum="" none="a sheet" />
        <span className="mono clip">{baseName(file.path)}</span>
        <Verdict verdict="sheet" />
      </Link>
    );
  return (
    <button className="link card" onClick={() => onOpen(file)} title={file.path}>
      <Picture sum={shownOf(file)} none={file.problem || 'not a picture'} />
      <span className="mono clip">{baseName(file.path)}</span>
      <span className="clip">
        <Verdict verdict={file.verdict} text={file.code || file.verdict} />
      </span>
      <span className="cardline quiet">
        <span>{file.width ? `${file.width} × ${file.height}` : ''}</span>
        <span className="push">
          <HeldBack file={file} />
        </span>
      </span>
      <span className="cardline">
        <Marks file={file} most={2} />
      </span>
    </button>
  );
}
