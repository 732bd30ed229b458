import { Button } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { TextKeeping } from '../client';
import { undoTextsMutation } from '../client/@tanstack/react-query.gen';
import { said, some, when } from '../shared/format';
import { tell } from '../shared/tell';
import css from './Texts.module.css';

/** How many of those that were kept are shown. */
const shown = 3;

/** Texts that were kept together, to be taken back together. */
export function Kept({ keepings }: { keepings: TextKeeping[] }) {
  const client = useQueryClient();
  const undo = useMutation({
    ...undoTextsMutation(),
    onError: (e) => tell('Nothing changed', said(e), true),
    onSettled: () => void client.invalidateQueries(),
  });
  return keepings.slice(0, shown).map((k) => (
    <div key={k.id} className={`row ${css.kept}`}>
      <span className="clip">
        {some(k.texts, 'text')} kept {when(k.at)}, {k.actor}
      </span>
      {k.undoneAt ? (
        <span className="quiet">taken back {when(k.undoneAt)}</span>
      ) : (
        <Button
          size="compact-xs"
          variant="subtle"
          loading={undo.isPending}
          title="What was written anew since stays"
          onClick={() => undo.mutate({ path: { id: k.id } })}
        >
          Take them back
        </Button>
      )}
    </div>
  ));
}
