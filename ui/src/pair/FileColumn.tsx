import { useQueryClient } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useCallback, useEffect, useRef, useState, type ReactNode } from 'react';
import type { File as LotFile, FileDetail, Group, ListFilesData, Lot } from '../client';
import { listFilesOptions } from '../client/@tanstack/react-query.gen';
import { count, said } from '../shared/format';
import { usePages } from '../shared/paging';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { VerdictMark } from '../shared/Verdict';
import { atOf, tallOf } from '../shared/virtual';
import type { Chosen } from './chosen';
import { useChoosing } from './choosing';
import { FileRow, rowHeight } from './FileRow';
import { Groups, kindOf } from './Groups';
import type { Doing } from './history';
import { neighboursOf, useFetchAhead, type Neighbours } from './neighbours';

export type Class = 'contested' | 'loose' | 'paired' | 'set aside';

/** The column of files, by verdict. */
export function FileColumn({
  lot,
  cls,
  setClass,
  here,
  pick,
  onNeighbours,
  chosen,
  doing,
  children,
}: {
  lot: Lot;
  cls: Class;
  setClass: (c: Class) => void;
  here: FileDetail;
  pick: (id: number) => void;
  onNeighbours: (n: Neighbours) => void;
  chosen: Chosen;
  doing: Doing;
  children: ReactNode;
}) {
  const client = useQueryClient();
  /** Goes to the first file of what was chosen to be worked through. */
  const begin = useCallback(
    (query: NonNullable<ListFilesData['query']>) => {
      client
        .fetchQuery({
          ...listFilesOptions({ path: { id: lot.id }, query: { ...query, offset: 0, limit: 1 } }),
          staleTime: 0,
        })
        .then(
          ({ items }) => {
            if (items[0]) pick(items[0].id);
          },
          (e: unknown) => tell('The first file is not here', said(e), true),
        );
    },
    [client, lot.id, pick],
  );
  const chooseClass = (c: Class) => {
    setClass(c);
    begin({ verdict: c });
  };
  const classes: [Class, number][] = [
    ['contested', lot.contested],
    ['loose', lot.loose],
    ['paired', lot.paired],
    ['set aside', lot.setAside],
  ];
  const [kind, setKind] = useState<Group>();
  const [within, setWithin] = useState(0);
  const group = kind?.verdict === cls ? kind : undefined;
  const chooseKind = useCallback(
    (g: Group | undefined) => {
      setKind(g);
      setWithin(g?.files ?? 0);
      if (g) begin({ verdict: cls, ...ofGroup(g) });
    },
    [begin, cls],
  );
  return (
    <section aria-label="Files">
      <Classes classes={classes} cls={cls} onChoose={chooseClass} />
      <Groups lot={lot} verdict={cls} chosen={group} choose={chooseKind} doing={doing} />
      <Rows
        lot={lot.id}
        cls={cls}
        group={group}
        total={group ? within : (classes.find(([c]) => c === cls)?.[1] ?? 0)}
        onTotal={setWithin}
        here={here.id}
        pick={pick}
        onNeighbours={onNeighbours}
        chosen={chosen}
      />
      {children}
    </section>
  );
}

/** The query of a group's files: those that are surest first, where it has any. */
const ofGroup = (g: Group) => ({ ...kindOf(g), ...(g.sure > 0 ? { sort: 'score' as const } : {}) });

/** The files of a verdict or of a group in it, fetched as they come into sight. */
function Rows({
  lot,
  cls,
  group,
  total,
  onTotal,
  here,
  pick,
  onNeighbours,
  chosen,
}: {
  lot: number;
  cls: Class;
  group: Group | undefined;
  total: number;
  onTotal: (total: number) => void;
  here: number;
  pick: (id: number) => void;
  onNeighbours: (n: Neighbours) => void;
  chosen: Chosen;
}) {
  const client = useQueryClient();
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    overscan: 10,
  });
  const seen = rows.getVirtualItems();
  const ask = (window: { offset: number; limit: number }) =>
    listFilesOptions({
      path: { id: lot },
      query: { ...window, verdict: cls, ...(group ? ofGroup(group) : {}) },
    });
  const files = usePages<LotFile>(seen[0]?.index ?? 0, seen.at(-1)?.index ?? 0, ask);
  const { press, choose } = useChoosing(
    chosen,
    async (window) => (await client.fetchQuery(ask(window))).items,
    pick,
  );
  useEffect(() => {
    if (group && !files.loading && files.total !== total) onTotal(files.total);
  }, [group, files.loading, files.total, total, onTotal]);
  const around = neighboursOf(
    seen.map((row) => files.at(row.index)),
    here,
  );
  const first = files.at(0)?.id ?? 0;
  useEffect(
    () => onNeighbours({ before: around.before, after: around.after, first }),
    [around.before, around.after, first, onNeighbours],
  );
  useFetchAhead(around.ahead);
  const index = seen.find((row) => files.at(row.index)?.id === here)?.index;
  // Only a row out of sight is scrolled to, with what comes before and after it: asking how far a column can
  // scroll has the page laid out.
  useEffect(() => {
    const top = rows.scrollOffset ?? 0;
    const height = rows.scrollRect?.height ?? 0;
    if (index !== undefined && (index * rowHeight < top || (index + 1) * rowHeight > top + height))
      rows.scrollToIndex(index, { align: 'center' });
  }, [index, here, rows]);
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label={`Files, ${cls}`}>
      {files.error ? <Failed error={files.error} /> : total === 0 && <Empty title={`No file is ${cls}.`} />}
      <div className="tall" style={tallOf(rows.getTotalSize())}>
        {seen.map((row) => {
          const file = files.at(row.index);
          return (
            <div key={row.key} className="at" style={atOf(row)}>
              <FileRow
                file={file}
                index={row.index}
                on={file?.id === here}
                chosen={file !== undefined && chosen.has(file.id)}
                press={press}
                choose={choose}
              />
            </div>
          );
        })}
      </div>
    </div>
  );
}

function Classes({
  classes,
  cls,
  onChoose,
}: {
  classes: [Class, number][];
  cls: Class;
  onChoose: (c: Class) => void;
}) {
  return (
    <div className="classes" role="group" aria-label="Verdict">
      {classes.map(([c, n]) => (
        <button key={c} aria-pressed={c === cls} onClick={() => onChoose(c)}>
          <span className="verdict">
            <VerdictMark verdict={c} size={12} />
            <strong>{count(n)}</strong>
          </span>
          {c}
        </button>
      ))}
    </div>
  );
}
