import { useCallback } from 'react';
import { type FileDetail, type Target } from '../client';
import { type Aim, aimOf } from '../shared/target';
import { type Choice } from './choices';
import { type Deed } from './ChosenBar';
import type { Open } from './BenchDialogs';
import type { Chosen } from './chosen';
import type { Decided } from './decide';
import type { What } from './together';

/** What a paired file shows beside its first product. */
const othersOf = (file: FileDetail) =>
  file.verdict === 'paired' ? file.others.map((o) => o.target) : undefined;

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
            others: othersOf(file),
            place: file.place,
            view: file.view,
            reason: c.why,
          },
          true,
        );
    },
    [act, file, settle, several],
  );

  /** Pairs a contested file with all who claim it: it shows several products. */
  const pairWithAll = useCallback(() => {
    const [target, ...others] = file.candidates.map((c) =>
      aimOf({ product: c.product, variant: c.variant ?? 0, category: c.category }),
    );
    if (several > 0 || file.verdict !== 'contested' || !target) return;
    settle(
      { verdict: 'paired', target, others, place: file.place, view: file.view, reason: 'shows several' },
      true,
    );
  }, [file, settle, several]);

  /** Sets what a paired file shows beside its first product. */
  const setOthers = useCallback(
    (others: Target[]) => {
      if (several > 0 || file.verdict !== 'paired' || !file.target) return;
      settle(
        {
          verdict: 'paired',
          target: file.target,
          others,
          place: file.place,
          view: file.view,
          reason: others.length > 0 ? 'shows several' : file.reason,
        },
        false,
      );
    },
    [file, settle, several],
  );

  /** Adds a product to a paired file, which shows it, too; any other file is paired with it. */
  const alsoShows = useCallback(
    (c: Choice) => {
      if (file.verdict === 'paired' && several === 0)
        setOthers([...file.others.map((o) => o.target), aimOf(c)]);
      else pairWith(c);
    },
    [file, pairWith, setOthers, several],
  );

  const setView = useCallback(
    (view: string) => {
      if (several > 0) act({ do: 'view', view });
      else if (shown)
        settle(
          {
            verdict: 'paired',
            target: aimOf(shown),
            others: othersOf(file),
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
            others: othersOf(file),
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

  return { pairWith, pairWithAll, setOthers, alsoShows, setView, setPlace, setAside, deed };
}

export type Deeds = ReturnType<typeof useDeeds>;
