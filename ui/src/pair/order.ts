import { arrayMove } from '@dnd-kit/sortable';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback } from 'react';
import type { Preview, PlannedTarget } from '../client';
import { orderProductMutation, previewProductOptions, previewProductQueryKey } from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { tell } from '../shared/tell';
import type { Doing, Step } from './history';

type Refs = { id: number; file: number }[];

const refs = (target: PlannedTarget): Refs => target.after.map(({ id, file }) => ({ id, file }));

/** What a product shows and will show, and the order that a person gives it. */
export function useOrder(lot: number, product: number, file: number, doing: Doing) {
  const client = useQueryClient();
  const preview = useQuery({ ...previewProductOptions({ path: { id: lot, product } }), enabled: product > 0 });
  const { mutateAsync } = useMutation(orderProductMutation());
  const put = useCallback(async (variant: number, pictures: Refs) => {
    const path = { id: lot, product };
    client.setQueryData<Preview>(previewProductQueryKey({ path }), await mutateAsync({ path, body: { variant, pictures } }));
  }, [client, lot, mutateAsync, product]);
  const change = useCallback((target: PlannedTarget, pictures: Refs) => {
    const before = preview.data?.ordered.includes(target.variant) ? refs(target) : [];
    const turned = (to: Refs, from: Refs): Step => ({ file, back: async () => { await put(target.variant, to); return turned(from, to); } });
    doing(put(target.variant, pictures).then(() => turned(before, pictures), (e: unknown) => { tell('The order stays', said(e), true); return undefined; }));
  }, [doing, file, preview.data, put]);
  const move = useCallback((target: PlannedTarget, from: number, to: number) => {
    if (from !== to && to >= 0 && to < target.after.length) change(target, arrayMove(refs(target), from, to));
  }, [change]);
  /** Moves a file's picture by some places. */
  const step = useCallback((by: number) => {
    const target = preview.data?.targets.find((t) => t.after.some((e) => e.file === file));
    if (target) move(target, target.after.findIndex((e) => e.file === file), target.after.findIndex((e) => e.file === file) + by);
  }, [file, move, preview.data]);
  const byNames = useCallback((target: PlannedTarget) => change(target, []), [change]);
  return { preview, move, step, byNames };
}

export type Ordering = ReturnType<typeof useOrder>;
