import { useCallback, useRef } from 'react';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';

/**
 * Something that was done: the file to look at, and what takes it back. Taking back is itself a step, which
 * does it again.
 */
export interface Step {
  file: number;
  back: () => Promise<Step>;
}

/** Says that a step left files as somebody else decided on them since. */
export function tellStayed(n: number) {
  if (n > 0) tell(`${some(n, 'file')} stayed`, 'Somebody decided on it since.', true);
}

/** What was done in this sitting, to be taken back and done again without limit. */
export function useHistory(show: (file: number) => void) {
  const done = useRef<Step[]>([]);
  const undone = useRef<Step[]>([]);
  // Each thing waits for those before it: a key that comes while one is on its way is of what that leaves.
  const turn = useRef<Promise<unknown>>(Promise.resolve());
  /** Takes what is on its way, and then a step, or nothing where it came to nothing. */
  const doing = useCallback((work: Promise<Step | undefined>) => {
    turn.current = turn.current
      .then(() => work)
      .then((step) => {
        if (!step) return;
        done.current.push(step);
        undone.current = [];
      })
      .catch((e: unknown) => tell('It cannot be taken back', said(e), true));
  }, []);
  const move = useCallback(
    (from: typeof done, to: typeof done) => {
      turn.current = turn.current
        .then(async () => {
          const step = from.current.pop();
          if (!step) return;
          if (step.file) show(step.file);
          to.current.push(await step.back());
        })
        .catch((e: unknown) => tell('Nothing changed', said(e), true));
    },
    [show],
  );
  const takeBack = useCallback(() => move(done, undone), [move]);
  const doAgain = useCallback(() => move(undone, done), [move]);
  return { doing, takeBack, doAgain };
}

/** Has what is on its way taken into the history. */
export type Doing = ReturnType<typeof useHistory>['doing'];
