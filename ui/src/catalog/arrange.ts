import { arrayMove } from '@dnd-kit/sortable';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { PictureChange, ProductPage, Shown, Target } from '../client';
import {
  arrangeProductMutation,
  getProductQueryKey,
  revertPlanMutation,
} from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { sameTarget } from '../shared/target';
import { tell, tellWithUndo } from '../shared/tell';

/** Changing a product's pictures by hand. Each change is a plan of its own, and can be taken back. */
export interface Arranging {
  saving: boolean;
  order: (target: Target, list: Shown[]) => void;
  step: (picture: Shown, by: number) => void;
  remove: (picture: Shown) => void;
  move: (picture: Shown, target: Target) => void;
  copy: (picture: Shown, target: Target) => void;
  say: (picture: Shown, alt: string) => void;
  takeBack: () => void;
}

const stays = (p: Shown): PictureChange => ({ id: p.id, target: p.target, view: p.view });

export function useArrange(page: ProductPage): Arranging {
  const client = useQueryClient();
  const key = getProductQueryKey({ path: { id: page.id } });
  const failed = (e: unknown) => {
    tell('Nothing changed', said(e), true);
    void client.invalidateQueries({ queryKey: key });
  };
  const { mutate: revert } = useMutation({ ...revertPlanMutation(), onError: failed });
  const takeBackPlan = (plan: number) =>
    revert({ path: { id: plan }, query: { kind: 'product', owner: page.id } });
  const { mutate, isPending } = useMutation({ ...arrangeProductMutation(), onError: failed });
  const save = (pictures: PictureChange[], done?: string) =>
    mutate(
      { path: { id: page.id }, body: { version: page.version, pictures } },
      {
        onSuccess: (now) => {
          client.setQueryData(key, now);
          const plan = now.changes[0]?.plan;
          if (done && plan) tellWithUndo(done, () => takeBackPlan(plan));
        },
      },
    );
  const all = page.pictureList;
  const order = (target: Target, list: Shown[]) =>
    save([...all.filter((p) => !sameTarget(p.target, target)), ...list].map(stays));
  const name = (target: Target) =>
    (target.kind === 'variant' && page.variantList.find((v) => v.id === target.id)?.sku) ||
    'the product as a whole';
  return {
    saving: isPending,
    order,
    step: (picture, by) => {
      const siblings = all.filter((p) => sameTarget(p.target, picture.target));
      const to = siblings.indexOf(picture) + by;
      if (to >= 0 && to < siblings.length && !isPending)
        order(picture.target, arrayMove(siblings, to - by, to));
    },
    remove: (picture) =>
      save(all.filter((p) => p.id !== picture.id).map(stays), 'Removed. The file stays in its lot.'),
    move: (picture, target) =>
      save(
        [...all.filter((p) => p.id !== picture.id).map(stays), { ...stays(picture), target }],
        `Moved to ${name(target)}.`,
      ),
    copy: (picture, target) =>
      save(
        [...all.map(stays), { id: 0, of: picture.id, target, view: picture.view }],
        `Copied to ${name(target)}.`,
      ),
    say: (picture, alt) => save(all.map((p) => (p.id === picture.id ? { ...stays(p), alt } : stays(p)))),
    takeBack: () => {
      const last = page.changes[0];
      if (last?.state === 'applied') takeBackPlan(last.plan);
      else tell('Nothing to take back', 'The last change of this product was taken back already.');
    },
  };
}
