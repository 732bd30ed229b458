import { useVirtualizer } from '@tanstack/react-virtual';
import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState, type CSSProperties } from 'react';
import { Link } from 'react-router';
import type { Shelved } from '../client';
import { listShelfOptions } from '../client/@tanstack/react-query.gen';
import { Choose, lookOf, type Look } from '../shared/Choose';
import { useChosen } from '../shared/chosen';
import { baseName } from '../shared/format';
import { useKeys } from '../shared/keys';
import { usePages } from '../shared/paging';
import { Enlarged, Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { atOf, tallOf } from '../shared/virtual';
import { ChosenOnShelf } from './ChosenOnShelf';

/** Pixels: of a row, and of a card with its gap. */
const rowHeight = 236;
const cardWidth = 176;
const padding = 32;

/** What is on the shelf of a folder and some words, by keys as well: m chooses, Space enlarges. */
export function OnShelf({ folder, q }: { folder: string; q: string }) {
  const client = useQueryClient();
  const box = useRef<HTMLDivElement>(null);
  const [total, setTotal] = useState(0);
  const [across, setAcross] = useState(5);
  const [at, setAt] = useState(-1);
  const [large, setLarge] = useState(false);
  const rows = useVirtualizer({
    count: Math.ceil(total / across),
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    overscan: 4,
    onChange: (v) =>
      setAcross(Math.max(2, Math.floor(((v.scrollRect?.width ?? 1000) - padding) / cardWidth))),
  });
  const seen = rows.getVirtualItems();
  const query = { folder: folder || undefined, q: q || undefined };
  const shelf = usePages<Shelved>(
    (seen[0]?.index ?? 0) * across,
    (seen.at(-1)?.index ?? 0) * across + across,
    (window) => listShelfOptions({ query: { ...query, ...window } }),
  );
  if (shelf.total !== total && !shelf.loading) setTotal(shelf.total);
  const chosen = useChosen<Shelved>(
    total,
    async (offset, limit) =>
      (await client.fetchQuery(listShelfOptions({ query: { ...query, offset, limit } }))).items,
  );
  const here = shelf.at(at);
  const go = (to: number) => {
    if (total === 0) return;
    const next = Math.min(Math.max(0, to), total - 1);
    setAt(next);
    rows.scrollToIndex(Math.floor(next / across));
  };
  useKeys({
    ArrowRight: () => go(at + 1),
    ArrowLeft: () => go(at - 1),
    ArrowDown: () => go(at < 0 ? 0 : at + across),
    ArrowUp: () => go(at - across),
    m: () => here && chosen.toggle(here, at),
    ' ': () => here && setLarge(true),
    Escape: chosen.clear,
  });
  if (shelf.error) return <Failed error={shelf.error} />;
  return (
    <section className="products" aria-label="On the shelf">
      <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="On the shelf">
        {!shelf.loading && total === 0 && <Nothing q={q} folder={folder} />}
        <div className="tall" style={tallOf(rows.getTotalSize())}>
          {seen.map((row) => (
            <div
              key={row.key}
              className="at gridrow"
              style={{ ...atOf(row), '--across': across } as CSSProperties}
            >
              {Array.from({ length: Math.min(across, total - row.index * across) }, (_, i) => {
                const index = row.index * across + i;
                const item = shelf.at(index);
                return item ? (
                  <Card
                    key={item.id}
                    item={item}
                    look={{
                      at: index === at,
                      chosen: chosen.has(item.id),
                      onPress: (e) => {
                        setAt(index);
                        if (e.shiftKey) chosen.upTo(index);
                        else if (e.ctrlKey || e.metaKey) chosen.toggle(item, index);
                        else setLarge(true);
                      },
                      onChoose: (e) => (e.shiftKey ? chosen.upTo(index) : chosen.toggle(item, index)),
                    }}
                  />
                ) : (
                  <div key={index} className="card">
                    <div className="mat" />
                  </div>
                );
              })}
            </div>
          ))}
        </div>
      </div>
      <ChosenOnShelf chosen={chosen} total={total} />
      <Enlarged
        sum={large && here ? here.sum : ''}
        title={here ? baseName(here.path) : ''}
        onClose={() => setLarge(false)}
      />
    </section>
  );
}

function Card({ item, look }: { item: Shelved; look: Look }) {
  return (
    <div className={lookOf('card', look)}>
      <Choose name={baseName(item.path)} look={look} />
      <button className="link card" onClick={look.onPress} title={item.path}>
        <Picture sum={item.problem ? '' : item.sum} none={item.problem || 'no picture'} />
        <span className="mono clip">{baseName(item.path)}</span>
        <span className="clip" title={item.words.join(', ')}>
          {item.words.join(', ') || <span className="quiet">no words</span>}
        </span>
      </button>
      <span className="spread quiet small">
        <span className="clip" title={item.folder}>
          {item.folder}
        </span>
        <span className="push fixed">
          {item.stands > 0 ? (
            `shown by ${item.stands}`
          ) : (
            <Link className="link" to={`/lots/${item.lot}`} title={item.lotName}>
              its lot
            </Link>
          )}
        </span>
      </span>
    </div>
  );
}

function Nothing({ q, folder }: { q: string; folder: string }) {
  if (q) return <Empty title={`Nothing on the shelf has “${q}” in it.`} />;
  return (
    <Empty title={folder ? `Nothing is in ${folder}.` : 'The shelf is empty.'}>
      Drop pictures here that are needed later: size charts, care labels, mood pictures. Files of a lot come
      here by “Save for later” on the bench, on a file’s page and in Upkeep.
    </Empty>
  );
}
