import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { Entry, FileDetail } from '../client';
import { previewProductOptions } from '../client/@tanstack/react-query.gen';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { Warnings } from '../shared/Warnings';

/** The product beside the picture: what it shows now, and what it will show. */
export function ProductSide({ lot, target, file }: { lot: number; target: { product: number; variant: number } | undefined; file: FileDetail }) {
  const product = target?.product ?? 0;
  const preview = useQuery({ ...previewProductOptions({ path: { id: lot, product } }), enabled: product > 0 });
  if (!target || product === 0) return <Empty title="No product is marked.">Press f to find one by SKU, title, GTIN or option.</Empty>;
  if (preview.error) return <Failed error={preview.error} />;
  if (!preview.data) return null;
  const { product: p, targets, variants, warnings } = preview.data;
  const variant = variants.find((v) => v.id === target.variant);
  return (
    <div className="scroll" style={{ padding: '10px 12px', display: 'grid', gap: 12, alignContent: 'start' }} tabIndex={0} role="region" aria-label="Product’s pictures">
      <div>
        <Link className="link" to={`/products/${p.id}`}><strong>{p.title || p.code}</strong></Link>
        <div><span className="mono">{variant?.sku ?? p.code}</span>{variant ? <span className="quiet"> {variant.options.map((o) => o.value).join(', ')}</span> : <span className="quiet"> the product as a whole</span>}</div>
      </div>
      <Warnings list={warnings} targets={targets} />
      {targets.length === 0 && <span className="quiet">It has no picture yet, and none is on its way in this lot.</span>}
      {targets.map((t) => (
        <div key={t.variant} style={{ display: 'grid', gap: 5 }}>
          <span className="mono" style={{ fontWeight: t.variant === target.variant ? 700 : 400 }}>{t.sku}{t.variant === 0 && <span className="quiet" style={{ fontFamily: 'inherit' }}> whole</span>}</span>
          <Shots name="shows now" entries={t.before} />
          <Shots name="will show" entries={t.after} before={t.before} here={file.id} />
        </div>
      ))}
    </div>
  );
}

export function Shots({ name, entries, before, here = 0 }: { name: string; entries: Entry[]; before?: Entry[]; here?: number }) {
  return (
    <div>
      <div className="quiet" style={{ fontSize: 12, marginBottom: 3 }}>{name}{entries.length === 0 && ': nothing'}</div>
      <div className="shots">
        {entries.map((e, i) => {
          const fresh = before !== undefined && !before.some((b) => b.id === e.id && b.file === e.file);
          return <div key={`${e.id}-${e.file}`} className={`shot${fresh ? ' fresh' : ''}`} style={e.file === here ? { fontWeight: 700 } : undefined}><Picture sum={e.sum} alt={e.alt} />{i + 1}{e.view && ` ${e.view}`}</div>;
        })}
      </div>
    </div>
  );
}
