import { useQueryClient } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { memo, useCallback, useEffect, useRef, useState, type MouseEvent, type ReactNode } from 'react';
import type { File as LotFile, FileDetail, Group, ListFilesData, Lot } from '../client';
import { getFileOptions, listFilesOptions } from '../client/@tanstack/react-query.gen';
import { baseName, count, said } from '../shared/format';
import { usePages } from '../shared/paging';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { VerdictMark } from '../shared/Verdict';
import { atOf, tallOf } from '../shared/virtual';
import type { Chosen } from './chosen';
import { Groups, kindOf } from './Groups';
import type { Doing } from './history';

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
  const anchor = useRef(-1);
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
  const group = kind?.verdict === cls ? kind : undefined;
  const all = classes.find(([c]) => c === cls)?.[1] ?? 0;
  const [within, setWithin] = useState(0);
  const total = group ? within : all;
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
      path: { id: lot.id },
      query: {
        ...window,
        verdict: cls,
        ...(group ? kindOf(group) : {}),
        ...(group && group.sure > 0 ? { sort: 'score' as const } : {}),
      },
    });
  const files = usePages<LotFile>(seen[0]?.index ?? 0, seen.at(-1)?.index ?? 0, ask);
  const chooseKind = useCallback(
    (g: Group | undefined) => {
      setKind(g);
      setWithin(g?.files ?? 0);
      if (g) begin({ verdict: cls, ...kindOf(g), ...(g.sure > 0 ? { sort: 'score' as const } : {}) });
    },
    [begin, cls],
  );
  const handlers = useRef<{ press: Pressed; choose: Pressed }>(null);
  const upTo = async (to: number) => {
    const [first, last] = [Math.min(anchor.current, to), Math.max(anchor.current, to)];
    for (let offset = first; offset <= last && offset < first + chosenAtOnce; offset += 500)
      chosen.add((await client.fetchQuery(ask({ offset, limit: Math.min(500, last - offset + 1) }))).items);
  };
  const choose = (file: LotFile, index: number, event: MouseEvent) => {
    if (event.shiftKey && anchor.current >= 0)
      upTo(index).catch((e: unknown) => tell('Not all are chosen', said(e), true));
    else chosen.toggle(file);
    anchor.current = index;
  };
  const press = (file: LotFile, index: number, event: MouseEvent) => {
    if (event.ctrlKey || event.metaKey || event.shiftKey) return choose(file, index, event);
    anchor.current = index;
    pick(file.id);
  };
  useEffect(() => {
    handlers.current = { press, choose };
  });
  const pressed = useCallback(
    (file: LotFile, index: number, event: MouseEvent) => handlers.current?.press(file, index, event),
    [],
  );
  const chose = useCallback(
    (file: LotFile, index: number, event: MouseEvent) => handlers.current?.choose(file, index, event),
    [],
  );
  if (group && !files.loading && files.total !== within) setWithin(files.total);
  const around = neighboursOf(
    seen.map((row) => files.at(row.index)),
    here.id,
  );
  const ahead = around.ahead.join(' ');
  const first = files.at(0)?.id ?? 0;
  useEffect(
    () => onNeighbours({ before: around.before, after: around.after, first }),
    [around.before, around.after, first, onNeighbours],
  );
  // The evidence of the next files is fetched before their turn comes, when the one that was asked for is on
  // the screen.
  useEffect(() => {
    const later = window.setTimeout(() => {
      for (const id of ahead.split(' '))
        if (id) void client.prefetchQuery(getFileOptions({ path: { id: Number(id) } }));
    }, 60);
    return () => window.clearTimeout(later);
  }, [ahead, client]);
  const index = seen.find((row) => files.at(row.index)?.id === here.id)?.index;
  // Only a row out of sight is scrolled to, with what comes before and after it: asking how far a column can
  // scroll has the page laid out.
  useEffect(() => {
    const top = rows.scrollOffset ?? 0,
      height = rows.scrollRect?.height ?? 0;
    if (index !== undefined && (index * rowHeight < top || (index + 1) * rowHeight > top + height))
      rows.scrollToIndex(index, { align: 'center' });
  }, [index, here.id, rows]);
  return (
    <section aria-label="Files">
      <div className="classes" role="group" aria-label="Verdict">
        {classes.map(([c, n]) => (
          <button key={c} aria-pressed={c === cls} onClick={() => chooseClass(c)}>
            <span className="verdict">
              <VerdictMark verdict={c} size={12} />
              <strong>{count(n)}</strong>
            </span>
            {c}
          </button>
        ))}
      </div>
      <Groups lot={lot} verdict={cls} chosen={group} choose={chooseKind} doing={doing} />
      <div className="scroll" ref={box} tabIndex={0} role="region" aria-label={`Files, ${cls}`}>
        {files.error ? <Failed error={files.error} /> : total === 0 && <Empty title={`No file is ${cls}.`} />}
        <div className="tall" style={tallOf(rows.getTotalSize())}>
          {seen.map((row) => {
            const file = files.at(row.index);
            return (
              <div key={row.key} className="at" style={atOf(row)}>
                <Row
                  file={file}
                  index={row.index}
                  on={file?.id === here.id}
                  chosen={file !== undefined && chosen.has(file.id)}
                  press={pressed}
                  choose={chose}
                />
              </div>
            );
          })}
        </div>
      </div>
      {children}
    </section>
  );
}

/** Pixels, as the theme has it. */
const rowHeight = 46;

type Pressed = (file: LotFile, index: number, event: MouseEvent) => void;

/** A file of the column; it is not rendered anew when the mark moves elsewhere. */
const Row = memo(function Row({
  file,
  index,
  on,
  chosen,
  press,
  choose,
}: {
  file: LotFile | undefined;
  index: number;
  on: boolean;
  chosen: boolean;
  press: Pressed;
  choose: Pressed;
}) {
  if (!file) return <div className="filerow" aria-hidden />; // on its way
  return (
    <div className={`filerow${on ? ' on' : ''}`}>
      <button onClick={(e) => press(file, index, e)} aria-current={on} title={file.path}>
        <Picture sum={file.sum} none="" />
        <span className="narrow">
          <span className="mono clip block">{baseName(file.path)}</span>
          <span className="why clip block">
            {file.code ? (
              <>
                {file.code}
                {file.place > 0 && `, place ${file.place}`}
                {file.view && `, ${file.view}`}
              </>
            ) : (
              file.reason
            )}
          </span>
        </span>
      </button>
      <input
        type="checkbox"
        tabIndex={-1}
        aria-label={`Choose ${baseName(file.path)}`}
        checked={chosen}
        onClick={(e) => choose(file, index, e)}
        readOnly
      />
    </div>
  );
});

/** How many files one press can choose. */
const chosenAtOnce = 20_000;

/**
 * The files before and behind the one that is shown, and the first of the list that is worked through; 0 for
 * none.
 */
export interface Neighbours {
  before: number;
  after: number;
  first: number;
}

/** How many files ahead are fetched before their turn comes. */
const fetchedAhead = 4;

function neighboursOf(
  files: (LotFile | undefined)[],
  here: number,
): Omit<Neighbours, 'first'> & { ahead: number[] } {
  const at = files.findIndex((f) => f?.id === here);
  const ids = (from: number) => files.slice(from, from + fetchedAhead).flatMap((f) => (f ? [f.id] : []));
  if (at < 0) return { before: 0, after: files.find((f) => f !== undefined)?.id ?? 0, ahead: ids(0) };
  return { before: files[at - 1]?.id ?? 0, after: files[at + 1]?.id ?? 0, ahead: ids(at + 1) };
}
