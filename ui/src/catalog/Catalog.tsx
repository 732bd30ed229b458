import { Button, NativeSelect, SegmentedControl, Switch, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { Product } from '../client';
import { listCategoriesOptions, listProductsOptions } from '../client/@tanstack/react-query.gen';
import { count, some } from '../shared/format';
import { usePages } from '../shared/paging';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { BringIn } from './BringIn';

/** The catalog as grid or table. */
export function Catalog() {
  const [search, setSearch] = useSearchParams();
  const [text, setText] = useState(search.get('q') ?? '');
  const [q] = useDebouncedValue(text.trim(), 120);
  const [bring, setBring] = useState(false);
  const category = search.get('category') ?? '';
  const bare = search.get('noPicture') === '1';
  const table = search.get('as') === 'table';
  const categories = useQuery(listCategoriesOptions());
  const set = (name: string, value: string) => setSearch((now) => {
    if (value) now.set(name, value);
    else now.delete(name);
    return now;
  }, { replace: true });
  return (
    <>
      <div className="head wrap">
        <TextInput value={text} onChange={(e) => setText(e.currentTarget.value)} placeholder="Part of a SKU, code, title or GTIN" aria-label="Part of a SKU, code, title or GTIN" w={260} />
        <NativeSelect size="xs" aria-label="Category" value={category} onChange={(e) => set('category', e.currentTarget.value)} w={230}
          data={[{ value: '', label: 'All categories' }, ...(categories.data?.items ?? []).map((c) => ({ value: c.path, label: `${'  '.repeat(c.path.split(' / ').length - 1)}${c.name} (${count(c.products)})` }))]} />
        <Switch size="xs" checked={bare} onChange={(e) => set('noPicture', e.currentTarget.checked ? '1' : '')} label="No picture" />
        <div className="spread push">
          <SegmentedControl value={table ? 'table' : 'grid'} onChange={(v) => set('as', v === 'table' ? 'table' : '')} data={[{ value: 'grid', label: 'Grid' }, { value: 'table', label: 'Table' }]} aria-label="Shown as" />
          <Button onClick={() => setBring(true)}>Bring in products</Button>
        </div>
      </div>
      <Products key={`${q}|${category}|${bare}|${table}`} q={q} category={category} bare={bare} table={table} />
      <BringIn open={bring} onClose={() => setBring(false)} />
    </>
  );
}

const columns = '40px 130px minmax(160px, 1fr) minmax(130px, 1fr) 80px 80px';

function Products({ q, category, bare, table }: { q: string; category: string; bare: boolean; table: boolean }) {
  const box = useRef<HTMLDivElement>(null);
  const [total, setTotal] = useState(0);
  const [across, setAcross] = useState(7);
  const wide = table ? 1 : across;
  const rows = useVirtualizer({
    count: Math.ceil(total / wide), getScrollElement: () => box.current, estimateSize: () => (table ? 44 : 222), overscan: 6,
    onChange: (v) => setAcross(Math.max(2, Math.floor(((v.scrollRect?.width ?? 1200) - 32) / 164))),
  });
  const seen = rows.getVirtualItems();
  const products = usePages<Product>((seen[0]?.index ?? 0) * wide, (seen.at(-1)?.index ?? 0) * wide + wide,
    (window) => listProductsOptions({ query: { ...window, q: q || undefined, category: category || undefined, noPicture: bare || undefined } }));
  if (products.total !== total && !products.loading) setTotal(products.total);
  if (products.error) return <Failed error={products.error} />;
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Products">
      {!products.loading && products.total === 0 && (
        <Empty title={q ? `No product is named “${q}”.` : bare ? 'Every product here has a picture.' : 'The catalog is empty.'}>
          {!q && !bare && 'Bring in products as CSV: a column “sku” is all it needs.'}
        </Empty>
      )}
      {table && products.total > 0 && <div className="row th" style={{ gridTemplateColumns: columns }}><span /><span>Code</span><span>Title</span><span>Category</span><span className="num">Variants</span><span className="num">Pictures</span></div>}
      <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
        {seen.map((row) => (
          <div key={row.key} style={{ position: 'absolute', top: 0, left: 0, right: 0, height: row.size, transform: `translateY(${row.start}px)` }}>
            {table ? <ProductRow product={products.at(row.index)} /> : (
              <div style={{ display: 'grid', gridTemplateColumns: `repeat(${wide}, minmax(0, 1fr))`, gap: 14, padding: '10px 16px' }}>
                {Array.from({ length: Math.min(wide, total - row.index * wide) }, (_, i) => <ProductCard key={i} product={products.at(row.index * wide + i)} />)}
              </div>
            )}
          </div>
        ))}
      </div>
    </div>
  );
}

function ProductRow({ product: p }: { product: Product | undefined }) {
  if (!p) return <div className="row" style={{ height: 44 }} />;
  return (
    <Link className="row" to={`/products/${p.id}`} style={{ gridTemplateColumns: columns, height: 44 }}>
      <Picture sum={p.lead} none="–" className="small" /><span className="mono clip">{p.code}</span><span className="clip">{p.title}</span><span className="clip quiet">{p.category}</span>
      <span className="num">{count(p.variants)}</span><span className="num" style={p.pictures ? undefined : { color: 'var(--unusable)' }}>{count(p.pictures)}</span>
    </Link>
  );
}

function ProductCard({ product: p }: { product: Product | undefined }) {
  if (!p) return <div className="card"><div className="mat" /></div>;
  return (
    <Link className="card" to={`/products/${p.id}`}>
      <Picture sum={p.lead} />
      <span className="spread"><span className="mono clip">{p.code}</span><span className="push quiet" style={{ flex: 'none', fontSize: 12 }}>{some(p.pictures, 'picture')}</span></span>
      <span className="clip" title={p.title}>{p.title}</span>
    </Link>
  );
}
