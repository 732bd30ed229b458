import { Button } from '@mantine/core';
import { useRef, useState } from 'react';
import { bytes, count, some } from '../shared/format';
import { Bar } from '../shared/State';
import { pickedFrom, type Picked, type Sending } from './uploads';
import css from './Drop.module.css';

export function SendingLine({ sending }: { sending: Sending }) {
  return (
    <div className="entry">
      <div className="spread">
        <span className="clip">
          <strong>Sending</strong> {sending.name}
        </span>
        <span className="push quiet">
          {bytes(sending.done)} of {bytes(sending.total)}
        </span>
      </div>
      <Bar done={sending.done} total={Math.max(1, sending.total)} label={`Sending ${sending.name}`} />
      {sending.problem ? (
        <span role="alert" className="bad">
          {sending.problem}
        </span>
      ) : (
        sending.files > 1 && (
          <span className="quiet">
            {count(sending.finished)} of {some(sending.files, 'file')}
          </span>
        )
      )}
    </div>
  );
}

/** Takes files that are dropped or chosen. */
export function Drop({ title, take }: { title: string; take: (picked: Picked[]) => void }) {
  const [over, setOver] = useState(false);
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const chosen = (input: HTMLInputElement) => {
    take([...(input.files ?? [])].map((file) => ({ file, path: file.webkitRelativePath || file.name })));
    input.value = '';
  };
  return (
    <section
      className={`drop${over ? ' over' : ''}`}
      aria-label="Drop files here"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        void pickedFrom(e.dataTransfer).then(take);
      }}
    >
      <strong className={css.call}>{title}</strong>
      <span className="quiet">
        ZIP, TAR, 7z or RAR up to 4 GB, with folders of any depth. You can close the page: what has arrived is
        kept.
      </span>
      <div className="spread">
        <Button variant="filled" onClick={() => files.current?.click()}>
          Choose files
        </Button>
        <Button onClick={() => folder.current?.click()}>Choose a folder</Button>
      </div>
      <input
        ref={files}
        type="file"
        multiple
        hidden
        data-testid="files"
        aria-label="Files"
        onChange={(e) => chosen(e.currentTarget)}
      />
      <input
        ref={(input) => {
          folder.current = input;
          input?.setAttribute('webkitdirectory', '');
        }}
        type="file"
        multiple
        hidden
        aria-label="Folder"
        onChange={(e) => chosen(e.currentTarget)}
      />
    </section>
  );
}
