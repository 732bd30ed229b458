import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Link, NavLink, useParams } from 'react-router';
import type { Outlet } from '../client';
import { getOutletOptions, listOutletsOptions, listRunsOptions } from '../client/@tanstack/react-query.gen';
import { Coverage } from '../coverage/Coverage';
import { Requests } from '../coverage/Requests';
import { when } from '../shared/format';
import { active, RunLine } from '../shared/Runs';
import { Empty, Failed } from '../shared/State';
import { Texts } from '../texts/Texts';
import { OutletPage } from './OutletPage';
import css from './Dispatch.module.css';
import { fresh } from './words';

/** Pictures handed on: outlets on the left, and the one at hand with what would go to it. */
export function Dispatch() {
  const { id } = useParams();
  const outlets = useQuery(listOutletsOptions());
  const runs = useQuery(listRunsOptions());
  if (outlets.error) return <Failed error={outlets.error} again={() => void outlets.refetch()} />;
  if (!outlets.data) return null;
  const all = outlets.data.items;
  const working = runs.data?.items.find((r) => r.leads === 'dispatch');
  return (
    <>
      <div className="head">
        <div className="narrow">
          <h1>Dispatch</h1>
          <span className="quiet">
            What is handed on: which pictures, under which names. What may not be handed on is held back.
          </span>
        </div>
        <Button
          className="push fixed"
          variant={all.length > 0 ? 'default' : 'filled'}
          component={Link}
          to="/dispatch/new"
        >
          New outlet
        </Button>
      </div>
      {working && (active(working) || working.state === 'failed') && (
        <div className="sheet beside-edge">
          <RunLine run={working} />
        </div>
      )}
      <div className={css.body}>
        <nav className={css.outlets} aria-label="Outlets">
          {all.map((o) => (
            <Line key={o.id} outlet={o} on={id === undefined && o === all[0]} />
          ))}
          <hr className={css.between} />
          <NavLink to="/dispatch/texts" className={css.outlet}>
            <strong>Texts</strong>
            <span className="quiet small">what pictures say aloud</span>
          </NavLink>
          <NavLink to="/dispatch/coverage" className={css.outlet}>
            <strong>Coverage</strong>
            <span className="quiet small">what products lack</span>
          </NavLink>
          <NavLink to="/dispatch/requests" className={css.outlet}>
            <strong>Requests</strong>
            <span className="quiet small">what was asked for</span>
          </NavLink>
        </nav>
        <AtHand id={id ?? String(all[0]?.id ?? '')} />
      </div>
    </>
  );
}

/** An outlet in the list; the first is at hand where none is named. */
const Line = ({ outlet: o, on }: { outlet: Outlet; on: boolean }) => (
  <NavLink to={`/dispatch/${o.id}`} className={`${css.outlet}${on ? ` ${css.atHand}` : ''}`}>
    <strong className="clip">{o.name}</strong>
    <span className="quiet small">{o.last ? `last ${when(o.last)}` : 'nothing went yet'}</span>
  </NavLink>
);

function AtHand({ id }: { id: string }) {
  const outlet = useQuery({ ...getOutletOptions({ path: { id: Number(id) } }), enabled: Number(id) > 0 });
  if (id === '')
    return (
      <Empty title="There is no outlet yet.">
        An outlet knows which pictures go, and what they are called there: a shop, a marketplace, a printer.
      </Empty>
    );
  if (id === 'coverage') return <Coverage />;
  if (id === 'requests') return <Requests />;
  if (id === 'texts') return <Texts />;
  if (id === 'new') return <OutletPage key="new" settings={fresh} name="" />;
  if (outlet.error) return <Failed error={outlet.error} again={() => void outlet.refetch()} />;
  if (!outlet.data) return <div />;
  const o = outlet.data;
  return <OutletPage key={`${o.id} ${o.version}`} outlet={o} settings={o.settings} name={o.name} />;
}
