import { Button } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import type { Product } from '../client';
import {
  getProductOptions,
  listOriginsOptions,
  askLookupMutation,
} from '../client/@tanstack/react-query.gen';
import { mostChosen, type Chosen } from '../shared/chosen';
import { count, said, some } from '../shared/format';
import { tell } from '../shared/tell';
import { PutFromShelf } from '../shelf/PutFromShelf';
import { ChangeField } from './ChangeField';
import { turnKey } from './ProductPage';

/** What can be done with the products that are chosen. */
export function ChosenProducts({ chosen, total }: { chosen: Chosen<Product>; total: number }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [working, setWorking] = useState(false);
  const [changing, setChanging] = useState(false);
  const [putting, setPutting] = useState(false);
  const put = Number(useSearchParams()[0].get('put')) || undefined;
  const service = useQuery(listOriginsOptions()).data?.items.find((o) => o.kind === 'lookup');
  const look = useMutation({
    ...askLookupMutation(),
    onError: (e) => tell('Nothing is asked for', said(e), true),
  });
  const products = chosen.items;
  if (products.length === 0) return null;

  /** The variants of all that are chosen. */
  const variants = async () => {
    const pages = [];
    for (const p of products) pages.push(await client.fetchQuery(getProductOptions({ path: { id: p.id } })));
    return pages.flatMap((p) => p.variantList);
  };
  const act = (what: string, work: () => Promise<void>) => () => {
    setWorking(true);
    work()
      .catch((e: unknown) => tell(`${what}: not done`, said(e), true))
      .finally(() => setWorking(false));
  };
  const goThrough = () => {
    sessionStorage.setItem(turnKey, JSON.stringify(products.map((p) => p.id)));
    void navigate(`/products/${products[0]?.id ?? 0}`);
  };
  const copy = act('Copying', async () => {
    const skus = (await variants()).map((v) => v.sku);
    await navigator.clipboard.writeText(skus.join('\n'));
    tell('Copied', some(skus.length, 'SKU'));
  });
  const ask = act('Looking up', async () => {
    const codes = (await variants()).map((v) => v.gtin).filter(Boolean);
    if (!service || codes.length === 0)
      return tell('Nothing is asked for', 'None of their variants has a barcode.');
    await look.mutateAsync({ path: { id: service.id }, body: { codes } });
    void navigate(`/origins/${service.id}`);
  });
  const bare = products.filter((p) => p.pictures === 0).length;
  return (
    <div className="chosenbar chosen-products" role="group" aria-label="Chosen products">
      <strong>{some(products.length, 'product')} chosen</strong>
      {bare > 0 && <span className="quiet">{count(bare)} without a picture</span>}
      <Button variant={put ? 'default' : 'filled'} onClick={goThrough}>
        Go through them
      </Button>
      {service && (
        <Button onClick={ask} loading={working}>
          Look up their barcodes
        </Button>
      )}
      <Button onClick={copy} loading={working}>
        Copy their SKUs
      </Button>
      <Button variant={put ? 'filled' : 'default'} onClick={() => setPutting(true)}>
        Put a picture on them…
      </Button>
      {putting && (
        <PutFromShelf products={products.map((p) => p.id)} picture={put} onClose={() => setPutting(false)} />
      )}
      <Button onClick={() => setChanging(true)}>Change a field…</Button>
      {changing && <ChangeField products={products} onClose={() => setChanging(false)} />}
      {total > products.length && (
        <Button onClick={chosen.all}>
          Choose {total > mostChosen ? `the first ${count(mostChosen)}` : `all ${count(total)}`}
        </Button>
      )}
      <Button className="push" onClick={chosen.clear}>
        Choose none
      </Button>
    </div>
  );
}
