import { Button, Modal } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Lot } from '../client';
import {
  finishLotMutation,
  giveUpLotMutation,
  pairLotMutation,
  planLotMutation,
  reopenLotMutation,
  restoreLotMutation,
} from '../client/@tanstack/react-query.gen';
import { bytes, count, said, some, when } from '../shared/format';
import { History } from '../record/History';
import { decidable } from '../shared/lots';
import { tell, tellWithUndo } from '../shared/tell';

export function classes(lot: Lot) {
  const all: [string, number][] = [
    ['all', lot.files],
    ['paired', lot.paired],
    ['contested', lot.contested],
    ['loose', lot.loose],
    ['set aside', lot.setAside],
    ['unusable', lot.unusable],
  ];
  if (lot.sheets > 0) all.push(['sheet', lot.sheets]);
  return all.map(([value, n]) => ({ value, label: `${value} ${count(n)}` }));
}

export function Head({ lot }: { lot: Lot }) {
  const navigate = useNavigate();
  const plan = useMutation({
    ...planLotMutation(),
    onSuccess: ({ id }) => void navigate(`/plans/${id}`),
    onError: (e) => tell('Not planned', said(e), true),
  });
  const pair = useMutation({ ...pairLotMutation(), onError: (e) => tell('Not read', said(e), true) });
  const undecided = lot.contested + lot.loose;
  const decide = lot.state === 'ready' && undecided > 0;
  return (
    <div className="head">
      <div className="narrow">
        <h1 className="clip titled">{lot.name}</h1>
        <span className="quiet">
          {some(lot.files, 'file')}, {bytes(lot.bytes)}, came in {when(lot.createdAt)}
          {lot.state === 'applied' && ', finished'}
          {lot.placed > 0 && `, ${count(lot.placed)} placed`}
          {lot.placed > 0 && undecided > 0 && `, ${count(undecided)} undecided`}
        </span>
      </div>
      <div className="spread push fixed">
        {lot.state === 'ready' && (
          <Button
            onClick={() => pair.mutate({ path: { id: lot.id } })}
            loading={pair.isPending}
            title="What you decided stays"
          >
            Read again
          </Button>
        )}
        {lot.state !== 'receiving' && (
          <Button component={Link} to={`/pair/${lot.id}`} variant={decide ? 'filled' : 'default'}>
            {decide ? `Decide ${count(undecided)}` : 'Bench'}
          </Button>
        )}
        {lot.unplanned && decidable(lot) && (
          <Button
            variant={decide ? 'default' : 'filled'}
            loading={plan.isPending}
            onClick={() => plan.mutate({ path: { id: lot.id }, body: { way: '' } })}
          >
            {lot.placed > 0 ? 'Plan changes' : `Plan ${count(lot.paired)}`}
          </Button>
        )}
        {lot.plan > 0 && lot.planState !== 'draft' && (
          <Button component={Link} to={`/plans/${lot.plan}`}>
            Its plan
          </Button>
        )}
        <Finish lot={lot} />
        <LotHistory lot={lot} />
        <GiveUp lot={lot} />
      </div>
    </div>
  );
}

/** Ends the work on a lot of which something is placed, or opens it again. */
function Finish({ lot }: { lot: Lot }) {
  const [sure, setSure] = useState(false);
  const onError = (e: unknown) => tell('Could not change the lot', said(e), true);
  const reopen = useMutation({ ...reopenLotMutation(), onError });
  const finish = useMutation({
    ...finishLotMutation(),
    onError,
    onSuccess: (_, { path }) =>
      tellWithUndo('The lot is finished.', () => reopen.mutate({ path: { id: path.id } })),
  });
  const undecided = lot.contested + lot.loose + lot.unread;
  if (lot.state === 'applied' && undecided > 0 && decidable(lot))
    return (
      <Button loading={reopen.isPending} onClick={() => reopen.mutate({ path: { id: lot.id } })}>
        Reopen lot
      </Button>
    );
  if (lot.state !== 'ready' || lot.placed === 0 || !decidable(lot)) return null;
  return (
    <>
      <Button onClick={() => setSure(true)}>Finish lot…</Button>
      <Modal opened={sure} onClose={() => setSure(false)} title="Finish this lot?">
        <p className="first">
          {undecided > 0 &&
            `${some(undecided, 'file')} ${undecided === 1 ? 'is' : 'are'} still undecided. ` +
              'No file is deleted, but Upkeep may offer undecided files as orphans later. '}
          {lot.unplanned && 'Decisions that are not applied yet stay, but no plan carries them out. '}
          Pictures that are placed stay where they are. The lot can be reopened.
        </p>
        <div className="spread">
          <Button
            variant="filled"
            loading={finish.isPending}
            onClick={() => {
              setSure(false);
              finish.mutate({ path: { id: lot.id } });
            }}
          >
            Finish lot
          </Button>
          <Button onClick={() => setSure(false)}>Cancel</Button>
        </div>
      </Modal>
    </>
  );
}

/** Who did what to a lot. */
function LotHistory({ lot }: { lot: Lot }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>History</Button>
      <Modal opened={open} onClose={() => setOpen(false)} title={lot.name} size="lg">
        {open && <History kind="lot" id={lot.id} />}
      </Modal>
    </>
  );
}

/** Hides a lot that is not needed, or brings it back. */
export function GiveUp({ lot }: { lot: Lot }) {
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  const nothing = (e: unknown) => tell('Nothing changed', said(e), true);
  const giveUp = useMutation({
    ...giveUpLotMutation(),
    onError: nothing,
    onSuccess: () => void navigate('/gather'),
  });
  const restore = useMutation({ ...restoreLotMutation(), onError: nothing });
  if (lot.state === 'given up')
    return (
      <Button
        variant="filled"
        loading={restore.isPending}
        onClick={() => restore.mutate({ path: { id: lot.id } })}
      >
        Restore
      </Button>
    );
  if (lot.state === 'applied' || lot.planState === 'applying' || lot.planState === 'reverting') return null;
  return (
    <>
      <Button onClick={() => setSure(true)}>Give up…</Button>
      <Modal opened={sure} onClose={() => setSure(false)} title="Give this lot up?">
        <p className="first">
          It is no longer shown, and waits for nobody. Nothing of it is deleted: it is restored at the foot of
          Gather, with every decision.
        </p>
        <div className="spread">
          <Button
            variant="filled"
            loading={giveUp.isPending}
            onClick={() => giveUp.mutate({ path: { id: lot.id } })}
          >
            Give up {lot.name}
          </Button>
          <Button onClick={() => setSure(false)}>Leave it</Button>
        </div>
      </Modal>
    </>
  );
}
