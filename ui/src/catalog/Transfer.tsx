import { Modal, SegmentedControl } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { Shown, Target } from '../client';
import { transferPicturesMutation } from '../client/@tanstack/react-query.gen';
import { Finder } from '../pair/dialogs';
import { baseName, said, some } from '../shared/format';
import { aimOf, sameTarget } from '../shared/target';
import { tell, tellWithUndo } from '../shared/tell';
import { useUndoPlan } from '../shared/undoPlan';

/** Moves pictures to another product, variant or category, or copies them there. */
export function Transfer({
  picture,
  pictures,
  onClose,
}: {
  picture: Shown;
  /** All pictures of the owner. */
  pictures: Shown[];
  onClose: () => void;
}) {
  const [copy, setCopy] = useState(false);
  const [all, setAll] = useState(false);
  const transfer = useTransfer(onClose);
  const siblings = pictures.filter((p) => sameTarget(p.target, picture.target));
  const meant = all ? siblings : [picture];
  return (
    <Modal
      opened
      onClose={onClose}
      size="lg"
      title={
        meant.length === 1
          ? `Which product does ${baseName(picture.path)} show?`
          : `Which product do these ${some(meant.length, 'picture')} show?`
      }
    >
      <div className="spread wrap">
        <SegmentedControl
          aria-label="Move or copy"
          value={copy ? 'copy' : 'move'}
          onChange={(v) => setCopy(v === 'copy')}
          data={[
            { value: 'move', label: 'Move' },
            { value: 'copy', label: 'Copy' },
          ]}
        />
        {siblings.length > 1 && (
          <SegmentedControl
            aria-label="Pictures"
            value={all ? 'all' : 'one'}
            onChange={(v) => setAll(v === 'all')}
            data={[
              { value: 'one', label: 'This picture' },
              { value: 'all', label: `All ${siblings.length} here` },
            ]}
          />
        )}
      </div>
      <Finder
        onPick={(c) => {
          if (!transfer.isPending) transfer.mutate(meant, aimOf(c), c.code, copy);
        }}
      />
    </Modal>
  );
}

function useTransfer(done: () => void) {
  const client = useQueryClient();
  const undo = useUndoPlan();
  const { mutate, isPending } = useMutation({
    ...transferPicturesMutation(),
    onError: (e) => {
      tell('Could not move the pictures', said(e), true);
      void client.invalidateQueries();
    },
  });
  return {
    isPending,
    mutate: (pictures: Shown[], to: Target, code: string, copy: boolean) =>
      mutate(
        { body: { pictures: pictures.map((p) => p.id), to, copy } },
        {
          onSuccess: ({ plan, moved, there, gone }) => {
            void client.invalidateQueries();
            done();
            const words = [
              moved > 0 && `${copy ? 'Copied' : 'Moved'} ${some(moved, 'picture')} to ${code}.`,
              there > 0 && `${code} already has ${some(there, 'picture')} of these.`,
              gone > 0 && `${some(gone, 'picture')} had been moved by someone else.`,
            ]
              .filter(Boolean)
              .join(' ');
            if (plan > 0) tellWithUndo(words, () => undo(plan));
            else tell('Nothing changed', words);
          },
        },
      ),
  };
}
