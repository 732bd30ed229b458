import { useCallback } from 'react';
import { type FileDetail } from '../client';
import { type Aim, aimOf } from '../shared/target';
import { type Choice } from './choices';
import { type Deed } from './ChosenBar';
import type { Open } from './BenchDialogs';
import type { Chosen } from './chosen';
import type { Decided } from './decide';
import type { What } from './together';

/** The reason of what is set aside without one. */
export const unsaid = 'set aside on the bench';

interface With {
  file: FileDetail;
  shown: Aim | undefined;
  chosen: Chosen;
  act: (what: What) => void;
  settle: (body: Decided, moveOn: boolean) => void;
  open: (dialog: Open) => void;
}

/** What a person can do on the bench: to the files that are chosen, else to the one that is shown. */
export function useDeeds({ file, shown, chosen, act, settle, open }: With) {
  const several = chosen.files.length;

  const pairWith = useCallback(
    (c: Choice | undefined) => {
      if (c && several > 0) act({ do: 'pair', target: aimOf(c), reason: c.why });
      else if (c)
        settle(
          {
            verdict: 'paired',
            target: aimOf(c),
            place: file.place,
            view: file.view,
            reason: c.why,
          },
          true,
        );
    },
    [act, file, settle, several],
  );

  const setView = useCallback(
    (view: string) => {
      if (several > 0) act({ do: 'view', view });
      else if (shown)
        settle(
          {
            verdict: 'paired',
            target: aimOf(shown),
            place: file.place,
            view,
            reason: 'view set by hand',
          },
          false,
        );
    },
    [act, file, settle, several, shown],
  );

  const setPlace = useCallback(
    (place: number) => {
      if (several > 0) act({ do: 'place', place });
      else if (shown)
        settle(
          {
            verdict: 'paired',
            target: aimOf(shown),
            place,
            view: file.view,
            reason: 'place set by hand',
          },
          false,
        );
    },
    [act, file, settle, several, shown],
  );

  const setAside = useCallback(
    (reason: string) => {
      if (several > 0) act({ do: 'set aside', reason });
      else settle({ verdict: 'set aside', reason }, true);
    },
    [act, settle, several],
  );

  const deed = useCallback(
    (what: Deed) => {
      if (what === 'product' || what === 'place' || what === 'view' || what === 'later') open(what);
      if (what === 'accept') act({ do: 'accept' });
      if (what === 'aside') setAside(unsaid);
      if (what === 'open') act({ do: 'open' });
      if (what === 'clear') chosen.clear();
    },
    [act, chosen, open, setAside],
  );

  return { pairWith, setView, setPlace, setAside, deed };
}

export type Deeds = ReturnType<typeof useDeeds>;
