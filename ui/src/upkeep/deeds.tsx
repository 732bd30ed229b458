import { Button, Modal, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import { giveUpLot, restoreLot, type FindingsWanted, type Stood, type SweepFinding } from '../client';
import {
  holdFindingsMutation,
  mergeFindingsMutation,
  pinFilesMutation,
  putFileBackMutation,
  restoreHeldMutation,
  unpinFilesMutation,
} from '../client/@tanstack/react-query.gen';
import { baseName, count, said, some } from '../shared/format';
import { tell, tellWithUndo } from '../shared/tell';
import { SaveForLater } from '../shelf/SaveForLater';
import { grouped } from './words';

/** Findings by their numbers, or by what they are. */
export type Which = Pick<FindingsWanted, 'ids' | 'where'>;

/** What can be done with findings. */
export interface Deeds {
  hold: (which: Which) => void;
  askPin: (findings: SweepFinding[]) => void;
  /** Asks where on the shelf they are saved for later. */
  askShelf: (findings: SweepFinding[]) => void;
  /** Plans that one of those that are the same stays, and has the places of the others. */
  keep: (one: SweepFinding, of: SweepFinding[]) => void;
  /** Plans that of each group the one stays that most show. */
  merge: (kind: 'twice' | 'alike', which: Which) => void;
  putBack: (finding: SweepFinding, from: Stood) => void;
  giveUp: (lots: SweepFinding[]) => void;
  busy: boolean;
  /** The question that a deed asks, where it asks one. */
  dialog: ReactNode;
}

/** Holding, pinning and giving up have their way back at hand; what changes products is a plan to look at.
 * onDone lets what was chosen go. */
export function useDeeds(onDone: () => void): Deeds {
  const client = useQueryClient();
  const [pinning, setPinning] = useState<SweepFinding[]>([]);
  const [saving, setSaving] = useState<number[]>([]);
  const fresh = () => void client.invalidateQueries();
  const failed = (e: unknown) => {
    tell('Nothing changed', said(e), true);
    fresh();
  };
  const restore = useMutation({ ...restoreHeldMutation(), onError: failed, onSuccess: fresh });
  const unpin = useMutation({ ...unpinFilesMutation(), onError: failed, onSuccess: fresh });
  const hold = useMutation({
    ...holdFindingsMutation(),
    onError: failed,
    onSuccess: ({ holding, files, needed }) => {
      fresh();
      onDone();
      tellWithUndo(
        `${some(files, 'file')} held.${needed ? ` ${count(needed)} are needed by now, and stay.` : ''}`,
        () => restore.mutate({ path: { id: holding }, body: {} }),
      );
    },
  });
  const pin = useMutation({
    ...pinFilesMutation(),
    onError: failed,
    onSuccess: (_, { body }) => {
      fresh();
      onDone();
      setPinning([]);
      tellWithUndo(`${some(body.files.length, 'file')} pinned: kept, whatever else needs them.`, () =>
        unpin.mutate({ body: { files: body.files } }),
      );
    },
  });
  const navigate = useNavigate();
  const toPlan = ({ id }: { id: number }) => void navigate(`/plans/${id}`);
  const merge = useMutation({ ...mergeFindingsMutation(), onError: failed, onSuccess: toPlan });
  const back = useMutation({ ...putFileBackMutation(), onError: failed, onSuccess: toPlan });
  const giveUp = useMutation({
    mutationFn: (lots: number[]) =>
      Promise.all(lots.map((id) => giveUpLot({ path: { id }, throwOnError: true }))),
    onError: failed,
    onSuccess: (_, lots) => {
      fresh();
      onDone();
      tellWithUndo(`${some(lots.length, 'lot')} given up.`, () => {
        Promise.all(lots.map((id) => restoreLot({ path: { id }, throwOnError: true }))).then(fresh, failed);
      });
    },
  });
  const files = [...new Set(pinning.map((f) => f.file))];
  return {
    hold: (which) => {
      if ((which.ids?.length ?? 0) > 0 || which.where) hold.mutate({ body: which });
    },
    askPin: (findings) => setPinning(findings.filter((f) => f.file > 0)),
    askShelf: (findings) => setSaving([...new Set(findings.map((f) => f.file).filter((id) => id > 0))]),
    keep: (one, of) => {
      if (grouped(one.kind))
        merge.mutate({
          body: { kind: one.kind as 'twice', ids: of.map((f) => f.id), keep: [one.file] },
        });
    },
    merge: (kind, which) => merge.mutate({ body: { ...which, kind } }),
    putBack: (finding, from) =>
      back.mutate({ path: { id: finding.file }, body: { on: from.on, instead: from.now } }),
    giveUp: (lots) => giveUp.mutate(lots.map((f) => f.lot)),
    busy: [hold, pin, merge, back, giveUp].some((deed) => deed.isPending),
    dialog:
      pinning.length > 0 ? (
        <PinDialog
          name={files.length === 1 && pinning[0] ? baseName(pinning[0].path) : some(files.length, 'file')}
          busy={pin.isPending}
          onPin={(because) => pin.mutate({ body: { files, because } })}
          onClose={() => setPinning([])}
        />
      ) : (
        saving.length > 0 && <SaveForLater files={saving} onClose={() => setSaving([])} onDone={onDone} />
      ),
  };
}

interface Pinning {
  name: string;
  busy: boolean;
  onPin: (because: string) => void;
  onClose: () => void;
}

function PinDialog({ name, busy, onPin, onClose }: Pinning) {
  const [because, setBecause] = useState('');
  return (
    <Modal opened onClose={onClose} title={`Keep ${name}`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          if (because.trim()) onPin(because.trim());
        }}
      >
        <TextInput
          data-autofocus
          label="Because"
          placeholder="the only picture of the old label"
          value={because}
          onChange={(e) => setBecause(e.currentTarget.value)}
        />
        <span className="quiet">It is not found any more, until the pin is taken off.</span>
        <div className="spread">
          <Button type="submit" variant="filled" loading={busy} disabled={!because.trim()}>
            Pin
          </Button>
          <Button onClick={onClose}>Leave it</Button>
        </div>
      </form>
    </Modal>
  );
}
