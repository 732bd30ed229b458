import { useQuery } from '@tanstack/react-query';
import type { HandedOn as Handed } from '../client';
import { listHandedOnOptions } from '../client/@tanstack/react-query.gen';
import { some, when } from '../shared/format';

interface Props {
  /** Of a product, or else of a file. */
  product?: number;
  file?: number;
}

/** How many pictures are named of each time. */
const named = 4;

/** What went to outlets, and when: a line for each time. Nothing where nothing ever went. */
export function HandedOn({ product = 0, file = 0 }: Props) {
  const handed = useQuery(listHandedOnOptions({ query: { product, file } }));
  const times = new Map<string, Handed[]>();
  for (const h of handed.data?.items ?? []) {
    const key = `${h.dispatch} ${h.removed}`;
    times.set(key, [...(times.get(key) ?? []), h]);
  }
  if (times.size === 0) return null;
  return (
    <div className="history">
      <h2>Handed on</h2>
      {[...times].map(([key, all]) => (
        <Time key={key} all={all} />
      ))}
    </div>
  );
}

function Time({ all }: { all: Handed[] }) {
  const [first] = all;
  if (!first) return null;
  const words = first.removed ? 'taken away at' : 'to';
  const stands = all.some((h) => h.stands);
  return (
    <div className="history-line">
      <span>
        {some(all.length, 'picture')} {words} <strong>{first.outlet}</strong>, {when(first.at)}
        {!first.removed && !stands && <span className="quiet">; replaced since</span>}
      </span>
      {all.slice(0, named).map((h) => (
        <div key={h.name} className="mono small quiet clip" title={`${h.name} ${h.form}`}>
          {h.name}
        </div>
      ))}
      {all.length > named && <div className="small quiet">and {all.length - named} more</div>}
    </div>
  );
}
