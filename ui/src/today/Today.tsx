import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import type { FallenCategory, Lot, OrphansWaiting, RunView } from '../client';
import {
  getTodayOptions,
  listMessagesOptions,
  listRunsOptions,
  planLotMutation,
} from '../client/@tanstack/react-query.gen';
import { bytes, count, said, some, when } from '../shared/format';
import { waits } from '../shared/lots';
import { Letter } from '../shared/Messages';
import { RunLine } from '../shared/Runs';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { VerdictMark } from '../shared/Verdict';
import css from './Today.module.css';

/** What needs a person now. */
export function Today() {
  const today = useQuery(getTodayOptions());
  const messages = useQuery(listMessagesOptions({ query: { limit: 20 } }));
  const unread = messages.data?.items.filter((m) => !m.readAt) ?? [];
  if (today.error) return <Failed error={today.error} again={() => void today.refetch()} />;
  if (!today.data) return null;
  const { waiting, runs, categories, applied } = today.data;
  const lots = today.data.lots.filter(waits);
  return (
    <div className="scroll pad">
      <div className="spread">
        <h1 className={css.head}>
          {waiting.undecided > 0
            ? `${some(waiting.undecided, 'file')} wait for a decision`
            : lots.some((l) => l.state === 'ready')
              ? 'Everything is decided; a lot waits to be applied'
              : 'Nothing waits for you'}
        </h1>
        <Button className="push" component={Link} to="/record">
          Open record
        </Button>
      </div>
      <div className={`columns ${css.columns}`}>
        <div className="columns">
          <section className="sheet">
            <h2>Lots to decide and apply</h2>
            {lots.length === 0 ? (
              <Empty title="No lot is open.">
                Drop a supplier’s archive on <Link to="/gather">Gather</Link> to begin.
              </Empty>
            ) : (
              lots.map((lot) => <OpenLot key={lot.id} lot={lot} />)
            )}
          </section>
          {unread.length > 0 && (
            <section className="sheet">
              <h2>Since you looked last</h2>
              {unread.map((m) => (
                <Letter key={m.id} message={m} />
              ))}
            </section>
          )}
          {runs.length > 0 && <RunsToSee runs={runs} />}
          {applied.length > 0 && (
            <section className="sheet">
              <h2>Applied last</h2>
              {applied.map((lot) => (
                <Link key={lot.id} className={`row ${css.applied}`} to={`/plans/${lot.plan}`}>
                  <span className="clip">{lot.name}</span>
                  <span className="num quiet">{some(lot.paired, 'picture')}</span>
                  <span className="num quiet">{when(lot.createdAt)}</span>
                </Link>
              ))}
            </section>
          )}
        </div>
        <div className="columns">
          <Waiting upkeep={today.data.upkeep} />
          <Fallen categories={today.data.fallen} />
          <section className="sheet">
            <h2 className="spread">
              Products without a picture{' '}
              <span className="push">
                {count(waiting.noPicture)} of {count(waiting.products)}
              </span>
            </h2>
            {categories.length === 0 && (
              <Empty title={waiting.products ? 'Every product has a picture.' : 'The catalog is empty.'}>
                {!waiting.products && (
                  <span>
                    Bring in a sheet of products on <Link to="/sheets">Sheets</Link>.
                  </span>
                )}
              </Empty>
            )}
            {categories.map((c) => (
              <Link
                key={c.path}
                className={`row ${css.category}`}
                to={`/catalog?noPicture=1&category=${encodeURIComponent(c.path)}`}
              >
                <span className="clip">{c.path}</span>
                <span className="num">
                  {count(c.noPicture)}
                  <span className="quiet"> / {count(c.products)}</span>
                </span>
              </Link>
            ))}
          </section>
        </div>
      </div>
    </div>
  );
}

/** Runs that stopped or failed, and those under way as far as they are now. */
function RunsToSee({ runs }: { runs: RunView[] }) {
  const now = useQuery(listRunsOptions());
  return (
    <section className="sheet">
      <h2>Runs that need a look</h2>
      {runs.map((run) => (
        <RunLine key={run.id} run={now.data?.items.find((r) => r.id === run.id) ?? run} />
      ))}
    </section>
  );
}

