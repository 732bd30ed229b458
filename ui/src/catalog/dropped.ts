import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { Target } from '../client';
import {
  getCategoryOptions,
  getPlanOptions,
  getProductOptions,
  revertPlanMutation,
} from '../client/@tanstack/react-query.gen';
import { send, targetGate, watchUploads, type Picked, type Sending } from '../gather/uploads';
import { said, some } from '../shared/format';
import { sameTarget } from '../shared/target';
import { tell, tellWithUndo } from '../shared/tell';
import type { Owner } from './owner';

/** Taking pictures that are dropped on a product, one of its variants, or a category. */
export interface Dropped {
  take: (target: Target, picked: Picked[]) => void;
  sending: Sending[];
}

/** How long is waited for the change that a drop makes, and how often is looked, milliseconds. */
const patience = 120_000;
const look = 700;

export function useDropped(owner: Owner): Dropped {
  const client = useQueryClient();
  const [sending, setSending] = useState<Sending[]>([]);
  useEffect(() => watchUploads(setSending), []);
  const { mutate: revert } = useMutation({
    ...revertPlanMutation(),
    onError: (e) => tell('Nothing changed', said(e), true),
  });

  const stateOf = async (id: number) =>
    (await client.fetchQuery({ ...getPlanOptions({ path: { id } }), staleTime: 0 })).state;

  /** Tells when the plan that the drop became is applied, with the way back. */
  const watch = async (before: number, files: number) => {
    for (const end = Date.now() + patience; Date.now() < end;) {
      await new Promise((resolve) => window.setTimeout(resolve, look));
      const path = { id: owner.id };
      const now = await (owner.kind === 'product'
        ? client.fetchQuery({ ...getProductOptions({ path }), staleTime: 0 })
        : client.fetchQuery({ ...getCategoryOptions({ path }), staleTime: 0 }));
      const change = now.changes.find((c) => c.plan > before && c.kind === 'lot' && c.state === 'applied');
      // The way back is open as soon as all of the plan is applied.
      if (change && (await stateOf(change.plan)) === 'applied') {
        tellWithUndo(`${some(files, 'picture')} put on ${owner.code}.`, () =>
          revert({ path: { id: change.plan } }),
        );
        return;
      }
    }
    tell('They do not stand there yet', 'Look at their lot on Gather: it says what holds them.');
  };
  const take = (target: Target, picked: Picked[]) => {
    if (picked.length === 0) return;
    const before = Math.max(0, ...owner.changes.map((c) => c.plan));
    const named = owner.targets.find((t) => t.code && sameTarget(t.target, target));
    send(`Dropped on ${named?.name ?? owner.code}`, picked, targetGate(target))
      .then(() => watch(before, picked.length))
      .catch((e: unknown) => tell('They did not arrive', said(e), true));
  };
  return { take, sending };
}
