import { Button } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { memo } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Lot } from '../client';
import { planLotMutation } from '../client/@tanstack/react-query.gen';
import { count, said } from '../shared/format';
import { tell } from '../shared/tell';

/** The lot on the bench, what is left to decide in it, and the way on to its plan. */
export const BenchHead = memo(function BenchHead({ lot, onClues }: { lot: Lot; onClues?: () => void }) {
  const navigate = useNavigate();
  const plan = useMutation({
    ...planLotMutation(),
    onSuccess: ({ id }) => void navigate(`/plans/${id}`),
    onError: (e) => tell('Not planned', said(e), true),
  });
  const undecided = lot.contested + lot.loose;
  return (
    <div className="head">
      <h1 className="clip titled">
        <Link className="link" to={`/lots/${lot.id}`}>
          {lot.name}
        </Link>
      </h1>
      <span className="quiet">
        {undecided > 0
          ? `${count(undecided)} left to decide`
          : lot.state === 'applied'
            ? 'applied'
            : lot.state === 'ready'
              ? 'everything is decided'
              : 'its files are still on their way'}
      </span>
      <span className="push" />
      {onClues && <Button onClick={onClues}>Clues…</Button>}
      {lot.state === 'ready' && lot.planState !== 'applying' && lot.paired > 0 && (
        <Button
          variant={undecided > 0 ? 'default' : 'filled'}
          loading={plan.isPending}
          onClick={() => plan.mutate({ path: { id: lot.id }, body: { way: '' } })}
        >
          Plan {count(lot.paired)} paired
        </Button>
      )}
    </div>
  );
});
