import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { ChangeShelfRequest, ShelfChange } from '../client';
import { changeShelfMutation, undoShelfMutation } from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
import { tell, tellWithUndo } from '../shared/tell';

/** Changes how files are kept on the shelf; each change is told with its way back. */
export function useShelf() {
  const client = useQueryClient();
  const again = () => void client.invalidateQueries();
  const undo = useMutation({
    ...undoShelfMutation(),
    onSuccess: ({ stayed }) => {
      again();
      tell(
        'Taken back',
        stayed > 0 ? `${some(stayed, 'picture')} stayed: somebody changed them since.` : 'As it was.',
      );
    },
    onError: (e) => tell('Not taken back', said(e), true),
  });
  const change = useMutation({
    ...changeShelfMutation(),
    onError: (e) => tell('Nothing changed', said(e), true),
  });
  /** words: what was done, behind how many pictures it was done to. */
  const act = (body: ChangeShelfRequest, words: string, then?: (done: ShelfChange) => void) =>
    change.mutate(
      { body },
      {
        onSuccess: (done) => {
          again();
          if (done.act === 0) tell('Nothing to change', 'It is so already.');
          else
            tellWithUndo(`${some(done.changed, 'picture')} ${words}.${left(done)}`, () =>
              undo.mutate({ path: { id: done.act } }),
            );
          then?.(done);
        },
      },
    );
  return { act, busy: change.isPending };
}

const left = (done: ShelfChange) =>
  done.left > 0 ? ` ${some(done.left, 'file')} cannot be shown, and stayed.` : '';
