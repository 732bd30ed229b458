import { Button } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState, type CSSProperties } from 'react';
import type { HeldFile, Holding } from '../client';
import {
  listHeldOptions,
  listHoldingsOptions,
  restoreHeldMutation,
} from '../client/@tanstack/react-query.gen';
import { baseName, bytes, said, some, when } from '../shared/format';
import { usePages } from '../shared/paging';
import { useRows } from '../shared/rows';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { atOf, tallOf } from '../shared/virtual';
import { Purge } from './Purge';
import css from './Upkeep.module.css';
import { reasonOf, until } from './words';

/** What is held: each holding with its term, what it would free, and the way back. */
export function Held() {
  const holdings = useQuery(listHoldingsOptions());
  const [open, setOpen] = useState(0);
  const [purging, setPurging] = useState<Holding[]>();
  if (holdings.error) return <Failed error={holdings.error} again={() => void holdings.refetch()} />;
  if (!holdings.data) return null;
  const all = holdings.data.items;
  if (all.length === 0)
    return (
      <Empty title="Nothing is held.">
        What you hold among the findings stands here until its term ends, and comes back with one key.
      </Empty>
    );
  const here = all.find((h) => h.id === open) ?? all[0];
  const due = all.filter((h) => new Date(h.until) <= new Date());
  return (
    <div className={css.held}>
      <div className={css.holdings}>
        {due.length > 0 && (
          <div className="note warn spread">
            <span>
              {some(
                due.reduce((n, h) => n + h.held, 0),
                'file',
              )}{' '}
              past their term.
            </span>
            <Button className="push" onClick={() => setPurging([])}>
              Purge them…
            </Button>
          </div>
        )}
        {all.map((h) => (
          <Line
            key={h.id}
            holding={h}
            on={h.id === here?.id}
            onOpen={() => setOpen(h.id)}
            onPurge={() => setPurging([h])}
          />
        ))}
      </div>
      {here && <Files key={here.id} holding={here} />}
      {purging && <Purge holdings={purging} due={due} onClose={() => setPurging(undefined)} />}
    </div>
  );
}

function useRestore() {
  const client = useQueryClient();
  return useMutation({
    ...restoreHeldMutation(),
    onError: (e) => {
      tell('Not given back', said(e), true);
      void client.invalidateQueries();
    },
    onSuccess: ({ files }) => {
      void client.invalidateQueries();
      tell('Given back', `${some(files, 'file')} are what they were.`);
    },
  });
}

interface OneHolding {
  holding: Holding;
  on: boolean;
  onOpen: () => void;
  onPurge: () => void;
}

function Line({ holding: h, on, onOpen, onPurge }: OneHolding) {
  const restore = useRestore();
  return (
    <div className={`sheet ${css.holding}${on ? ` ${css.on}` : ''}`}>
      <button className="link" onClick={onOpen} aria-pressed={on}>
        <strong>{some(h.held, 'file')}</strong>, {until(h.until)}
        <span className="quiet block">
          {bytes(h.bytes)}, frees {bytes(h.frees)}
        </span>
        <span className="quiet block">
          held by {h.actor}, {when(h.at)}
          {h.because && `: ${h.because}`}
          {h.held < h.files && `; ${some(h.files - h.held, 'file')} came back`}
        </span>
      </button>
      <div className="spread">
        <Button
          variant="filled"
          loading={restore.isPending}
          onClick={() => restore.mutate({ path: { id: h.id }, body: {} })}
        >
          Give all back
        </Button>
        <Button onClick={onPurge}>Purge now…</Button>
      </div>
    </div>
  );
}

/** Pixels: of a row of cards, and of a card with its gap. */
const gridHeight = 246;
/** Cards are no wider, so that a row is no taller. */
const cardWidth = 152;
const gap = 14;
const padding = 32;

function Files({ holding }: { holding: Holding }) {
  const box = useRef<HTMLDivElement>(null);
  const restore = useRestore();
  const [across, setAcross] = useState(5);
  const total = holding.held;
  const rows = useRows({
    count: Math.ceil(total / across),
    box: () => box.current,
    height: gridHeight,
    onWidth: (width) => setAcross(Math.max(2, Math.ceil((width - padding + gap) / (cardWidth + gap)))),
  });
  const { seen } = rows;
  const files = usePages<HeldFile>(
    (seen[0]?.index ?? 0) * across,
    (seen.at(-1)?.index ?? 0) * across + across,
    (window) => listHeldOptions({ path: { id: holding.id }, query: window }),
  );
  if (files.error) return <Failed error={files.error} />;
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Held files">
      <div className="tall" style={tallOf(rows.size)}>
        {seen.map((row) => (
          <div
            key={row.key}
            className={`at ${css.gridrow}`}
            style={{ ...atOf(row), '--across': across } as CSSProperties}
          >
            {Array.from({ length: Math.min(across, total - row.index * across) }, (_, i) => {
              const f = files.at(row.index * across + i);
              return f ? (
                <div key={f.file} className="card" title={f.path}>
                  <Picture sum={f.problem ? '' : f.sum} none={f.problem || 'not a picture'} />
                  <span className="mono clip">{baseName(f.path)}</span>
                  <span className="clip quiet">{reasonOf(f.reason)}</span>
                  <span className="spread small quiet">
                    {bytes(f.bytes)}
                    <Button
                      className="push"
                      size="compact-xs"
                      onClick={() => restore.mutate({ path: { id: holding.id }, body: { files: [f.file] } })}
                    >
                      Give back
                    </Button>
                  </span>
                </div>
              ) : (
                <div key={i} className="card" />
              );
            })}
          </div>
        ))}
      </div>
    </div>
  );
}
