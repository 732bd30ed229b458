import { useMemo } from 'react';
import { NavLink } from 'react-router';
import type { Waiting } from './client';
import { count } from './shared/format';

/** A station of the work: where it is opened, and how much waits there. */
export interface Station {
  to: string;
  name: string;
  under: string[]; // addresses of its views begin so
  waits?: number;
  what: string; // that waits
}

const stationsOf = (waiting: Waiting | undefined): Station[] => [
  { to: '/', name: 'Today', under: [], what: '' },
  {
    to: '/gather',
    name: 'Gather',
    under: ['/gather', '/lots', '/origins', '/recipes', '/single', '/scan', '/lookups'],
    waits: waiting?.receiving,
    what: 'lots on their way in',
  },
  {
    to: '/pair',
    name: 'Pair',
    under: ['/pair', '/plans'],
    waits: waiting?.undecided,
    what: 'files undecided',
  },
  {
    to: '/catalog',
    name: 'Catalog',
    under: ['/catalog', '/products', '/categories', '/shelf'],
    waits: waiting?.noPicture,
    what: 'products without a picture',
  },
  {
    to: '/sheets',
    name: 'Sheets',
    under: ['/sheets'],
    waits: waiting?.sheets,
    what: 'sheets that wait for their import',
  },
  {
    to: '/upkeep',
    name: 'Upkeep',
    under: ['/upkeep'],
    waits: waiting?.orphans,
    what: 'files that nothing needs',
  },
  { to: '/dispatch', name: 'Dispatch', under: ['/dispatch'], what: '' },
];

/** The stations, and which of them an address belongs to: −1 for none. */
export function useStations(place: string, waiting: Waiting | undefined) {
  const stations = useMemo(() => stationsOf(waiting), [waiting]);
  const here = stations.findLastIndex(
    (s) => s.to === place || s.under.some((under) => place.startsWith(under)),
  );
  return { stations, here };
}

/** The way through the work, with what waits at each station. */
export function Stations({ stations, here }: { stations: Station[]; here: number }) {
  return (
    <nav className="rail" aria-label="Stations">
      {stations.map((s, i) => (
        <NavLink
          key={s.to}
          to={s.to}
          className={`station${i === here ? ' here' : ''}`}
          aria-current={i === here ? 'page' : undefined}
        >
          <span>{s.name}</span>
          {s.waits !== undefined && (
            <span className={`count${s.waits === 0 ? ' none' : ''}`} title={`${count(s.waits)} ${s.what}`}>
              {count(s.waits)}
            </span>
          )}
        </NavLink>
      ))}
    </nav>
  );
}
