import { arrayMove } from '@dnd-kit/sortable';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { PictureChange, ProductPage, Shown } from '../client';
import { arrangeProductMutation, getProductQueryKey, revertPlanMutation } from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { tell, tellWithUndo } from '../shared/tell';

/** Changing a product's pictures by hand. Each change is a plan of its own, and can be taken back. */
export interface Arranging {
  saving: boolean;
  order: (variant: number, list: Shown[]) => void;
  step: (picture: Shown, by: number) => void;
  remove: (picture: Shown) => void;
  move: (picture: Shown, variant: number) => void;
  copy: (picture: Shown, variant: number) => void;
  say: (picture: Shown, alt: string) => void;
  takeBack: () => void;
}

const stays = (p: Shown): PictureChange => ({ id: p.id, variant: p.variant, view: p.view });

export function useArrange(page: ProductPage): Arranging {
  const client = useQueryClient();
  const key = getProductQueryKey({ path: { id: page.id } });
  const failed = (e: unknown) => {
    tell('Nothing changed', said(e), true);
    void client.invalidateQueries({ queryKey: key });
  };
  const { mutate: revert } = useMutation({ ...revertPlanMutation(), onError: failed });
  const takeBackPlan = (plan: number) => revert({ path: { id: plan }, query: { product: page.id } });
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
  const order = (variant: number, list: Shown[]) => save([...all.filter((p) => p.variant !== variant), ...list].map(stays));
  const name = (variant: number) => page.variantList.find((v) => v.id === variant)?.sku ?? 'the product as a whole';
  return {
    saving: isPending,
    order,
    step: (picture, by) => {
      const siblings = all.filter((p) => p.variant === picture.variant);
      const to = siblings.indexOf(picture) + by;
      if (to >= 0 && to < siblings.length && !isPending) order(picture.variant, arrayMove(siblings, to - by, to));
    },
    remove: (picture) => save(all.filter((p) => p.id !== picture.id).map(stays), 'Removed. The file stays in its lot.'),
    move: (picture, variant) => save([...all.filter((p) => p.id !== picture.id).map(stays), { ...stays(picture), variant }], `Moved to ${name(variant)}.`),
    copy: (picture, variant) => save([...all.map(stays), { id: 0, of: picture.id, variant, view: picture.view }], `Copied to ${name(variant)}.`),
    say: (picture, alt) => save(all.map((p) => (p.id === picture.id ? { ...stays(p), alt } : stays(p)))),
    takeBack: () => {
      const last = page.changes[0];
      if (last?.state === 'applied') takeBackPlan(last.plan);
      else tell('Nothing to take back', 'The last change of this product was taken back already.');
    },
  };
}
