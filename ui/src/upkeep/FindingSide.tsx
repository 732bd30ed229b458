import { Button, Kbd, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { SweepFinding, UpkeepView } from '../client';
import { listFindingsOptions } from '../client/@tanstack/react-query.gen';
import { baseName, bytes, some, when } from '../shared/format';
import { large as largeOf, Picture } from '../shared/Picture';
import type { Deeds } from './deeds';
import { Needs, Places, useHistory } from './History';
import css from './Upkeep.module.css';
import { grouped, keepWord, reasonOf } from './words';

interface Props {
  finding: SweepFinding;
  upkeep: UpkeepView;
  deeds: Deeds;
  large: boolean;
  onLarge: (on: boolean) => void;
  /** Looks at its lot or its origin alone. */
  onNarrow: (by: 'lot' | 'origin', id: number) => void;
}

/** The finding at hand: why it was found, what it belongs together with, and what can be done. */
export function FindingSide({ finding: f, upkeep, deeds, large, onLarge, onNarrow }: Props) {
  const { needs, stood } = useHistory(f.file);
  const group = useGroup(f);
  const replacedBy = stood.find((s) => !s.came && s.sum);
  const sweep = upkeep.sweeps.find((s) => s.endedAt && s.kinds.includes(f.kind));
  const twin = group.find((g) => g.id !== f.id);
  const beside: Beside | undefined = twin
    ? { sum: twin.sum, path: twin.path, what: `${twin.width} × ${twin.height}` }
    : replacedBy && { sum: replacedBy.sum, path: replacedBy.path, what: 'stands there instead' };
  return (
    <section className={css.hand}>
      {f.file > 0 && (
        <button
          className={`link ${css.picture}`}
          onClick={() => onLarge(true)}
          disabled={!!f.problem}
          aria-label="Show large"
        >
          <Picture sum={f.problem ? '' : f.sum} none={f.problem || 'no picture'} />
        </button>
      )}
      <strong className={f.file ? 'mono' : ''} title={f.path}>
        {baseName(f.path)} {f.file === 0 && f.title && <span className="quiet">{f.title}</span>}
      </strong>
      <Why finding={f} isNew={f.fresh && upkeep.sweeps.length > 1} />
      <From finding={f} onNarrow={onNarrow} />
      <Doing finding={f} deeds={deeds} />
      {f.kind === 'broken' && (
        <span className="note warn">
          Bring the same file in again on <Link to="/gather">Gather</Link>, under any name: it is whole then,
          wherever it stands.
        </span>
      )}
      <Together group={group} here={f.id} />
      <Needs needs={needs} />
      <Places stood={stood} onPutBack={f.kind === 'orphans' ? (s) => deeds.putBack(f, s) : undefined} />
      {sweep && f.kind === 'orphans' && (
        <span className="quiet small">
          Asked {when(sweep.at)}: {some(sweep.asked.placements, 'placement')},{' '}
          {some(sweep.asked.plans, 'plan')}, {some(sweep.asked.lots, 'open lot')},{' '}
          {some(sweep.asked.pins, 'pin')} and {some(sweep.asked.shelved, 'picture')} on the shelf. None needs
          it.
        </span>
      )}
      <Large finding={f} beside={beside} open={large} onClose={() => onLarge(false)} />
    </section>
  );
}

/** How many of a group are shown beside each other. */
const mostBeside = 12;

/** The findings that belong together with one. */
function useGroup(f: SweepFinding): SweepFinding[] {
  const group = useQuery({
    ...listFindingsOptions({ query: { kind: f.kind, group: f.group, limit: mostBeside } }),
    enabled: grouped(f.kind) && f.group > 0,
  });
  return group.data?.items ?? [];
}

function Why({ finding: f, isNew }: { finding: SweepFinding; isNew: boolean }) {
  return (
    <>
      <span>
        {isNew && <strong className={css.fresh}>new </strong>}
        {reasonOf(f.reason)}, {f.kind === 'broken' ? 'read' : 'since'} {when(f.since)}
        {f.detail && <span className="quiet">, {f.detail}</span>}
      </span>
      {f.file > 0 && (
        <span className="quiet">
          {f.width > 0 && `${f.width} × ${f.height}, `}
          {bytes(f.bytes)}
          {f.kind === 'orphans' && freed(f)}
        </span>
      )}
    </>
  );
}

const freed = (f: SweepFinding) =>
  f.frees > 0 ? `, frees ${bytes(f.frees)}` : ', frees nothing: another file has its bytes';

/** Where it came from, with the way to all that came from there. */
function From({ finding: f, onNarrow }: Pick<Props, 'finding' | 'onNarrow'>) {
  if (f.lot === 0 || f.file === 0) return null;
  return (
    <div className={css.from}>
      <span className="quiet clip" title={f.lotName}>
        In <Link to={`/lots/${f.lot}`}>{f.lotName}</Link>
      </span>
      <Button size="compact-xs" onClick={() => onNarrow('lot', f.lot)}>
        All of it
      </Button>
      {f.originId > 0 && (
        <>
          <span className="quiet clip" title={f.origin}>
            from {f.origin}
          </span>
          <Button size="compact-xs" onClick={() => onNarrow('origin', f.originId)}>
            All from there
          </Button>
        </>
      )}
    </div>
  );
}

/** What can be done with it, by its kind. */
function Doing({ finding: f, deeds }: { finding: SweepFinding; deeds: Deeds }) {
  return (
    <div className="spread wrap">
      {f.kind === 'orphans' && (
        <Button variant="filled" loading={deeds.busy} onClick={() => deeds.hold({ ids: [f.id] })}>
          Hold <Kbd ml={5}>h</Kbd>
        </Button>
      )}
      {grouped(f.kind) && (
        <Button variant="filled" loading={deeds.busy} onClick={() => deeds.keep(f, [f])}>
          {keepWord(f)} <Kbd ml={5}>k</Kbd>
        </Button>
      )}
      {f.product > 0 && (
        <Button
          component={Link}
          to={`/products/${f.product}`}
          variant={f.kind === 'lying' ? 'filled' : 'default'}
        >
          Open {f.code}
        </Button>
      )}
      {f.kind === 'lying' && f.lot > 0 && (
        <>
          <Button variant="filled" component={Link} to={`/pair/${f.lot}`}>
            To its bench
          </Button>
          <Button loading={deeds.busy} onClick={() => deeds.giveUp([f])}>
            Give up
          </Button>
        </>
      )}
      {f.file > 0 && (
        <>
          <Button onClick={() => deeds.askPin([f])}>
            Pin… <Kbd ml={5}>p</Kbd>
          </Button>
          <Button onClick={() => deeds.askShelf([f])}>
            Save for later… <Kbd ml={5}>s</Kbd>
          </Button>
        </>
      )}
    </div>
  );
}

/** Those that are, or look, the same, each with what tells them apart. */
function Together({ group, here }: { group: SweepFinding[]; here: number }) {
  if (group.length < 2) return null;
  return (
    <ul className={`${css.list} ${css.together}`} aria-label="Belong together">
      {group.map((g) => (
        <li key={g.id} aria-current={g.id === here}>
          <Picture sum={g.problem ? '' : g.sum} none="–" />
          <span className="mono clip" title={g.path}>
            {baseName(g.path)}
          </span>
          <span className="quiet small">
            {g.width > 0 && `${g.width} × ${g.height}, `}
            {bytes(g.bytes)}
          </span>
        </li>
      ))}
    </ul>
  );
}

interface Beside {
  sum: string;
  path: string;
  what: string;
}

interface LargeProps {
  finding: SweepFinding;
  beside: Beside | undefined;
  open: boolean;
  onClose: () => void;
}

/** One large, beside what replaced it or is the same. */
function Large({ finding: f, beside, open, onClose }: LargeProps) {
  return (
    <Modal
      opened={open && f.file > 0}
      onClose={onClose}
      size="92vw"
      title={<span className="mono">{f.path}</span>}
    >
      <div className={beside ? css.beside : css.alone}>
        <figure className={css.figure}>
          <div className="mat">
            <img src={largeOf(f.sum)} alt={baseName(f.path)} />
          </div>
          <figcaption>
            {reasonOf(f.reason)}
            {f.width > 0 && <span className="quiet">, {`${f.width} × ${f.height}`}</span>}
          </figcaption>
        </figure>
        {beside && (
          <figure className={css.figure}>
            <div className="mat">
              <img src={largeOf(beside.sum)} alt={baseName(beside.path)} />
            </div>
            <figcaption>
              {beside.what}: <span className="mono">{baseName(beside.path)}</span>
            </figcaption>
          </figure>
        )}
      </div>
    </Modal>
  );
}
