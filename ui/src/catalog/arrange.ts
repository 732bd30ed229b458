import { arrayMove } from '@dnd-kit/sortable';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { PictureChange, Shown, Target } from '../client';
import {
  arrangeCategoryMutation,
  arrangeProductMutation,
  getCategoryQueryKey,
  getProductQueryKey,
  revertPlanMutation,
} from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { sameTarget } from '../shared/target';
import { tell, tellWithUndo } from '../shared/tell';
import type { Owner } from './owner';

/** Changing pictures by hand. Each change is a plan of its own, and can be taken back. */
export interface Arranging {
  saving: boolean;
  order: (target: Target, list: Shown[]) => void;
  step: (picture: Shown, by: number) => void;
  remove: (picture: Shown) => void;
  move: (picture: Shown, target: Target) => void;
  copy: (picture: Shown, target: Target) => void;
  say: (picture: Shown, alt: string) => void;
  setView: (picture: Shown, view: string) => void;
  takeBack: () => void;
}

const stays = (p: Shown): PictureChange => ({ id: p.id, target: p.target, view: p.view });

export function useArrange(owner: Owner): Arranging {
  const client = useQueryClient();
  const path = { id: owner.id };
  const product = owner.kind === 'product';
  const key = product ? getProductQueryKey({ path }) : getCategoryQueryKey({ path });
  const failed = (e: unknown) => {
    tell('Nothing changed', said(e), true);
    void client.invalidateQueries({ queryKey: key });
  };
  const { mutate: revert } = useMutation({ ...revertPlanMutation(), onError: failed });
  const takeBackPlan = (plan: number) =>
    revert({ path: { id: plan }, query: { kind: owner.kind, owner: owner.id } });
  const ofProduct = useMutation({ ...arrangeProductMutation(), onError: failed });
  const ofCategory = useMutation({ ...arrangeCategoryMutation(), onError: failed });
  const isPending = ofProduct.isPending || ofCategory.isPending;
  const save = (pictures: PictureChange[], done?: string) => {
    const asked = { path, body: { version: owner.version, pictures } };
    const onSuccess = (now: { changes: { plan: number }[] }) => {
      client.setQueryData(key, now);
      const plan = now.changes[0]?.plan;
      if (done && plan) tellWithUndo(done, () => takeBackPlan(plan));
    };
    if (product) ofProduct.mutate(asked, { onSuccess });
    else ofCategory.mutate(asked, { onSuccess });
  };
  const all = owner.pictures;
  const order = (target: Target, list: Shown[]) =>
    save([...all.filter((p) => !sameTarget(p.target, target)), ...list].map(stays));
  const name = (target: Target) =>
    owner.targets.find((t) => t.code && sameTarget(t.target, target))?.name ?? 'the product as a whole';
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
    setView: (picture, view) =>
      save(
        all.map((p) => (p.id === picture.id ? { ...stays(p), view } : stays(p))),
        view ? `View set to ${view}.` : 'View removed.',
      ),
    takeBack: () => {
      const last = owner.changes[0];
      if (last?.state === 'applied') takeBackPlan(last.plan);
      else tell('Nothing to take back', 'The last change of its pictures was taken back already.');
    },
  };
}
