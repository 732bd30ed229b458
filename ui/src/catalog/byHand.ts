import { useMutation, useQueryClient } from '@tanstack/react-query';
import {
  changeProductsMutation,
  revertImportMutation,
  writeVariantsMutation,
} from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { tell, tellWithUndo } from '../shared/tell';

/** Changes of the catalog by hand: judged as a sheet's rows are, each with its way back. */
export function useByHand(onDone: () => void) {
  const client = useQueryClient();
  const revert = useMutation({
    ...revertImportMutation(),
    onSuccess: () => void client.invalidateQueries(),
    onError: (e) => tell('Not taken back', said(e), true),
  });
  const done = (words: string, id: number) => {
    void client.invalidateQueries();
    onDone();
    if (id === 0) tell('Nothing to change', 'It is so already.');
    else tellWithUndo(words, () => revert.mutate({ path: { id } }));
  };
  const onError = (e: unknown) => tell('Nothing changed', said(e), true);
  const write = useMutation({ ...writeVariantsMutation(), onError });
  const change = useMutation({ ...changeProductsMutation(), onError });
  return {
    busy: write.isPending || change.isPending,
    /** Writes cells of one variant; was is what the person saw in them. */
    write: (columns: string[], row: string[], words: string, more: { was?: string[]; new?: boolean }) =>
      write.mutate(
        { body: { columns, rows: [row], was: more.was && [more.was], new: more.new } },
        { onSuccess: (r) => done(words, r.import) },
      ),
    /** Writes one field of all variants of products. */
    change: (products: number[], column: string, value: string, words: string) =>
      change.mutate({ body: { products, column, value } }, { onSuccess: (r) => done(words, r.import) }),
  };
}
