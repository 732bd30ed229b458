import { Button, Checkbox } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, Navigate, useNavigate } from 'react-router';
import { listLotsOptions, makePlanMutation } from '../client/@tanstack/react-query.gen';
import { count, said } from '../shared/format';
import { Empty, Failed } from '../shared/State';
import { waits } from '../shared/lots';
import { tell } from '../shared/tell';
import { OpenLot } from '../today/Today';
import css from './PairStart.module.css';

/**
 * The way to the bench: at once where one lot is open, else by choice; and lots that are planned together.
 */
export function PairStart() {
  const navigate = useNavigate();
  const lots = useQuery(listLotsOptions({ query: { open: true, limit: 500 } }));
  const [chosen, setChosen] = useState<number[]>([]);
  const plan = useMutation({
    ...makePlanMutation(),
    onSuccess: ({ id }) => void navigate(`/plans/${id}`),
    onError: (e) => tell('Not planned', said(e), true),
  });
  if (lots.error) return <Failed error={lots.error} again={() => void lots.refetch()} />;
  if (!lots.data) return null;
  const open = lots.data.items.filter((l) => l.state === 'ready' && waits(l));
  const only = open[0];
  if (only && open.length === 1) return <Navigate to={`/pair/${only.id}`} replace />;
  const together = chosen.filter((id) => open.some((l) => l.id === id));
  return (
    <div className="scroll pad">
      <section className="sheet">
        <h2 className="spread">
          Lots on the bench
          {open.length > 1 && (
            <Button
              className="push"
              variant={together.length > 1 ? 'filled' : 'default'}
              disabled={together.length < 2}
              loading={plan.isPending}
              onClick={() => plan.mutate({ body: { lots: together, way: 'after' } })}
            >
              {together.length > 1 ? `Plan ${count(together.length)} lots together` : 'Plan together…'}
            </Button>
          )}
        </h2>
        {open.length === 0 && (
          <Empty title="Nothing is to be paired.">
            Drop a supplier’s archive on <Link to="/gather">Gather</Link>; what its names do not settle comes
            here.
          </Empty>
        )}
        {open.map((lot) => (
          <div key={lot.id} className={css.lot}>
            <Checkbox
              size="xs"
              aria-label={`Plan ${lot.name} together with others`}
              disabled={lot.paired === 0}
              checked={together.includes(lot.id)}
              onChange={(e) => {
                const on = e.currentTarget.checked;
                setChosen((now) => (on ? [...now, lot.id] : now.filter((id) => id !== lot.id)));
              }}
            />
            <OpenLot lot={lot} />
          </div>
        ))}
      </section>
    </div>
  );
}
