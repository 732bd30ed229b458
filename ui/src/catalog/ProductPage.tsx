import { Button, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import type { ProductPage as Page } from '../client';
import { getProductOptions } from '../client/@tanstack/react-query.gen';
import { some } from '../shared/format';
import { useKeys } from '../shared/keys';
import { Failed } from '../shared/State';
import { Compare } from './Compare';
import { Large } from './Large';
import { AltForm, Details, History } from './PictureSide';
import { Targets } from './Targets';
import { useArrange } from './arrange';
import { useDropped } from './dropped';

/** A product's pictures in order, on the product and on its variants. */
export function ProductPage() {
  const id = Number(useParams()['id']);
  const product = useQuery(getProductOptions({ path: { id } }));
  if (product.error) return <Failed error={product.error} again={() => void product.refetch()} />;
  return product.data ? <Product key={id} page={product.data} /> : null;
}

type Dialog = 'large' | 'alt' | 'compare' | '';

function Product({ page }: { page: Page }) {
  const [here, setHere] = useState(page.pictureList[0]?.id ?? 0);
  const [beside, setBeside] = useState(0);
  const [dialog, setDialog] = useState<Dialog>('');
  const arranging = useArrange(page);
  const dropped = useDropped(page);
  const pictures = page.pictureList;
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
      x: remove,
      s: compare,
      u: arranging.takeBack,
    },
    dialog === '' && pictures.length > 0,
  );
  return (
    <>
      <Head page={page} saving={arranging.saving} />
      <div className="product">
        <div className="scroll pad" tabIndex={0} role="region" aria-label="Pictures">
          <Targets
            page={page}
            here={marked?.id ?? 0}
            beside={beside}
            onMark={setHere}
            onOpen={() => setDialog('large')}
            onMove={arranging.order}
            dropped={dropped}
          />
        </div>
        <aside className="side" aria-label="Picture and history" tabIndex={0}>
          {marked && (
            <Details
              page={page}
              picture={marked}
              beside={other}
              arranging={arranging}
              onAlt={() => setDialog('alt')}
              onRemove={remove}
              onCompare={compare}
            />
          )}
          <History page={page} />
        </aside>
      </div>
      {dialog === 'large' && marked && (
        <Large pictures={pictures} here={marked} onGo={setHere} onClose={close} />
      )}
      {dialog === 'compare' && marked && other && <Compare one={other} other={marked} onClose={close} />}
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

function Head({ page, saving }: { page: Page; saving: boolean }) {
  return (
    <div className="head">
      <div className="narrow">
        <h1 className="clip">{page.title || page.code}</h1>
        <span className="quiet">
          <span className="mono">{page.code}</span>
          {page.category && (
            <>
              ,{' '}
              <Link className="link" to={`/catalog?category=${encodeURIComponent(page.category)}`}>
                {page.category}
              </Link>
            </>
          )}
          , {some(page.variantList.length, 'variant')}, {some(page.pictureList.length, 'picture')}
        </span>
      </div>
      {saving && <span className="quiet push">Saving…</span>}
      <Turn className={saving ? '' : 'push'} />
    </div>
  );
}

/** The way through the products that were chosen in the catalog, one after the other. */
function Turn({ className }: { className: string }) {
  const id = Number(useParams()['id']);
  const [turn] = useState<number[]>(() => {
    const kept: unknown = JSON.parse(sessionStorage.getItem(turnKey) ?? '[]');
    return Array.isArray(kept) ? kept.map(Number) : [];
  });
  const at = turn.indexOf(id);
  if (at < 0 || turn.length < 2) return null;
  const step = (to: number | undefined, what: string) =>
    to === undefined ? (
      <Button disabled>{what}</Button>
    ) : (
      <Button component={Link} to={`/products/${to}`}>
        {what}
      </Button>
    );
  return (
    <span className={`spread ${className}`} role="group" aria-label="Chosen products">
      <span className="quiet">
        {at + 1} of {turn.length} chosen
      </span>
      {step(turn[at - 1], 'Before')}
      {step(turn[at + 1], 'Next')}
    </span>
  );
}

/** Where the catalog keeps which products are gone through. */
export const turnKey = 'products gone through';
