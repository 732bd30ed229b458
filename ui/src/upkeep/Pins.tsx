import { Button } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { listPinsOptions, unpinFilesMutation } from '../client/@tanstack/react-query.gen';
import { said, when } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import css from './Upkeep.module.css';

/** Files that are kept because a person says so, and the way to let them be judged again. */
export function Pins() {
  const pins = useQuery(listPinsOptions());
  const client = useQueryClient();
  const unpin = useMutation({
    ...unpinFilesMutation(),
    onError: (e) => tell('Not taken off', said(e), true),
    onSuccess: () => void client.invalidateQueries(),
  });
  if (pins.error) return <Failed error={pins.error} again={() => void pins.refetch()} />;
  if (pins.data?.items.length === 0)
    return (
      <Empty title="Nothing is pinned.">What you pin among the findings is kept, and stands here.</Empty>
    );
  return (
    <div className="scroll pad">
      <section className="sheet" aria-label="Pinned">
        {pins.data?.items.map((p) => (
          <div key={p.file} className={`row ${css.pin}`}>
            <Picture sum={p.sum} none="–" className="small" />
            <span className="mono clip" title={p.path}>
              {p.path}
            </span>
            <span className="clip" title={p.because}>
              {p.because}
            </span>
            <span className="quiet clip">
              {p.actor}, {when(p.at)}
            </span>
            <Button size="compact-xs" onClick={() => unpin.mutate({ body: { files: [p.file] } })}>
              Take off
            </Button>
          </div>
        ))}
      </section>
    </div>
  );
}
