import { Button, NativeSelect, SegmentedControl, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState, type CSSProperties, type MouseEvent } from 'react';
import { useSearchParams } from 'react-router';
import type { SweepFinding, UpkeepView } from '../client';
import { listFindingsOptions } from '../client/@tanstack/react-query.gen';
import { useChosen } from '../shared/chosen';
import { useKeys } from '../shared/keys';
import { usePages } from '../shared/paging';
import { useRows } from '../shared/rows';
import { Empty, Failed } from '../shared/State';
import { atOf, tallOf } from '../shared/virtual';
import { ChosenFindings } from './ChosenFindings';
import { FindingCard, FindingRow, type FindingLook } from './FindingLooks';
import { FindingSide } from './FindingSide';
import { Groups } from './Groups';
import { useDeeds } from './deeds';
import { TakeFindings } from './TakeFindings';
import css from './Upkeep.module.css';
import { ages, daysBack, grouped, kinds, nothingOf } from './words';

export type Kind = SweepFinding['kind'];

/** Which findings are looked at. */
export interface Wanted {
  kind: Kind;
  reason?: string | undefined;
  q?: string | undefined;
  fresh?: true | undefined;
  before?: string | undefined;
  lot?: number | undefined;
  origin?: number | undefined;
}

/** What sweeps found: by kind and reason on the left, as contact sheet or table, with the one at hand. */
export function Findings({ upkeep }: { upkeep: UpkeepView }) {
  const [search, setSearch] = useSearchParams();
  const [text, setText] = useState(search.get('q') ?? '');
  const [q] = useDebouncedValue(text.trim(), 150);
  const [out, setOut] = useState(false);
  const age = search.get('age') ?? '';
  const wanted: Wanted = {
    kind: (Object.keys(kinds) as Kind[]).find((k) => k === search.get('kind')) ?? 'orphans',
    reason: search.get('reason') ?? undefined,
    q: q || undefined,
    fresh: search.get('fresh') ? true : undefined,
    before: age ? daysBack(Number(age)) : undefined,
    lot: Number(search.get('lot')) || undefined,
    origin: Number(search.get('origin')) || undefined,
  };
  const pictures = wanted.kind !== 'lying';
  const table = !pictures || search.get('as') === 'table';
  const set = (change: Record<string, string>) =>
    setSearch(
      (now) => {
        for (const [name, value] of Object.entries(change)) {
          if (value) now.set(name, value);
          else now.delete(name);
        }
        return now;
      },
      { replace: true },
    );
  return (
    <div className={css.body}>
      <Groups
        groups={upkeep.groups}
        wanted={wanted}
        onWant={(kind, reason, fresh) => set({ kind, reason: reason ?? '', fresh: fresh ? '1' : '' })}
      />
      <section className={css.main} aria-label="Findings">
        <div className={`spread ${css.filters}`}>
          <TextInput
            value={text}
            onChange={(e) => setText(e.currentTarget.value)}
            placeholder="Part of a path"
            aria-label="Part of a path"
          />
          <NativeSelect
            aria-label="Age"
            data={ages}
            value={age}
            onChange={(e) => set({ age: e.currentTarget.value })}
          />
          {(wanted.lot ?? wanted.origin) !== undefined && (
            <Button onClick={() => set({ lot: '', origin: '' })}>
              Of one {wanted.lot ? 'lot' : 'origin'} alone: show all
            </Button>
          )}
          <Button className="push" onClick={() => setOut(true)}>
            Take out…
          </Button>
          {out && <TakeFindings wanted={wanted} onClose={() => setOut(false)} />}
          {pictures && (
            <SegmentedControl
              value={table ? 'table' : 'grid'}
              onChange={(v) => set({ as: v === 'table' ? 'table' : '' })}
              aria-label="Shown as"
              data={[
                { value: 'grid', label: 'Contact sheet' },
                { value: 'table', label: 'Table' },
              ]}
            />
          )}
        </div>
        <List
          key={`${JSON.stringify(wanted)}|${table}`}
          upkeep={upkeep}
          wanted={wanted}
          table={table}
          onNarrow={(by, id) => set({ lot: '', origin: '', [by]: String(id) })}
        />
      </section>
    </div>
  );
}

/** Pixels: of a row of the table and of the contact sheet, and of a card with its gap. */
const rowHeight = 44;
const gridHeight = 222;
/** Cards are no wider, so that a row is no taller. */
const cardWidth = 152;
const gap = 14;
const padding = 32;

interface ListProps {
  upkeep: UpkeepView;
  wanted: Wanted;
  table: boolean;
  onNarrow: (by: 'lot' | 'origin', id: number) => void;
}

