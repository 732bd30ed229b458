import { useMutation } from '@tanstack/react-query';
import { useCallback } from 'react';
import type { DecideTogether, Seen } from '../client';
import { decideTogetherMutation, takeBackTogetherMutation } from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';
import type { Chosen } from './chosen';
import type { Step } from './history';

type What = Omit<DecideTogether, 'files'>;

const words: Record<DecideTogether['do'], string> = { accept: 'Accepted', pair: 'Paired', 'set aside': 'Set aside', view: 'View set', open: 'Opened again' };

/** Decides on the chosen files at once. Files that somebody decided on in between stay as they are, and are told of. */
export function useTogether(lot: number, chosen: Chosen, did: (step: Step) => void) {
  const { mutateAsync: decide, isPending } = useMutation(decideTogetherMutation());
  const { mutateAsync: back } = useMutation(takeBackTogetherMutation());
  const act = useCallback((what: What) => {
    const asked = chosen.files.length;
    const run = async (files: Seen[]): Promise<{ step: Step; n: number }> => {
      const done = await decide({ path: { id: lot }, body: { ...what, files } });
      return { n: done.files.length, step: { file: 0, back: async () => again((await back({ path: { id: done.id } })).files) } };
    };
    const again = (files: Seen[]): Step => ({ file: 0, back: async () => (await run(files)).step });
    run(chosen.files).then(({ step, n }) => {
      chosen.clear();
      if (n > 0) did(step);
      const left = asked - n;
      tell(`${words[what.do]}: ${some(n, 'file')}`, left > 0 ? `${some(left, 'file')} stayed: not of that kind, or decided on by somebody else in between.` : 'u takes it back.');
    }, (e: unknown) => tell('Nothing changed', said(e), true));
  }, [back, chosen, decide, did, lot]);
  return { act, busy: isPending };
}