/** What upkeep found, and what is about to go; nothing where there is neither. */
function Waiting({ upkeep }: { upkeep: OrphansWaiting }) {
  const { orphans, broken, below, leaving } = upkeep;
  if (orphans + broken + below + leaving === 0) return null;
  return (
    <section className="sheet">
      <h2>Upkeep</h2>
      {upkeep.leaving > 0 && upkeep.leavesAt && (
        <Link className={`row ${css.category}`} to="/upkeep/held">
          <span className="clip">
            {some(upkeep.leaving, 'held file')} to go, the first {when(upkeep.leavesAt)}
          </span>
          <span className="num quiet">look</span>
        </Link>
      )}
      {broken > 0 && (
        <Link className={`row ${css.category}`} to="/upkeep?kind=broken">
          <span className="clip">{some(broken, 'file')} whose bytes are missing or damaged</span>
        </Link>
      )}
      {below > 0 && (
        <Link className={`row ${css.category}`} to="/upkeep?kind=below&fresh=1">
          <span className="clip">{some(below, 'picture')} newly below the rule</span>
        </Link>
      )}
      {upkeep.orphans > 0 && (
        <Link className={`row ${css.category}`} to="/upkeep">
          <span className="clip">{some(upkeep.orphans, 'file')} that nothing needs</span>
          <span className="num">{bytes(upkeep.frees)}</span>
        </Link>
      )}
    </section>
  );
}

/** Categories whose coverage is less than a week ago; nothing where there is none. */
function Fallen({ categories }: { categories: FallenCategory[] }) {
  if (categories.length === 0) return null;
  return (
    <section className="sheet">
      <h2>Coverage that fell within a week</h2>
      {categories.map((c) => (
        <Link
          key={c.path}
          className={`row ${css.category}`}
          to={`/dispatch/coverage?category=${encodeURIComponent(c.path)}`}
        >
          <span className="clip">{c.path || 'no category'}</span>
          <span className="num">
            <span className="quiet">{Math.round(100 * c.before)} → </span>
            {Math.round(100 * c.now)} %
          </span>
        </Link>
      ))}
    </section>
  );
}

/** Leads to the plan of a lot in which everything is decided, and makes it. */
function ToPlan({ lot }: { lot: Lot }) {
  const navigate = useNavigate();
  const plan = useMutation({
    ...planLotMutation(),
    onSuccess: ({ id }) => void navigate(`/plans/${id}`),
    onError: (e) => tell('Could not make a plan', said(e), true),
  });
  if (!lot.unplanned) return <span className="quiet num">{lot.planState || lot.state}</span>;
  return (
    <Button loading={plan.isPending} onClick={() => plan.mutate({ path: { id: lot.id }, body: { way: '' } })}>
      Review plan
    </Button>
  );
}

/** A lot with what is left to do in it, and the way to do it. */
export function OpenLot({ lot }: { lot: Lot }) {
  const open = lot.contested + lot.loose;
  return (
    <div className={`row ${css.lot}`}>
      <div className="narrow">
        <Link className="link clip block" to={`/lots/${lot.id}`}>
          <strong>{lot.name}</strong>
        </Link>
        <span className="quiet lesser">
          {some(lot.files, 'file')}, {when(lot.createdAt)}
          {lot.placed > 0 && `, ${count(lot.placed)} placed`}
          {lot.unusable > 0 && `, ${count(lot.unusable)} unusable`}
        </span>
      </div>
      <span className="spread looser">
        {(
          [
            ['paired', lot.paired],
            ['contested', lot.contested],
            ['loose', lot.loose],
          ] as const
        ).map(([verdict, n]) => (
          <span key={verdict} className={n ? 'verdict' : 'verdict faint'} title={verdict}>
            <VerdictMark verdict={verdict} />
            {count(n)}
            <span className="quiet small">{verdict}</span>
          </span>
        ))}
      </span>
      {lot.state !== 'ready' ? (
        <span className="quiet num">{lot.state}</span>
      ) : open > 0 ? (
        <Button component={Link} to={`/pair/${lot.id}`} variant="filled">
          Decide
        </Button>
      ) : (
        <ToPlan lot={lot} />
      )}
    </div>
  );
}
