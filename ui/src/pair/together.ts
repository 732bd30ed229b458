import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useCallback } from 'react';
import type { DecideTogether, Seen, Together } from '../client';
import {
  decideTogetherMutation,
  getFileQueryKey,
  takeBackDecisionMutation,
} from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';
import type { Chosen } from './chosen';
import { tellStayed, type Doing, type Step } from './history';

/** What is done to several files at once. */
export type What = Omit<DecideTogether, 'files'>;

const words: Record<DecideTogether['do'], string> = {
  accept: 'Accepted',
  pair: 'Paired',
  'set aside': 'Set aside',
  place: 'Place set',
  view: 'View set',
  open: 'Opened again',
};

/**
 * Makes a step of something that was done to several files at once: it is taken back, and done again to the
 * same files in the same order.
 */
export function useTurns(lot: number) {
  const { mutateAsync: decide } = useMutation(decideTogetherMutation());
  const { mutateAsync: back } = useMutation(takeBackDecisionMutation());
  const look = useLookAgain();
  return useCallback(
    (what: What, done: Together, order: Seen[] = []): Step => {
      const turns = new Map(order.map((f, i) => [f.id, i]));
      const inOrder = (files: Seen[]) =>
        files.toSorted((a, b) => (turns.get(a.id) ?? 0) - (turns.get(b.id) ?? 0));
      const undo = (id: number): Step => ({
        file: 0,
        back: async () => {
          const { files, stayed } = await back({ path: { id } });
          tellStayed(stayed);
          look(files);
          return redo(files);
        },
      });
      const redo = (files: Seen[]): Step => ({
        file: 0,
        back: async () => {
          if (files.length === 0) throw new Error('Somebody decided on them since.');
          const again = await decide({ path: { id: lot }, body: { ...what, files: inOrder(files) } });
          tellStayed(files.length - again.files.length);
          look(again.files);
          return undo(again.id);
        },
      });
      return undo(done.id);
    },
    [back, decide, look, lot],
  );
}

/**
 * Has files looked at anew that are on the screen: the next decision on them is of the version that they have
 * now.
 */
function useLookAgain() {
  const client = useQueryClient();
  return useCallback(
    (files: Seen[]) => {
      for (const { id } of files)
        void client.invalidateQueries({ queryKey: getFileQueryKey({ path: { id } }) });
    },
    [client],
  );
}

/**
 * Decides on the chosen files at once. Files that somebody decided on in between stay as they are, and are
 * told of.
 */
export function useTogether(lot: number, chosen: Chosen, doing: Doing) {
  const { mutateAsync: decide, isPending } = useMutation(decideTogetherMutation());
  const turn = useTurns(lot);
  const look = useLookAgain();
  const act = useCallback(
    (what: What) => {
      const { files } = chosen;
      doing(
        decide({ path: { id: lot }, body: { ...what, files } }).then(
          (done) => {
            chosen.clear();
            look(done.files);
            const left = files.length - done.files.length;
            tell(
              `${words[what.do]}: ${some(done.files.length, 'file')}`,
              left > 0
                ? `${some(left, 'file')} stayed: not of that kind, or decided on by somebody else in between.`
                : 'u takes it back.',
            );
            return done.files.length > 0 ? turn(what, done, files) : undefined;
          },
          (e: unknown) => {
            tell('Nothing changed', said(e), true);
            return undefined;
          },
        ),
      );
    },
    [chosen, decide, doing, look, lot, turn],
  );
  return { act, busy: isPending };
}
