import type { CoveredDay } from '../client';
import css from './Coverage.module.css';
import { percent } from './words';

/** How coverage was over time, as a line; of one day alone there is none. */
export function Days({ days }: { days: CoveredDay[] }) {
  const [first] = days;
  const last = days[days.length - 1];
  if (!first || !last || first === last) return null;
  const begin = new Date(first.day).getTime();
  const span = Math.max(1, new Date(last.day).getTime() - begin);
  const points = days.map((d) => {
    const x = (100 * (new Date(d.day).getTime() - begin)) / span;
    const y = 22 - (d.wanted > 0 ? (20 * d.filled) / d.wanted : 0);
    return `${x},${y}`;
  });
  const words = `${percent(first.filled, first.wanted)} on ${new Date(first.day).toLocaleDateString()}`;
  return (
    <span className={css.days} title={words}>
      <svg viewBox="0 0 100 24" preserveAspectRatio="none" role="img" aria-label={`Coverage was ${words}`}>
        <polyline points={points.join(' ')} />
      </svg>
      <span className="quiet small">was {words}</span>
    </span>
  );
}
