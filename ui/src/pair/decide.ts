import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useCallback, useMemo, useRef, useState, type RefObject } from 'react';
import type { Decision, FileDetail, Lot } from '../client';
import { decideFileMutation, getFileOptions, getFileQueryKey } from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { tell } from '../shared/tell';
import type { Neighbours } from './FileColumn';
import type { Step } from './history';

/** What is decided of a file, whichever version it has by then. */
export type Decided = Omit<Decision, 'version'>;

/** What brings a file back to how it was: what a person had decided, or the reading. */
function asItWas(was: FileDetail): Decided {
  return was.decidedBy === 'person' && (was.verdict === 'paired' || was.verdict === 'set aside')
    ? { verdict: was.verdict, product: was.product, variant: was.variant, place: was.place, view: was.view, reason: was.reason }
    : { verdict: 'open' };
}

interface At { lot: Lot; file: FileDetail; passing: boolean; neighbours: RefObject<Neighbours>; go: (id: number) => void; did: (step: Step) => void; forget: (step: Step) => void }

/** Deciding on the file that is shown. passing: it is the one before, since the next is on its way; nothing may be decided on it. */
export function useDecide({ lot, file, passing, neighbours, go, did, forget }: At) {
  const client = useQueryClient();
  const [corrected, setCorrected] = useState<FileDetail>();
  const settled = useRef(new Set<number>());
  const { mutate, isPending, variables } = useMutation({ ...decideFileMutation(), onError: (e, { path: { id } }) => {
    tell('Not decided', said(e), true);
    void client.invalidateQueries({ queryKey: getFileQueryKey({ path: { id } }) });
  } });
  const { mutateAsync } = useMutation(decideFileMutation());
  // Nothing is decided on a file that is passing, or whose last decision is on its way: the answer brings its new version.
  const closed = lot.state !== 'ready' || passing || (isPending && variables.path.id === file.id);

  /** A step that brings a file from one decision to another, and can be turned round. */
  const turn = useCallback((id: number, to: Decided, from: Decided): Step => {
    const between = (next: Decided, then: Decided): Step => ({ file: id, back: async () => {
      settled.current.delete(id);
      setCorrected(undefined);
      const now = await client.fetchQuery({ ...getFileOptions({ path: { id } }), staleTime: 0 });
      client.setQueryData(getFileQueryKey({ path: { id } }), await mutateAsync({ path: { id }, body: { ...next, version: now.version } }));
      return between(then, next);
    } });
    return between(to, from);
  }, [client, mutateAsync]);

  const settle = useCallback((body: Decided, moveOn: boolean) => {
    if (closed || file.verdict === 'unusable') return;
    const step = turn(file.id, asItWas(file), body);
    did(step);
    settled.current.add(file.id);
    const open = file.verdict === 'contested' || file.verdict === 'loose';
    // The next file was told when this one was fetched; where it has been decided on since, the answer tells anew.
    const known = open ? (settled.current.has(file.next) ? 0 : file.next) : neighbours.current.after;
    mutate({ path: { id: file.id }, body: { ...body, version: file.version } }, {
      onSuccess: (now) => {
        client.setQueryData(getFileQueryKey({ path: { id: file.id } }), now);
        if (moveOn && !known && now.next) go(now.next);
        if (file.verdict === 'loose' && body.verdict === 'paired') setCorrected(now);
      },
      onError: () => {
        settled.current.delete(file.id);
        forget(step);
      },
    });
    if (moveOn && known) go(known);
  }, [client, closed, did, file, forget, go, mutate, neighbours, turn]);

  return useMemo(() => ({ settle, corrected, learned: () => setCorrected(undefined) }), [corrected, settle]);
}
