import { Button, Modal } from '@mantine/core';
import type { KeyboardEvent } from 'react';
import { Link } from 'react-router';
import type { Shown } from '../client';
import { baseName } from '../shared/format';
import { large, thumb } from '../shared/Picture';

/** A picture as large as the window, with those beside it; arrows go to the next. */
export function Large({
  pictures,
  here,
  onGo,
  onClose,
  onTransfer,
}: {
  pictures: Shown[];
  here: Shown;
  onGo: (id: number) => void;
  onClose: () => void;
  onTransfer: () => void;
}) {
  const at = pictures.indexOf(here);
  const [before, after] = [pictures[at - 1], pictures[at + 1]];
  const keys = (e: KeyboardEvent) => {
    const to = e.key === 'ArrowLeft' ? before : e.key === 'ArrowRight' ? after : undefined;
    if (to) onGo(to.id);
  };
  return (
    <Modal
      opened
      onClose={onClose}
      size="92vw"
      title={
        <>
          <span className="mono">{baseName(here.path)}</span>{' '}
          <span className="quiet">
            place {here.place}, {at + 1} of {pictures.length}
          </span>{' '}
          <Button size="compact-sm" onClick={onTransfer}>
            Move to product…
          </Button>{' '}
          <Button size="compact-sm" component={Link} to={`/pair/${here.lot}?file=${here.file}`}>
            Wrong product?
          </Button>
        </>
      }
      onKeyDown={keys}
    >
      <div className="large">
        <Beside picture={before} name="Before" onGo={onGo} />
        <div className="mat">
          <img src={large(here.sum)} alt={here.alt} />
        </div>
        <Beside picture={after} name="Next" onGo={onGo} />
      </div>
    </Modal>
  );
}

function Beside({
  picture,
  name,
  onGo,
}: {
  picture: Shown | undefined;
  name: string;
  onGo: (id: number) => void;
}) {
  if (!picture) return <span />;
  return (
    <Button
      variant="subtle"
      color="gray"
      h="auto"
      p={4}
      onClick={() => onGo(picture.id)}
      aria-label={`${name}: ${baseName(picture.path)}`}
    >
      <span className="mat neighbour">
        <img src={thumb(picture.sum)} alt="" />
      </span>
    </Button>
  );
}
