import { Modal } from '@mantine/core';
import { useState, type ReactNode } from 'react';
import type { ProductImport } from '../client';
import { useKeys } from '../shared/keys';
import { ViewDialog } from '../shared/ViewDialog';
import { Compare } from './Compare';
import { Large } from './Large';
import { OwnerHistory } from './OwnerHistory';
import { AltForm, Details } from './PictureSide';
import { Spread } from './Spread';
import { Transfer } from './Transfer';
import { Targets } from './Targets';
import { useArrange } from './arrange';
import { useDropped } from './dropped';
import { HandedOn } from '../dispatch/HandedOn';
import type { Owner } from './owner';

type Dialog = 'large' | 'alt' | 'view' | 'compare' | 'spread' | 'transfer' | '';

/** The pictures of a product or a category at their places, and what can be done with them. */
export function Arranged({
  owner,
  head,
  above,
  below,
  fields,
}: {
  owner: Owner;
  head: (saving: boolean) => ReactNode;
  /** What is shown above the pictures, and below them. */
  above?: ReactNode;
  below?: ReactNode;
  /** The changes of its data. */
  fields: ProductImport[];
}) {
  const [here, setHere] = useState(owner.pictures[0]?.id ?? 0);
  const [beside, setBeside] = useState(0);
  const [dialog, setDialog] = useState<Dialog>('');
  const arranging = useArrange(owner);
  const dropped = useDropped(owner);
  const pictures = owner.pictures;
  const marked = pictures.find((p) => p.id === here) ?? pictures[0];
  const other = pictures.find((p) => p.id === beside && p.id !== marked?.id);
  const close = () => setDialog('');

  const next = (by: number) => {
    if (!marked) return;
    const to = pictures[pictures.indexOf(marked) + by];
    if (to) setHere(to.id);
  };
  const remove = () => {
    if (!marked) return;
    const at = pictures.indexOf(marked);
    setHere((pictures[at + 1] ?? pictures[at - 1])?.id ?? 0);
    arranging.remove(marked);
  };
  const compare = () => {
    if (!marked) return;
    if (other) setDialog('compare');
    else setBeside(marked.id);
  };
  useKeys(
    {
      ArrowRight: (e) => (e.shiftKey && marked ? arranging.step(marked, 1) : next(1)),
      ArrowLeft: (e) => (e.shiftKey && marked ? arranging.step(marked, -1) : next(-1)),
      ' ': () => setDialog('large'),
      a: () => setDialog('alt'),
      v: () => setDialog('view'),
      x: remove,
      s: compare,
      m: () => setDialog('transfer'),
      u: arranging.takeBack,
    },
    dialog === '' && pictures.length > 0,
  );
  return (
    <>
      {head(arranging.saving)}
      <div className="product">
        <div className="scroll pad" tabIndex={0} role="region" aria-label="Pictures">
          {above}
          <Targets
            owner={owner}
            here={marked?.id ?? 0}
            beside={beside}
            onMark={setHere}
            onOpen={() => setDialog('large')}
            onMove={arranging.order}
            dropped={dropped}
          />
          {below}
        </div>
        <aside className="side" aria-label="Picture and history" tabIndex={0}>
          {marked && (
            <Details
              owner={owner}
              picture={marked}
              beside={other}
              arranging={arranging}
              onAlt={() => setDialog('alt')}
              onView={() => setDialog('view')}
              onRemove={remove}
              onCompare={compare}
              onSpread={() => setDialog('spread')}
              onTransfer={() => setDialog('transfer')}
            />
          )}
          <OwnerHistory owner={owner} fields={fields} />
          {owner.kind === 'product' && <HandedOn product={owner.id} />}
        </aside>
      </div>
      {dialog === 'large' && marked && (
        <Large
          pictures={pictures}
          here={marked}
          onGo={setHere}
          onClose={close}
          onTransfer={() => setDialog('transfer')}
        />
      )}
      {dialog === 'compare' && marked && other && <Compare one={other} other={marked} onClose={close} />}
      {dialog === 'spread' && marked && <Spread picture={marked} of={owner} onClose={close} />}
      {dialog === 'transfer' && marked && <Transfer picture={marked} pictures={pictures} onClose={close} />}
      <ViewDialog
        open={dialog === 'view' && marked !== undefined}
        view={marked?.view}
        onClose={close}
        onView={(view) => {
          close();
          if (marked && view !== marked.view) arranging.setView(marked, view);
        }}
      />
      <Modal opened={dialog === 'alt' && marked !== undefined} onClose={close} title="Alternative text">
        {marked && (
          <AltForm
            key={marked.id}
            picture={marked}
            onSave={(text) => {
              close();
              arranging.say(marked, text);
            }}
          />
        )}
      </Modal>
    </>
  );
}
