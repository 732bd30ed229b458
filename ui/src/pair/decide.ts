import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useCallback, useMemo, useRef, useState, type RefObject } from 'react';
import type { Decision, FileDetail, Lot, Seen } from '../client';
import {
  decideFileMutation,
  getFileOptions,
  getFileQueryKey,
  takeBackDecisionMutation,
} from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { decidable } from '../shared/lots';
import { tell } from '../shared/tell';
import type { Neighbours } from './neighbours';
import { isPictured } from './Stage';
import { tellStayed, type Doing, type Step } from './history';

/** What is decided of a file, whichever version it has by then. */
export type Decided = Omit<Decision, 'version'>;

interface At {
  lot: Lot;
  file: FileDetail;
  passing: boolean;
  neighbours: RefObject<Neighbours>;
  go: (id: number) => void;
  doing: Doing;
}

/**
 * Deciding on the file that is shown. passing: it is the one before, since the next is on its way; nothing
 * may be decided on it.
 */
export function useDecide({ lot, file, passing, neighbours, go, doing }: At) {
  const client = useQueryClient();
  const [corrected, setCorrected] = useState<FileDetail>();
  const settled = useRef(new Set<number>());
  const { mutateAsync: decide, isPending, variables } = useMutation(decideFileMutation());
  const { mutateAsync: takeBack } = useMutation(takeBackDecisionMutation());
  // Nothing is decided on a file that is passing, or whose last decision is on its way: the answer brings its
  // new version.
  const closed = !decidable(lot) || passing || (isPending && variables.path.id === file.id);

  /** A step that takes a decision back when it has arrived, and makes it again from there. */
  const turn = useCallback(
    (id: number, body: Decided, first: Promise<FileDetail>): Step => {
      const undo = (decision: Promise<FileDetail>): Step => ({
        file: id,
        back: async () => {
          settled.current.delete(id);
          setCorrected(undefined);
          const back = await takeBack({ path: { id: (await decision).undo } });
          tellStayed(back.stayed);
          await client.fetchQuery({ ...getFileOptions({ path: { id } }), staleTime: 0 });
          return redo(back.files[0]);
        },
      });
      const redo = (was: Seen | undefined): Step => ({
        file: id,
        back: async () => {
          if (!was) throw new Error('Somebody decided on it since.');
          const again = decide({ path: { id }, body: { ...body, version: was.version } });
          client.setQueryData(getFileQueryKey({ path: { id } }), await again);
          return undo(again);
        },
      });
      return undo(first);
    },
    [client, decide, takeBack],
  );

  const settle = useCallback(
    (body: Decided, moveOn: boolean) => {
      if (closed || file.verdict === 'unusable' || file.verdict === 'sheet') return;
      // Nobody decides on a picture that is not on the screen yet.
      if (!isPictured(file)) {
        tell('The picture is not shown yet', 'Press the key again when you see it.');
        return;
      }
      const decision = decide({ path: { id: file.id }, body: { ...body, version: file.version } });
      const step = turn(file.id, body, decision);
      doing(
        decision.then(
          () => step,
          () => undefined,
        ),
      );
      settled.current.add(file.id);
      // The next file comes from the list that is worked through; when that is at its end, the answer tells
      // of another.
      const { after, first } = neighbours.current;
      const known = [after, first].find((id) => id !== 0 && id !== file.id && !settled.current.has(id)) ?? 0;
      decision.then(
        (now) => {
          client.setQueryData(getFileQueryKey({ path: { id: file.id } }), now);
          if (moveOn && !known && now.next) go(now.next);
          if (file.verdict === 'loose' && body.verdict === 'paired') setCorrected(now);
        },
        (e: unknown) => {
          tell('Not decided', said(e), true);
          void client.invalidateQueries({ queryKey: getFileQueryKey({ path: { id: file.id } }) });
          settled.current.delete(file.id);
        },
      );
      if (moveOn && known) go(known);
    },
    [client, closed, decide, doing, file, go, neighbours, turn],
  );

  return useMemo(() => ({ settle, corrected, learned: () => setCorrected(undefined) }), [corrected, settle]);
}
