import { Button, Kbd, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { Reference, Stood, SweepFinding, UpkeepView } from '../client';
import { getFileHistoryOptions } from '../client/@tanstack/react-query.gen';
import { baseName, bytes, count, some, when } from '../shared/format';
import { large as largeOf, Picture } from '../shared/Picture';
import type { Deeds } from './deeds';
import css from './Upkeep.module.css';
import { reasonOf } from './words';

interface Props {
  finding: SweepFinding;
  upkeep: UpkeepView;
  deeds: Deeds;
  large: boolean;
  onLarge: (on: boolean) => void;
}

/** The finding at hand: why nothing needs it, where it stood, what stands there now, and the proof. */
export function FindingSide({ finding: f, upkeep, deeds, large, onLarge }: Props) {
  const history = useQuery(getFileHistoryOptions({ path: { id: f.file } }));
  const stood = history.data?.stood ?? [];
  const replacedBy = stood.find((s) => !s.came && s.sum);
  const sweep = upkeep.sweeps.find((s) => s.endedAt && s.kinds.includes(f.kind));
  return (
    <section className={css.hand}>
      <button
        className={`link ${css.picture}`}
        onClick={() => onLarge(true)}
        disabled={!!f.problem}
        aria-label="Show large"
      >
        <Picture sum={f.problem ? '' : f.sum} none={f.problem || 'no picture'} />
      </button>
      <strong className="mono" title={f.path}>
        {baseName(f.path)}
      </strong>
      <span>
        {f.fresh && upkeep.sweeps.length > 1 && <strong className={css.fresh}>new </strong>}
        {reasonOf(f.reason)}, {f.kind === 'broken' ? 'read' : 'since'} {when(f.since)}
        {f.detail && <span className="quiet">, {f.detail}</span>}
      </span>
      <span className="quiet">
        {f.width > 0 && `${f.width} × ${f.height}, `}
        {bytes(f.bytes)}
        {f.kind === 'orphans' && freed(f)}
      </span>
      <span className="quiet clip" title={f.path}>
        In <Link to={`/lots/${f.lot}`}>{f.lotName}</Link>
        {f.origin && ` from ${f.origin}`}
      </span>
      <div className="spread wrap">
        {f.kind === 'orphans' && (
          <Button variant="filled" loading={deeds.busy} onClick={() => deeds.hold({ ids: [f.id] })}>
            Hold <Kbd ml={5}>h</Kbd>
          </Button>
        )}
        <Button onClick={() => deeds.askPin([f])}>
          Pin… <Kbd ml={5}>p</Kbd>
        </Button>
      </div>
      {f.kind === 'broken' && (
        <span className="note warn">
          Bring the same file in again on <Link to="/gather">Gather</Link>, under any name: it is whole then,
          wherever it stands.
        </span>
      )}
      <Needs needs={history.data?.needs ?? []} />
      {stood.length > 0 && <Places stood={stood} />}
      {sweep && f.kind === 'orphans' && (
        <span className="quiet small">
          Asked {when(sweep.at)}: {some(sweep.asked.placements, 'placement')},{' '}
          {some(sweep.asked.plans, 'plan')}, {some(sweep.asked.lots, 'open lot')} and{' '}
          {some(sweep.asked.pins, 'pin')}. None needs it.
        </span>
      )}
      <Modal
        opened={large}
        onClose={() => onLarge(false)}
        size="92vw"
        title={<span className="mono">{f.path}</span>}
      >
        <div className={replacedBy ? css.beside : css.alone}>
          <figure className={css.figure}>
            <div className="mat">
              <img src={largeOf(f.sum)} alt={baseName(f.path)} />
            </div>
            <figcaption>{reasonOf(f.reason)}</figcaption>
          </figure>
          {replacedBy && (
            <figure className={css.figure}>
              <div className="mat">
                <img src={largeOf(replacedBy.sum)} alt={baseName(replacedBy.path)} />
              </div>
              <figcaption>
                stands there instead: <span className="mono">{baseName(replacedBy.path)}</span>
              </figcaption>
            </figure>
          )}
        </div>
      </Modal>
    </section>
  );
}

const freed = (f: SweepFinding) =>
  f.frees > 0 ? `, frees ${bytes(f.frees)}` : ', frees nothing: another file has its bytes';

const needWords: Record<Reference['by'], string> = {
  placement: 'stands on',
  plan: 'is kept by a plan of',
  order: 'is in an order of',
  lot: 'is in the open lot',
  pin: 'is pinned:',
  sheet: 'is the sheet',
};

/** Who needs the file now: of an orphan nobody, unless it changed since. */
function Needs({ needs }: { needs: Reference[] }) {
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

/** Where the file stood, and what took it from there. */
function Places({ stood }: { stood: Stood[] }) {
  return (
    <ul className={css.list} aria-label="Where it stood">
      {stood.map((s, i) => (
        <li key={i} className={css.stood}>
          {!s.came && s.sum && <Picture sum={s.sum} />}
          <span>
            {s.came ? 'Came to stand on ' : 'Taken from '}
            {s.owner}, place {s.place}, by <Link to={`/plans/${s.plan}`}>plan {s.plan}</Link>, {when(s.at)}
            {!s.came && s.path && (
              <span className="quiet">
                ; now <span className="mono">{baseName(s.path)}</span> stands there
              </span>
            )}
          </span>
        </li>
      ))}
    </ul>
  );
}
