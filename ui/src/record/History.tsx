import type { Recorded } from '../client';
import type { ReactNode } from 'react';
import { Line } from './Line';
import { useLines } from './lines';
import css from './Record.module.css';

interface Props {
  kind: Recorded['about'][number]['kind'];
  id: number;
  /** What can be done about a line. */
  act?: (line: Recorded) => ReactNode;
}

/** How many lines are shown at once. */
const shown = 20;

/** Who did what to one thing, the newest first. */
export function History({ kind, id, act }: Props) {
  const { pages, lines } = useLines({ kind, id, limit: shown });
  return (
    <section className={`history ${css.side}`} aria-label="History">
      <h2>History</h2>
      {pages.isError && (
        <button className="link underlined" onClick={() => void pages.refetch()}>
          The history could not be loaded. Try again
        </button>
      )}
      {pages.isSuccess && lines.length === 0 && <span className="quiet">Nothing has been recorded yet.</span>}
      {lines.map((line) => (
        <Line key={line.id} line={line} of={{ kind, id }}>
          {act?.(line)}
        </Line>
      ))}
      {pages.hasNextPage && (
        <button
          className="link underlined"
          disabled={pages.isFetchingNextPage}
          onClick={() => void pages.fetchNextPage()}
        >
          Show older entries
        </button>
      )}
    </section>
  );
}
