import { arrayMove } from '@dnd-kit/sortable';
import { useRef, useState, type DragEvent } from 'react';
import { Button } from '@mantine/core';
import type { Shown, Target } from '../client';
import { SendingLine } from '../gather/Drop';
import { pickedFrom } from '../gather/uploads';
import { Picture } from '../shared/Picture';
import { Sorted, useSorted } from '../shared/Sorted';
import { sameTarget, targetKey } from '../shared/target';
import type { Dropped } from './dropped';
import type { Owner } from './owner';

interface Marking {
  here: number;
  beside: number;
  onMark: (id: number) => void;
  onOpen: () => void;
}

/** A product as a whole, then its variants, or a category: each takes files that are dropped on it. */
export function Targets({
  owner,
  dropped,
  onMove,
  ...marking
}: Marking & { owner: Owner; dropped: Dropped; onMove: (target: Target, list: Shown[]) => void }) {
  return (
    <>
      {dropped.sending.length > 0 && (
        <section className="sheet" aria-live="polite">
          {dropped.sending.map((s) => (
            <SendingLine key={s.lot} sending={s} />
          ))}
        </section>
      )}
      {owner.targets.map(({ target, ...named }) => (
        <OneTarget
          key={targetKey(target)}
          {...named}
          pictures={owner.pictures.filter((p) => sameTarget(p.target, target))}
          onMove={(list) => onMove(target, list)}
          onFiles={(picked) => dropped.take(target, picked)}
          {...marking}
        />
      ))}
    </>
  );
}

interface TargetOf extends Marking {
  name: string;
  code: boolean;
  options: string;
  pictures: Shown[];
  onMove: (list: Shown[]) => void;
  onFiles: (picked: { file: File; path: string }[]) => void;
}

function OneTarget({ name, code, options, pictures, onMove, onFiles, ...marking }: TargetOf) {
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const bringsFiles = (e: DragEvent) => e.dataTransfer.types.includes('Files');
  return (
    <section
      className={`target${over ? ' over' : ''}`}
      aria-label={name}
      onDragOver={(e) => {
        if (!bringsFiles(e)) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        setOver(false);
        if (!bringsFiles(e)) return;
        e.preventDefault();
        void pickedFrom(e.dataTransfer).then(onFiles);
      }}
    >
      <h2 className="spread">
        <span className={code ? 'mono' : ''}>{name}</span>
        <span className="quiet">{options}</span>
        <Button
          className="push"
          size="compact-xs"
          onClick={() => input.current?.click()}
          aria-label={`Add pictures to ${name}`}
        >
          Add pictures…
        </Button>
      </h2>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        accept="image/*"
        aria-label={`Pictures for ${name}`}
        onChange={(e) => {
          onFiles([...(e.currentTarget.files ?? [])].map((file) => ({ file, path: file.name })));
          e.currentTarget.value = '';
        }}
      />
      {pictures.length === 0 ? (
        <span className="quiet">No picture of its own. Drop some here.</span>
      ) : (
        <Sorted
          ids={pictures.map((p) => String(p.id))}
          onMove={(from, to) => onMove(arrayMove(pictures, from, to))}
        >
          <div className="order">
            {pictures.map((p) => (
              <Placed key={p.id} picture={p} {...marking} />
            ))}
          </div>
        </Sorted>
      )}
    </section>
  );
}

function Placed({ picture, here, beside, onMark, onOpen }: Marking & { picture: Shown }) {
  const sorted = useSorted(String(picture.id));
  const mark = () => onMark(picture.id);
  return (
    <button
      className={`placed${picture.id === here ? ' on' : ''}`}
      aria-pressed={picture.id === here}
      onClick={mark}
      onDoubleClick={onOpen}
      onFocus={mark}
      {...sorted}
    >
      <div className="framed">
        <Picture sum={picture.sum} alt={picture.alt} />
        {picture.place === 1 && <span className="lead">lead</span>}
        {picture.id === beside && <span className="lead beside-mark">to hold beside</span>}
      </div>
      <span className="spread">
        <strong>{picture.place}</strong>
        <span className="quiet clip">{picture.view}</span>
      </span>
    </button>
  );
}
