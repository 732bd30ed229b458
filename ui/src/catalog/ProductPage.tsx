import { Button, Modal, Textarea } from '@mantine/core';
import { arrayMove } from '@dnd-kit/sortable';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { Link, useParams } from 'react-router';
import type { ProductPage as Page, Shown } from '../client';
import { arrangeProductMutation, getProductOptions, getProductQueryKey, revertPlanMutation } from '../client/@tanstack/react-query.gen';
import { baseName, bytes, count, said, some, when } from '../shared/format';
import { useKeys } from '../shared/keys';
import { Enlarged, original, Picture } from '../shared/Picture';
import { Sorted, useSorted } from '../shared/Sorted';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';

/** A product's pictures in order, on the product and on its variants. */
export function ProductPage() {
  const id = Number(useParams()['id']);
  const product = useQuery(getProductOptions({ path: { id } }));
  if (product.error) return <Failed error={product.error} again={() => void product.refetch()} />;
  return product.data ? <Product key={id} page={product.data} /> : null;
}

function Product({ page }: { page: Page }) {
  const client = useQueryClient();
  const [here, setHere] = useState(page.pictureList[0]?.id ?? 0);
  const [dialog, setDialog] = useState<'large' | 'alt' | ''>('');
  const pictures = page.pictureList;
  const marked = pictures.find((p) => p.id === here);
  const arrange = useMutation({ ...arrangeProductMutation(), onSuccess: (now) => client.setQueryData(getProductQueryKey({ path: { id: page.id } }), now), onError: (e) => {
    tell('Nothing changed', said(e), true);
    void client.invalidateQueries({ queryKey: getProductQueryKey({ path: { id: page.id } }) });
  } });
  const save = (list: Shown[], alt?: { id: number; text: string }) => arrange.mutate({
    path: { id: page.id },
    body: { version: page.version, pictures: list.map((p) => ({ id: p.id, variant: p.variant, view: p.view, alt: alt?.id === p.id ? alt.text : undefined })) },
  });
  const step = (by: number, move: boolean) => {
    if (!marked) return;
    const siblings = pictures.filter((p) => p.variant === marked.variant);
    if (!move) {
      const next = pictures[pictures.indexOf(marked) + by];
      if (next) setHere(next.id);
      return;
    }
    const at = siblings.indexOf(marked);
    const to = at + by;
    if (to < 0 || to >= siblings.length || arrange.isPending) return;
    save([...pictures.filter((p) => p.variant !== marked.variant), ...arrayMove(siblings, at, to)]);
  };
  useKeys({
    ArrowRight: (e) => step(1, e.shiftKey), ArrowLeft: (e) => step(-1, e.shiftKey),
    ' ': () => setDialog('large'), a: () => setDialog('alt'),
  }, dialog === '' && pictures.length > 0);
  const targets = useMemo(() => [{ id: 0, sku: page.code, options: '' }, ...page.variantList.map((v) => ({ id: v.id, sku: v.sku, options: v.options.map((o) => o.value).join(', ') }))], [page]);
  return (
    <>
      <div className="head">
        <div style={{ minWidth: 0 }}><h1 className="clip" style={{ fontSize: 17 }}>{page.title || page.code}</h1>
          <span className="quiet"><span className="mono">{page.code}</span>{page.category && <>, <Link className="link" to={`/catalog?category=${encodeURIComponent(page.category)}`}>{page.category}</Link></>}, {some(page.variantList.length, 'variant')}, {some(pictures.length, 'picture')}</span></div>
        {arrange.isPending && <span className="quiet push">Saving…</span>}
      </div>
      <div style={{ display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) 310px', flex: 1, minHeight: 0 }}>
        <div className="scroll pad" tabIndex={0} role="region" aria-label="Pictures">
          {targets.map((t) => (
            <Target key={t.id} whole={t.id === 0} sku={t.sku} options={t.options} pictures={pictures.filter((p) => p.variant === t.id)} here={here} onMark={setHere} onOpen={() => setDialog('large')}
              onMove={(list) => save([...pictures.filter((p) => p.variant !== t.id), ...list])} />
          ))}
        </div>
        <aside style={{ borderLeft: '1px solid var(--line)', background: 'var(--sheet)', minHeight: 0, overflow: 'auto' }} aria-label="Picture and history" tabIndex={0}>
          {marked && <Details picture={marked} onAlt={() => setDialog('alt')} />}
          <History page={page} />
        </aside>
      </div>
      <Enlarged sum={dialog === 'large' ? (marked?.sum ?? '') : ''} title={marked?.path ?? ''} onClose={() => setDialog('')} />
      <Modal opened={dialog === 'alt' && marked !== undefined} onClose={() => setDialog('')} title="Alternative text">
        {marked && <AltForm key={marked.id} picture={marked} onSave={(text) => { setDialog(''); save(pictures, { id: marked.id, text }); }} />}
      </Modal>
    </>
  );
}

function Target({ whole, sku, options, pictures, here, onMark, onOpen, onMove }: {
  whole: boolean; sku: string; options: string; pictures: Shown[]; here: number; onMark: (id: number) => void; onOpen: () => void; onMove: (list: Shown[]) => void;
}) {
  return (
    <section style={{ marginBottom: 18 }} aria-label={whole ? 'The product as a whole' : sku}>
      <h2 className="spread" style={{ margin: '0 0 7px', fontSize: 13.5 }}>{whole ? 'The product as a whole' : <span className="mono">{sku}</span>}<span className="quiet" style={{ fontWeight: 400 }}>{options}</span></h2>
      {pictures.length === 0 ? <span className="quiet">No picture of its own.</span> : (
        <Sorted ids={pictures.map((p) => String(p.id))} onMove={(from, to) => onMove(arrayMove(pictures, from, to))}>
          <div className="order">{pictures.map((p) => <Placed key={p.id} picture={p} on={p.id === here} onMark={() => onMark(p.id)} onOpen={onOpen} />)}</div>
        </Sorted>
      )}
    </section>
  );
}

function Placed({ picture, on, onMark, onOpen }: { picture: Shown; on: boolean; onMark: () => void; onOpen: () => void }) {
  const sorted = useSorted(String(picture.id));
  return (
    <button className={`placed${on ? ' on' : ''}`} aria-pressed={on} onClick={onMark} onDoubleClick={onOpen} onFocus={onMark} {...sorted}>
      <div style={{ position: 'relative' }}><Picture sum={picture.sum} alt={picture.alt} />{picture.place === 1 && <span className="lead">lead</span>}</div>
      <span className="spread"><strong>{picture.place}</strong><span className="quiet clip">{picture.view}</span></span>
    </button>
  );
}

function Details({ picture, onAlt }: { picture: Shown; onAlt: () => void }) {
  return (
    <div style={{ padding: 12, display: 'grid', gap: 8, borderBottom: '1px solid var(--line)' }}>
      <div className="fill" style={{ height: 190 }}><Picture sum={picture.sum} alt={picture.alt} /></div>
      <div className="mono clip" title={picture.path}>{baseName(picture.path)}</div>
      <span className="quiet">{picture.width} × {picture.height}, {bytes(picture.bytes)}, from <Link to={`/lots/${picture.lot}`}>{picture.lotName}</Link></span>
      <div><span className="quiet">Alternative text{picture.altBy === 'draft' ? ', drafted' : ''}</span><div>{picture.alt || <span className="quiet">none</span>}</div></div>
      <div className="spread"><Button onClick={onAlt}>Edit text</Button><Button component="a" href={original(picture.sum, baseName(picture.path))}>Save original</Button></div>
    </div>
  );
}

function AltForm({ picture, onSave }: { picture: Shown; onSave: (text: string) => void }) {
  const [text, setText] = useState(picture.alt);
  return (
    <form onSubmit={(e) => { e.preventDefault(); onSave(text.trim()); }} style={{ display: 'grid', gap: 10 }}>
      <Textarea data-autofocus label="What the picture shows" description="Left empty, it is drafted anew from title, options and view." value={text} onChange={(e) => setText(e.currentTarget.value)} maxLength={500} autosize minRows={2} />
      <Button type="submit" variant="filled">Save text</Button>
    </form>
  );
}

function History({ page }: { page: Page }) {
  const revert = useMutation({ ...revertPlanMutation(), onSuccess: () => tell('Taken back', 'The product is being put back as it was before.'), onError: (e) => tell('Nothing changed', said(e), true) });
  return (
    <div style={{ padding: 12 }}>
      <h2 style={{ margin: '0 0 6px', fontSize: 13.5 }}>What was changed</h2>
      {page.changes.length === 0 && <span className="quiet">Nothing yet.</span>}
      {page.changes.map((c) => (
        <div key={c.plan} className="spread" style={{ minHeight: 36, borderTop: '1px solid var(--line)' }}>
          <span style={{ minWidth: 0 }}><Link className="link clip" style={{ display: 'block' }} to={`/plans/${c.plan}`}>{c.kind === 'hand' ? 'by hand' : c.lotName}</Link>
            <span className="quiet" style={{ fontSize: 12 }}>{when(c.appliedAt)}{c.added > 0 && `, ${count(c.added)} added`}{c.removed > 0 && `, ${count(c.removed)} removed`}{c.moved > 0 && `, ${count(c.moved)} moved`}</span></span>
          <span className="push" style={{ flex: 'none' }}>{c.state === 'applied' ? <Button onClick={() => revert.mutate({ path: { id: c.plan }, query: { product: page.id } })}>Revert</Button> : <span className="quiet">reverted</span>}</span>
        </div>
      ))}
    </div>
  );
}
