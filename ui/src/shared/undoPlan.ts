import { useMutation } from '@tanstack/react-query';
import { revertPlanMutation } from '../client/@tanstack/react-query.gen';
import { said } from './format';
import { tell } from './tell';

/** Undoes a change that was applied as a plan of its own. */
export function useUndoPlan() {
  const { mutate } = useMutation({
    ...revertPlanMutation(),
    onError: (e) => tell('Could not undo it', said(e), true),
  });
  return (plan: number) => mutate({ path: { id: plan } });
}
