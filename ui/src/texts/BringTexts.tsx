import { Button, FileButton, Modal } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { PictureText } from '../client';
import { undoTextsMutation } from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { post } from '../shared/post';
import { tell, tellWithUndo } from '../shared/tell';
import css from './Texts.module.css';

/** What a sheet of texts would do, or did. */
interface Brought {
  rows: number;
  same: number;
  changed: number;
  items: PictureText[];
  /** Tells what would change: what is kept is what was seen. */
  print: string;
  refused: { row: number; why: string; text: string }[];
  keeping: number;
}

/** Has a sheet of texts read; with the print of what was seen to change, that is kept. */
async function send(sheet: File, language: string, keep: string): Promise<Brought> {
  const asked = new URLSearchParams({ language, keep });
  const answer = await post(`/media/texts?${asked.toString()}`, sheet);
  return (await answer.json()) as Brought;
}

/** Brings texts by a sheet: what would change is seen before it is kept. */
export function BringTexts({ language }: { language: string }) {
  const [sheet, setSheet] = useState<File | null>(null);
  const client = useQueryClient();
  const again = () => void client.invalidateQueries();
  const failed = (e: unknown) => tell('Nothing changed', said(e), true);
  const reading = useMutation({ mutationFn: (file: File) => send(file, language, '') });
  const undo = useMutation({ ...undoTextsMutation(), onSuccess: again, onError: failed });
  const keeping = useMutation({
    mutationFn: ({ file, seen }: { file: File; seen: string }) => send(file, language, seen),
    // What would change now is looked at again.
    onError: (e, { file }) => {
      failed(e);
      reading.mutate(file);
    },
    onSuccess: ({ changed, keeping: id }) => {
      setSheet(null);
      again();
      tellWithUndo(`${some(changed, 'text')} kept, as you wrote them.`, () => undo.mutate({ path: { id } }));
    },
  });
  const take = (file: File | null) => {
    if (!file) return;
    setSheet(file);
    reading.mutate(file);
  };
  const read = reading.data;
  return (
    <>
      <FileButton accept=".csv,.xlsx,.txt" onChange={take}>
        {(props) => (
          <Button {...props} loading={reading.isPending}>
            Bring a sheet…
          </Button>
        )}
      </FileButton>
      <Modal
        opened={sheet !== null && !reading.isPending}
        onClose={() => setSheet(null)}
        title={`Texts from ${sheet?.name ?? ''}${language && `, in ${language}`}`}
        size="xl"
      >
        <div className="columns">
          {reading.error && (
            <div className="note bad" role="alert">
              {said(reading.error)}
            </div>
          )}
          {read && sheet && (
            <>
              <Sums read={read} />
              <div className={css.brought}>
                {read.items.map((t) => (
                  <Change key={t.placement} text={t} />
                ))}
                {read.changed > read.items.length && (
                  <p className="quiet">and {count(read.changed - read.items.length)} more.</p>
                )}
              </div>
              <Refused refused={read.refused} />
              <div className="spread">
                <Button
                  variant="filled"
                  disabled={read.changed === 0}
                  loading={keeping.isPending}
                  onClick={() => keeping.mutate({ file: sheet, seen: read.print })}
                >
                  Keep {some(read.changed, 'text')}
                </Button>
                <Button onClick={() => setSheet(null)}>Leave it</Button>
              </div>
            </>
          )}
        </div>
      </Modal>
    </>
  );
}

const Sums = ({ read }: { read: Brought }) => (
  <p className="flush">
    <strong>{some(read.changed, 'text')}</strong> would change; {count(read.same)} say so already
    {read.refused.length === 1
      ? ', 1 row goes nowhere'
      : read.refused.length > 0 && `, ${count(read.refused.length)} rows go nowhere`}
    . Empty cells leave what stands.
  </p>
);

const Change = ({ text: t }: { text: PictureText }) => (
  <div className={`row ${css.change}`}>
    <Picture sum={t.sum} none="–" className="small" />
    <span className="mono clip">{t.sku}</span>
    <span className="quiet">{t.view || `place ${t.place}`}</span>
    <span className="clip" title={t.to}>
      {t.to}
    </span>
    <span className="quiet clip" title={t.text}>
      {t.text ? `was: ${t.text}` : 'new'}
    </span>
  </div>
);

/** The rows that go nowhere, each with why. */
function Refused({ refused }: { refused: Brought['refused'] }) {
  if (refused.length === 0) return null;
  return (
    <div className={css.brought} role="group" aria-label="Rows that go nowhere">
      {refused.map((r) => (
        <div key={r.row} className="spread">
          <span className="mono quiet">row {r.row}</span>
          <span>{r.why}</span>
          <span className="quiet clip" title={r.text}>
            {r.text}
          </span>
        </div>
      ))}
    </div>
  );
}
