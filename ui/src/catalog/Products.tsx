import { useRef, useState, type CSSProperties, type MouseEvent } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Product } from '../client';
import { listProductsOptions } from '../client/@tanstack/react-query.gen';
import { Choose, lookOf, type Look } from '../shared/Choose';
import { count, some } from '../shared/format';
import { useKeys } from '../shared/keys';
import { usePages } from '../shared/paging';
import { useRows } from '../shared/rows';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { atOf, tallOf } from '../shared/virtual';
import { ChosenProducts } from './ChosenProducts';
import { useChosenProducts } from './chosenProducts';

/** Which products are looked for. */
export interface Wanted {
  q: string;
  category: string;
  noPicture: boolean;
}

export const queryOf = ({ q, category, noPicture }: Wanted) => ({
  q: q || undefined,
  category: category || undefined,
  noPicture: noPicture || undefined,
});

/** Pixels: of a row of the table and of the grid, and of a card with its gap. */
const rowHeight = 44;
const gridHeight = 218;
const cardWidth = 164;
const padding = 32;

/**
 * The products, as many as there are, by keys as well: arrows go, m chooses, with Shift up to there, Enter
 * opens.
 */
export function Products({ wanted, table }: { wanted: Wanted; table: boolean }) {
  const box = useRef<HTMLDivElement>(null);
  const navigate = useNavigate();
  const [total, setTotal] = useState(0);
  const [across, setAcross] = useState(6);
  const [at, setAt] = useState(-1);
  const wide = table ? 1 : across;
  const rows = useRows({
    count: Math.ceil(total / wide),
    box: () => box.current,
    height: table ? rowHeight : gridHeight,
    onWidth: (width) => setAcross(Math.max(2, Math.floor((width - padding) / cardWidth))),
  });
  const { seen } = rows;
  const products = usePages<Product>(
    (seen[0]?.index ?? 0) * wide,
    (seen.at(-1)?.index ?? 0) * wide + wide,
    (window) => listProductsOptions({ query: { ...window, ...queryOf(wanted) } }),
  );
  if (products.total !== total && !products.loading) setTotal(products.total);
  const chosen = useChosenProducts(wanted, total);

  const go = (to: number, choosing: boolean) => {
    const next = Math.min(Math.max(0, to), total - 1);
    if (total === 0) return;
    setAt(next);
    rows.scrollTo(Math.floor(next / wide));
    if (choosing) chosen.upTo(next, Math.max(0, at));
  };
  const here = products.at(at);
  useKeys({
    ArrowRight: (e) => go(at + 1, e.shiftKey),
    ArrowLeft: (e) => go(at - 1, e.shiftKey),
    ArrowDown: (e) => go(at < 0 ? 0 : at + wide, e.shiftKey),
    ArrowUp: (e) => go(at - wide, e.shiftKey),
    m: () => here && chosen.toggle(here, at),
    Enter: () => here && void navigate(`/products/${here.id}`),
    Escape: chosen.clear,
  });
  const press = (product: Product, index: number) => (e: MouseEvent) => {
    setAt(index);
    if (!e.shiftKey && !e.ctrlKey && !e.metaKey) return;
    e.preventDefault();
    if (e.shiftKey) chosen.upTo(index);
    else chosen.toggle(product, index);
  };
  const item = (index: number) => {
    const product = products.at(index);
    if (!product)
      return (
        <div key={index} className={table ? 'row' : 'card'}>
          {!table && <div className="mat" />}
        </div>
      );
    const look: ProductLook = {
      product,
      at: index === at,
      chosen: chosen.has(product.id),
      onPress: press(product, index),
      onChoose: (e) => (e.shiftKey ? chosen.upTo(index) : chosen.toggle(product, index)),
    };
    return table ? <ProductRow key={product.id} {...look} /> : <ProductCard key={product.id} {...look} />;
  };
  if (products.error) return <Failed error={products.error} />;
  return (
    <section className="products" aria-label="Products">
      <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Products">
        {!products.loading && products.total === 0 && <Nothing wanted={wanted} />}
        {table && products.total > 0 && (
          <div className="row th product-row">
            <span />
            <span />
            <span>Code</span>
            <span>Title</span>
            <span>Category</span>
            <span className="num">Variants</span>
            <span className="num">Pictures</span>
          </div>
        )}
        <div className="tall" style={tallOf(rows.size)}>
          {seen.map((row) => (
            <div
              key={row.key}
              className={table ? 'at' : 'at gridrow'}
              style={{ ...atOf(row), '--across': wide } as CSSProperties}
            >
              {Array.from({ length: Math.min(wide, total - row.index * wide) }, (_, i) =>
                item(row.index * wide + i),
              )}
            </div>
          ))}
        </div>
      </div>
      <ChosenProducts chosen={chosen} total={total} />
    </section>
  );
}

function Nothing({ wanted }: { wanted: Wanted }) {
  const title = wanted.q
    ? `No product is named “${wanted.q}”.`
    : wanted.noPicture
      ? 'Every product here has a picture.'
      : 'The catalog is empty.';
  return (
    <Empty title={title}>
      {!wanted.q &&
        !wanted.noPicture &&
        'Bring in a sheet of products on Sheets: a column with SKUs is all it needs.'}
    </Empty>
  );
}

interface ProductLook extends Look {
  product: Product;
}

function ProductRow(look: ProductLook) {
  const p = look.product;
  return (
    <div className={lookOf('row pick product-row', look)}>
      <Choose name={look.product.code} look={look} />
      <Picture sum={p.lead} none="–" className="small" />
      <Link className="link mono clip" to={`/products/${p.id}`} onClick={look.onPress}>
        {p.code}
      </Link>
      <Link className="link clip" to={`/products/${p.id}`} onClick={look.onPress} tabIndex={-1} aria-hidden>
        {p.title}
      </Link>
      <span className="clip quiet">{p.category}</span>
      <span className="num">{count(p.variants)}</span>
      <span className={p.pictures ? 'num' : 'num lacking'}>{count(p.pictures)}</span>
    </div>
  );
}

function ProductCard(look: ProductLook) {
  const p = look.product;
  return (
    <div className={lookOf('card', look)}>
      <Choose name={look.product.code} look={look} />
      <Link className="card" to={`/products/${p.id}`} onClick={look.onPress} tabIndex={-1} title={p.title}>
        <Picture sum={p.lead} />
        <span className="spread">
          <span className="mono clip">{p.code}</span>
          {p.pictures > 0 && <span className="push quiet small">{some(p.pictures, 'picture')}</span>}
        </span>
        <span className="clip">{p.title}</span>
      </Link>
    </div>
  );
}
