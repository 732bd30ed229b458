import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import type { ProductPage as Page } from '../client';
import { getProductOptions } from '../client/@tanstack/react-query.gen';
import { some } from '../shared/format';
import { Failed } from '../shared/State';
import { PutFromShelf } from '../shelf/PutFromShelf';
import { Arranged } from './Arranged';
import { Fields } from './Fields';
import { productOwner } from './owner';

/** A product's pictures in order, on the product and on its variants. */
export function ProductPage() {
  const id = Number(useParams()['id']);
  const product = useQuery(getProductOptions({ path: { id } }));
  if (product.error) return <Failed error={product.error} again={() => void product.refetch()} />;
  return product.data ? <Product key={id} page={product.data} /> : null;
}

function Product({ page }: { page: Page }) {
  return (
    <Arranged
      owner={productOwner(page)}
      head={(saving) => <Head page={page} saving={saving} />}
      below={<Fields page={page} />}
      fields={page.fieldChanges}
    />
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
      <FromShelf page={page} className={saving ? '' : 'push'} />
      <Turn className="" />
    </div>
  );
}

/** Puts a picture of the shelf on the product, as a plan to look at. */
function FromShelf({ page, className }: { page: Page; className: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button className={className} onClick={() => setOpen(true)}>
        From the shelf…
      </Button>
      {open && <PutFromShelf products={[page.id]} name={page.code} onClose={() => setOpen(false)} />}
    </>
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
