import { Button } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { memo } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Lot } from '../client';
import { planLotMutation } from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { decidable } from '../shared/lots';
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
        {lot.placed > 0 && `${count(lot.placed)} of ${some(lot.files, 'file')} placed, `}
        {undecided > 0
          ? `${count(undecided)} left to decide`
          : lot.state === 'applied'
            ? 'finished'
            : lot.state === 'ready'
              ? 'everything is decided'
              : 'its files are still on their way'}
      </span>
      <span className="push" />
      {onClues && <Button onClick={onClues}>Clues…</Button>}
      {lot.unplanned && decidable(lot) && (
        <Button
          variant={undecided > 0 ? 'default' : 'filled'}
          loading={plan.isPending}
          onClick={() => plan.mutate({ path: { id: lot.id }, body: { way: '' } })}
        >
          {lot.placed > 0 ? 'Plan changes' : `Plan ${count(lot.paired)} paired`}
        </Button>
      )}
    </div>
  );
});
