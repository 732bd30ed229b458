import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { ProductPage, Target } from '../client';
import { getProductOptions, revertPlanMutation } from '../client/@tanstack/react-query.gen';
import { send, targetGate, watchUploads, type Picked, type Sending } from '../gather/uploads';
import { said, some } from '../shared/format';
import { tell, tellWithUndo } from '../shared/tell';

/** Taking pictures that are dropped on a product or one of its variants. */
export interface Dropped {
  take: (target: Target, picked: Picked[]) => void;
  sending: Sending[];
}

/** How long is waited for the change that a drop makes, and how often is looked, milliseconds. */
const patience = 120_000;
const look = 700;

export function useDropped(page: ProductPage): Dropped {
  const client = useQueryClient();
  const [sending, setSending] = useState<Sending[]>([]);
  useEffect(() => watchUploads(setSending), []);
  const { mutate: revert } = useMutation({
    ...revertPlanMutation(),
    onError: (e) => tell('Nothing changed', said(e), true),
  });

  /** Tells when the plan that the drop became is applied, with the way back. */
  const watch = async (before: number, files: number) => {
    for (const end = Date.now() + patience; Date.now() < end;) {
      await new Promise((resolve) => window.setTimeout(resolve, look));
      const now = await client.fetchQuery({ ...getProductOptions({ path: { id: page.id } }), staleTime: 0 });
      const change = now.changes.find((c) => c.plan > before && c.kind === 'lot' && c.state === 'applied');
      if (change) {
        tellWithUndo(`${some(files, 'picture')} put on ${page.code}.`, () =>
          revert({ path: { id: change.plan } }),
        );
        return;
      }
    }
    tell('They are not on the product yet', 'Look at their lot on Gather: it says what holds them.');
  };
  const take = (target: Target, picked: Picked[]) => {
    if (picked.length === 0) return;
    const before = Math.max(0, ...page.changes.map((c) => c.plan));
    const sku =
      (target.kind === 'variant' && page.variantList.find((v) => v.id === target.id)?.sku) || page.code;
    send(`Dropped on ${sku}`, picked, targetGate(target))
      .then(() => watch(before, picked.length))
      .catch((e: unknown) => tell('They did not arrive', said(e), true));
  };
  return { take, sending };
}
