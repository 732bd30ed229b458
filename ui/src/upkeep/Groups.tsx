import type { FindingGroup } from '../client';
import { bytes, count } from '../shared/format';
import type { Wanted } from './Findings';
import css from './Upkeep.module.css';
import { kinds, reasonOf } from './words';

interface Props {
  groups: FindingGroup[];
  wanted: Wanted;
  onWant: (kind: Wanted['kind'], reason?: string, fresh?: boolean) => void;
}

/** Findings by kind and reason, with how many, and what would be freed: each chooses its own. */
export function Groups({ groups, wanted, onWant }: Props) {
  return (
    <nav className={css.groups} aria-label="Kinds">
      {(Object.keys(kinds) as Wanted['kind'][]).map((kind) => {
        const mine = groups.filter((g) => g.kind === kind);
        const sum = (of: 'files' | 'bytes' | 'frees' | 'fresh') => mine.reduce((n, g) => n + g[of], 0);
        const here = wanted.kind === kind;
        return (
          <section key={kind}>
            <Line
              name={kinds[kind] ?? kind}
              files={sum('files')}
              title
              on={here && !wanted.reason && !wanted.fresh}
              onPress={() => onWant(kind)}
            />
            {sum('frees') > 0 && <span className={css.frees}>frees {bytes(sum('frees'))}</span>}
            {sum('fresh') > 0 && sum('fresh') < sum('files') && (
              <Line
                name="new since the last sweep"
                files={sum('fresh')}
                on={here && wanted.fresh === true}
                onPress={() => onWant(kind, undefined, true)}
              />
            )}
            {mine.map((g) => (
              <Line
                key={g.reason}
                name={reasonOf(g.reason)}
                files={g.files}
                note={bytes(g.bytes)}
                on={here && wanted.reason === g.reason}
                onPress={() => onWant(kind, g.reason)}
              />
            ))}
          </section>
        );
      })}
    </nav>
  );
}

interface OneLine {
  name: string;
  files: number;
  note?: string;
  title?: boolean;
  on: boolean;
  onPress: () => void;
}

function Line({ name, files, note, title = false, on, onPress }: OneLine) {
  return (
    <button className={css.group} aria-pressed={on} onClick={onPress}>
      <span className="clip">{title ? <strong>{name}</strong> : name}</span>
      <span className="num">{count(files)}</span>
      <span className="num quiet small">{note}</span>
    </button>
  );
}
