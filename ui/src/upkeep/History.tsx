import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { FileHistory, Reference, Stood } from '../client';
import { getFileHistoryOptions } from '../client/@tanstack/react-query.gen';
import { baseName, count, when } from '../shared/format';
import { Picture } from '../shared/Picture';
import css from './Upkeep.module.css';

/** Who needs a file, and where it ever stood. */
export function useHistory(file: number): FileHistory {
  const history = useQuery({ ...getFileHistoryOptions({ path: { id: file } }), enabled: file > 0 });
  return history.data ?? { needs: [], stood: [] };
}

const needWords: Record<Reference['by'], string> = {
  placement: 'stands on',
  plan: 'is kept by a plan of',
  order: 'is in an order of',
  lot: 'is in the open lot',
  pin: 'is pinned:',
  sheet: 'is the sheet',
  shelf: 'is on the shelf',
  dispatch: 'is kept so that it can be sent again to',
};

/** Who needs a file now: an orphan nobody, unless that changed since. */
export function Needs({ needs }: { needs: Reference[] }) {
  if (needs.length === 0) return null;
  return (
    <ul className={css.list} aria-label="Who needs it">
      {needs.slice(0, 8).map((n, i) => (
        <li key={i}>
          {needWords[n.by]} {n.code}
          {n.until && <span className="quiet"> until {when(n.until)}</span>}
        </li>
      ))}
      {needs.length > 8 && <li className="quiet">and {count(needs.length - 8)} more</li>}
    </ul>
  );
}

interface PlacesProps {
  stood: Stood[];
  /** Puts the file back where it was taken from; left out where that cannot be done. */
  onPutBack?: ((from: Stood) => void) | undefined;
}

/** Where a file stood, and what took it from there. */
export function Places({ stood, onPutBack }: PlacesProps) {
  if (stood.length === 0) return null;
  return (
    <ul className={css.list} aria-label="Where it stood">
      {stood.map((s, i) => (
        <li key={i} className={css.stood}>
          {!s.came && s.sum && <Picture sum={s.sum} />}
          <span>
            {s.came ? 'Came to stand on ' : 'Taken from '}
            <Link to={s.on.kind === 'category' ? `/categories/${s.on.id}` : `/products/${s.on.id}`}>
              {s.owner}
            </Link>
            , place {s.place}, by <Link to={`/plans/${s.plan}`}>plan {s.plan}</Link>, {when(s.at)}
            {!s.came && s.path && (
              <span className="quiet">
                ; now <span className="mono">{baseName(s.path)}</span> stands there
              </span>
            )}
            {!s.came && onPutBack && (
              <>
                {' '}
                <Button size="compact-xs" onClick={() => onPutBack(s)}>
                  Put back…
                </Button>
              </>
            )}
          </span>
        </li>
      ))}
    </ul>
  );
}
