import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import type { FileDetail } from '../client';
import { learnFromOptions, teachMutation } from '../client/@tanstack/react-query.gen';
import { baseName, said, some } from '../shared/format';
import { tell } from '../shared/tell';
import { stepInWords } from './ClueParts';
import css from './Lessons.module.css';

/**
 * What a correction teaches: the step that would have paired the file, and how many others it would pair.
 * Nothing is done unasked.
 */
export function Lessons({ file, onDone }: { file: FileDetail; onDone: () => void }) {
  const lessons = useQuery({ ...learnFromOptions({ path: { id: file.id } }), staleTime: Infinity });
  const teach = useMutation({
    ...teachMutation(),
    onSuccess: () => {
      tell('Learned', 'The lot is read again; what you decided stays.');
      onDone();
    },
    onError: (e) => tell('Not learned', said(e), true),
  });
  const best = lessons.data?.items.filter((l) => l.files > 0) ?? [];
  if (best.length === 0) return null;
  return (
    <div className="note stack tight" role="status">
      <span>
        You paired <span className="mono">{baseName(file.path)}</span> with{' '}
        <span className="mono">{file.code}</span>. The same step would pair others:
      </span>
      {best.slice(0, 3).map((l) => (
        <div key={stepInWords(l.step)} className={`spread wrap ${css.lessons}`}>
          <Button
            size="compact-xs"
            variant="filled"
            loading={teach.isPending}
            onClick={() => teach.mutate({ path: { id: file.lot }, body: l.step })}
          >
            Learn it
          </Button>
          <span>
            {stepInWords(l.step)}: <strong>{some(l.files, 'more file')}</strong>
          </span>
          <span className="quiet clip">
            {l.examples
              .slice(0, 3)
              .map((e) => `${baseName(e.path)} → ${e.code}`)
              .join(', ')}
          </span>
        </div>
      ))}
      <div>
        <Button size="compact-xs" onClick={onDone}>
          Not this time
        </Button>
      </div>
    </div>
  );
}
