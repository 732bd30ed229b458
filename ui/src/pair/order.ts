import { arrayMove } from '@dnd-kit/sortable';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback } from 'react';
import type { Preview, PlannedTarget, Target } from '../client';
import {
  orderPicturesMutation,
  previewTargetOptions,
  previewTargetQueryKey,
} from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { type Aim, sameTarget } from '../shared/target';
import { tell } from '../shared/tell';
import type { Doing, Step } from './history';

type Refs = { id: number; file: number }[];

const refs = (target: PlannedTarget): Refs => target.after.map(({ id, file }) => ({ id, file }));

/** What a product or category shows and will show, and the order that a person gives it. */
export function useOrder(lot: number, shown: Aim | undefined, file: number, doing: Doing) {
  const client = useQueryClient();
  const kind = shown?.category ? 'category' : 'product';
  const owner = shown?.category ?? shown?.product ?? 0;
  const preview = useQuery({
    ...previewTargetOptions({ path: { id: lot, kind, owner } }),
    enabled: owner > 0,
  });
  const { mutateAsync } = useMutation(orderPicturesMutation());
  const put = useCallback(
    async (target: Target, pictures: Refs) => {
      const path = { id: lot, kind, owner } as const;
      client.setQueryData<Preview>(
        previewTargetQueryKey({ path }),
        await mutateAsync({ path: { id: lot }, body: { target, pictures } }),
      );
    },
    [client, kind, lot, mutateAsync, owner],
  );
  const change = useCallback(
    (target: PlannedTarget, pictures: Refs) => {
      const before = preview.data?.ordered.some((t) => sameTarget(t, target.target)) ? refs(target) : [];
      const turned = (to: Refs, from: Refs): Step => ({
        file,
        back: async () => {
          await put(target.target, to);
          return turned(from, to);
        },
      });
      doing(
        put(target.target, pictures).then(
          () => turned(before, pictures),
          (e: unknown) => {
            tell('The order stays', said(e), true);
            return undefined;
          },
        ),
      );
    },
    [doing, file, preview.data, put],
  );
  const move = useCallback(
    (target: PlannedTarget, from: number, to: number) => {
      if (from !== to && to >= 0 && to < target.after.length)
        change(target, arrayMove(refs(target), from, to));
    },
    [change],
  );
  /** Moves a file's picture by some places. */
  const step = useCallback(
    (by: number) => {
      const target = preview.data?.targets.find((t) => t.after.some((e) => e.file === file));
      if (target)
        move(
          target,
          target.after.findIndex((e) => e.file === file),
          target.after.findIndex((e) => e.file === file) + by,
        );
    },
    [file, move, preview.data],
  );
  const byNames = useCallback((target: PlannedTarget) => change(target, []), [change]);
  return { preview, move, step, byNames };
}

export type Ordering = ReturnType<typeof useOrder>;
