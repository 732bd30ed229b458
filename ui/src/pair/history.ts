import { useCallback, useRef, useState } from 'react';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';

/** Something that was done: the file to look at, and what takes it back. Taking back is itself a step, which does it again. */
export interface Step { file: number; back: () => Promise<Step> }

/** Says that a step left files as somebody else decided on them since. */
export function tellStayed(n: number) {
  if (n > 0) tell(`${some(n, 'file')} stayed`, 'Somebody decided on it since.', true);
}

/** What was done in this sitting, to be taken back and done again without limit. */
export function useHistory(show: (file: number) => void) {
  const [done, setDone] = useState<Step[]>([]);
  const [undone, setUndone] = useState<Step[]>([]);
  // A step is taken back when the one before is: each begins from what the other left.
  const turn = useRef<Promise<void>>(Promise.resolve());
  const did = useCallback((step: Step) => {
    setDone((list) => [...list, step]);
    setUndone([]);
  }, []);
  const forget = useCallback((step: Step) => setDone((list) => list.filter((s) => s !== step)), []);
  const move = useCallback((step: Step | undefined, from: typeof setDone, to: typeof setDone) => {
    if (!step) return;
    from((list) => list.filter((s) => s !== step));
    if (step.file) show(step.file);
    turn.current = turn.current.then(() => step.back()).then((reverse) => to((list) => [...list, reverse]), (e: unknown) => tell('Nothing changed', said(e), true));
  }, [show]);
  const takeBack = useCallback(() => move(done.at(-1), setDone, setUndone), [done, move]);
  const doAgain = useCallback(() => move(undone.at(-1), setUndone, setDone), [move, undone]);
  return { did, forget, takeBack, doAgain };
}
