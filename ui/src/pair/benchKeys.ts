import { useMemo, type RefObject } from 'react';
import type { FileDetail } from '../client';
import { tell } from '../shared/tell';
import type { Open } from './BenchDialogs';
import type { Choice } from './choices';
import type { Chosen } from './chosen';
import type { Decided } from './decide';
import { unsaid, type Deeds } from './deeds';
import type { Neighbours } from './neighbours';
import type { Ordering } from './order';

interface With {
  file: FileDetail;
  choice: Choice | undefined;
  choices: Choice[];
  chosen: Chosen;
  go: (id: number) => void;
  neighbours: RefObject<Neighbours>;
  mark: (marked: { file: number; at: number }) => void;
  open: (dialog: Open) => void;
  settle: (body: Decided, moveOn: boolean) => void;
  takeBack: () => void;
  doAgain: () => void;
  ordering: Ordering;
  deeds: Deeds;
}

/** What each key does on the bench: to the files that are chosen, else to the one that is shown. */
export function useBenchKeys({
  file,
  choice,
  choices,
  chosen,
  go,
  neighbours,
  mark,
  open,
  settle,
  takeBack,
  doAgain,
  ordering,
  deeds: { pairWith, pairWithAll, setAside, deed },
}: With) {
  const one = chosen.files.length === 0;
  return useMemo(
    () => ({
      Enter: () => {
        if (!one) deed('accept');
        else if (choice) pairWith(choice);
        else if (choices.length > 0) tell('No product is clearly ahead', 'Press its number, then Enter.');
      },
      a: pairWithAll,
      A: () => {
        if (one && file.verdict === 'paired') open('also');
      },
      x: () => setAside(unsaid),
      X: () => open('reason'),
      o: () => (one ? settle({ verdict: 'open' }, false) : deed('open')),
      m: () => {
        chosen.toggle(file);
        go(neighbours.current.after);
      },
      Escape: () => chosen.clear(),
      u: takeBack,
      U: doAgain,
      s: () => open('later'),
      c: () => open('clues'),
      f: () => open('product'),
      p: () => open('place'),
      v: () => open('view'),
      ' ': () => open('large'),
      n: () => go(file.next),
      ArrowDown: () => go(neighbours.current.after),
      ArrowUp: () => go(neighbours.current.before),
      ArrowLeft: (e: KeyboardEvent) => {
        if (e.shiftKey) ordering.step(-1);
      },
      ArrowRight: (e: KeyboardEvent) => {
        if (e.shiftKey) ordering.step(1);
      },
      ...Object.fromEntries(
        choices.slice(0, 9).map((_, i) => [String(i + 1), () => mark({ file: file.id, at: i })]),
      ),
    }),
    [
      choice,
      choices,
      chosen,
      deed,
      doAgain,
      file,
      go,
      mark,
      neighbours,
      one,
      open,
      ordering,
      pairWith,
      pairWithAll,
      setAside,
      settle,
      takeBack,
    ],
  );
}