/** By keys: arrows go, m chooses, with Shift up to there, h holds, k keeps, p pins, space shows large. */
function List({ upkeep, wanted, table, onNarrow }: ListProps) {
  const box = useRef<HTMLDivElement>(null);
  const client = useQueryClient();
  const [total, setTotal] = useState(0);
  const [across, setAcross] = useState(5);
  const [at, setAt] = useState(0);
  const [whole, setWhole] = useState(false);
  const [large, setLarge] = useState(false);
  const wide = table ? 1 : across;
  const rows = useRows({
    count: Math.ceil(total / wide),
    box: () => box.current,
    height: table ? rowHeight : gridHeight,
    onWidth: (width) => setAcross(Math.max(2, Math.ceil((width - padding + gap) / (cardWidth + gap)))),
  });
  const { seen } = rows;
  const query = (offset: number, limit: number) =>
    listFindingsOptions({ query: { ...wanted, offset, limit } });
  const findings = usePages<SweepFinding>(
    (seen[0]?.index ?? 0) * wide,
    (seen.at(-1)?.index ?? 0) * wide + wide,
    ({ offset, limit }) => query(offset, limit),
  );
  if (findings.total !== total && !findings.loading) setTotal(findings.total);
  const chosen = useChosen<SweepFinding>(
    total,
    async (offset, limit) => (await client.fetchQuery(query(offset, limit))).items,
  );
  const clear = () => {
    chosen.clear();
    setWhole(false);
  };
  const here = findings.at(Math.min(at, total - 1));
  const deeds = useDeeds(clear);
  const meant = whole ? { where: wanted } : { ids: chosen.items.map((f) => f.id) };
  const orHere = whole || chosen.items.length > 0 ? meant : { ids: here ? [here.id] : [] };
  const files = chosen.items.length > 0 ? chosen.items : here ? [here] : [];
  const go = (to: number, choosing: boolean) => {
    const next = Math.min(Math.max(0, to), total - 1);
    if (total === 0) return;
    setAt(next);
    rows.scrollTo(Math.floor(next / wide));
    if (choosing) chosen.upTo(next, at);
  };
  useKeys(
    {
      ArrowRight: (e) => go(at + 1, e.shiftKey),
      ArrowLeft: (e) => go(at - 1, e.shiftKey),
      ArrowDown: (e) => go(at + wide, e.shiftKey),
      ArrowUp: (e) => go(at - wide, e.shiftKey),
      m: () => here && chosen.toggle(here, at),
      h: () => wanted.kind === 'orphans' && deeds.hold(orHere),
      k: () =>
        here && grouped(wanted.kind) && deeds.keep(here, files.includes(here) ? files : [...files, here]),
      p: () => !whole && deeds.askPin(files),
      s: () => !whole && deeds.askShelf(files),
      ' ': () => setLarge(true),
      Enter: () => setLarge(true),
      Escape: clear,
    },
    !large,
  );
  const press = (finding: SweepFinding, index: number) => (e: MouseEvent) => {
    setAt(index);
    if (e.shiftKey) chosen.upTo(index);
    else if (e.ctrlKey || e.metaKey) chosen.toggle(finding, index);
  };
  const item = (index: number) => {
    const finding = findings.at(index);
    if (!finding) return <div key={index} className={table ? 'row' : 'card'} />;
    const look: FindingLook = {
      finding,
      at: index === at,
      fresh: finding.fresh && upkeep.sweeps.length > 1,
      chosen: whole || chosen.has(finding.id),
      onPress: press(finding, index),
      onChoose: (e) => (e.shiftKey ? chosen.upTo(index) : chosen.toggle(finding, index)),
    };
    return table ? <FindingRow key={finding.id} {...look} /> : <FindingCard key={finding.id} {...look} />;
  };
  if (findings.error) return <Failed error={findings.error} />;
  return (
    <div className={css.split}>
      <div className={css.main}>
        <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Found">
          {!findings.loading && findings.total === 0 && <Nothing upkeep={upkeep} wanted={wanted} />}
          {table && findings.total > 0 && (
            <div className={`row th ${css.line}`}>
              <span />
              <span />
              <span>File</span>
              <span>Why</span>
              <span>{wanted.kind === 'below' || wanted.kind === 'lying' ? 'Of' : 'Lot'}</span>
              <span className="num">Since</span>
              <span className="num">Size</span>
              <span className="num">Frees</span>
            </div>
          )}
          <div className="tall" style={tallOf(rows.size)}>
            {seen.map((row) => (
              <div
                key={row.key}
                className={table ? 'at' : `at ${css.gridrow}`}
                style={{ ...atOf(row), '--across': wide } as CSSProperties}
              >
                {Array.from({ length: Math.min(wide, total - row.index * wide) }, (_, i) =>
                  item(row.index * wide + i),
                )}
              </div>
            ))}
          </div>
        </div>
        <ChosenFindings
          wanted={wanted}
          chosen={chosen}
          whole={whole}
          total={total}
          deeds={deeds}
          onWhole={() => setWhole(true)}
          onClear={clear}
        />
      </div>
      <aside className={css.side} aria-label="At hand">
        {here && (
          <FindingSide
            key={here.id}
            finding={here}
            upkeep={upkeep}
            deeds={deeds}
            large={large}
            onLarge={setLarge}
            onNarrow={onNarrow}
          />
        )}
      </aside>
      {deeds.dialog}
    </div>
  );
}

function Nothing({ upkeep, wanted }: { upkeep: UpkeepView; wanted: Wanted }) {
  if (!upkeep.waiting.sweptAt)
    return (
      <Empty title="Nothing was looked for yet.">
        Sweep now: it asks of every file who needs it. Nothing is changed by that.
      </Empty>
    );
  const { kind, ...chosen } = wanted;
  if (Object.values(chosen).some((one) => one !== undefined))
    return <Empty title="Nothing of that kind was found." />;
  return <Empty title={nothingOf[kind] ?? ''} />;
}
