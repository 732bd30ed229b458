import { useMutation } from '@tanstack/react-query';
import { useCallback } from 'react';
import type { DecideTogether, Seen, Together } from '../client';
import { decideTogetherMutation, takeBackTogetherMutation } from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';
import type { Chosen } from './chosen';
import type { Step } from './history';

type What = Omit<DecideTogether, 'files'>;

const words: Record<DecideTogether['do'], string> = { accept: 'Accepted', pair: 'Paired', 'set aside': 'Set aside', view: 'View set', open: 'Opened again' };

/** Makes a step of something that was done to several files at once: it is taken back, and done again to the same files. */
export function useTurns(lot: number) {
  const { mutateAsync: decide } = useMutation(decideTogetherMutation());
  const { mutateAsync: back } = useMutation(takeBackTogetherMutation());
  return useCallback((what: What, done: Together): Step => {
    const undo = (id: number): Step => ({ file: 0, back: async () => redo((await back({ path: { id } })).files) });
    const redo = (files: Seen[]): Step => ({ file: 0, back: async () => undo((await decide({ path: { id: lot }, body: { ...what, files } })).id) });
    return undo(done.id);
  }, [back, decide, lot]);
}

/** Decides on the chosen files at once. Files that somebody decided on in between stay as they are, and are told of. */
export function useTogether(lot: number, chosen: Chosen, did: (step: Step) => void) {
  const { mutateAsync: decide, isPending } = useMutation(decideTogetherMutation());
  const turn = useTurns(lot);
  const act = useCallback((what: What) => {
    const { files } = chosen;
    decide({ path: { id: lot }, body: { ...what, files } }).then((done) => {
      chosen.clear();
      if (done.files.length > 0) did(turn(what, done));
      const left = files.length - done.files.length;
      tell(`${words[what.do]}: ${some(done.files.length, 'file')}`, left > 0 ? `${some(left, 'file')} stayed: not of that kind, or decided on by somebody else in between.` : 'u takes it back.');
    }, (e: unknown) => tell('Nothing changed', said(e), true));
  }, [chosen, decide, did, lot, turn]);
  return { act, busy: isPending };
}
