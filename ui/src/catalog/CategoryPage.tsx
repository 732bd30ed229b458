import { Button, Modal, Textarea, TextInput } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import type { CategoryPage as Page } from '../client';
import {
  changeCategoryMutation,
  getCategoryOptions,
  getCategoryQueryKey,
  listCategoriesOptions,
  listProductsOptions,
  revertImportMutation,
} from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Failed } from '../shared/State';
import { tell, tellWithUndo } from '../shared/tell';
import { Arranged } from './Arranged';
import css from './CategoryPage.module.css';
import { categoryOwner } from './owner';

/** A category: its pictures at their places, its texts, and the products below it. */
export function CategoryPage() {
  const id = Number(useParams()['id']);
  const category = useQuery(getCategoryOptions({ path: { id } }));
  if (category.error) return <Failed error={category.error} again={() => void category.refetch()} />;
  return category.data ? <Category key={id} page={category.data} /> : null;
}

const inCatalog = (page: Page) => `/catalog?category=${encodeURIComponent(page.path)}`;

function Category({ page }: { page: Page }) {
  const [editing, setEditing] = useState(false);
  return (
    <>
      <Arranged
        owner={categoryOwner(page)}
        head={(saving) => <Head page={page} saving={saving} onEdit={() => setEditing(true)} />}
        above={page.description && <p className={css.text}>{page.description}</p>}
        below={<Below page={page} />}
        fields={page.fieldChanges}
      />
      <Modal opened={editing} onClose={() => setEditing(false)} title="ID and text">
        {editing && <Texts page={page} onDone={() => setEditing(false)} />}
      </Modal>
    </>
  );
}

function Head({ page, saving, onEdit }: { page: Page; saving: boolean; onEdit: () => void }) {
  const above = page.path.split(' / ').slice(0, -1).join(' / ');
  return (
    <div className="head">
      <div className="narrow">
        <h1 className="clip">{page.name}</h1>
        <span className="quiet">
          {[
            above && `in ${above}`,
            some(page.products, 'product'),
            page.noPicture > 0 && `${count(page.noPicture)} without a picture`,
            some(page.pictureList.length, 'picture') + ' of its own',
          ]
            .filter(Boolean)
            .join(', ')}
          , {page.ref ? <span className="mono">ID {page.ref}</span> : 'no ID of its own'}
        </span>
      </div>
      <div className="spread push fixed">
        {saving && <span className="quiet">Saving…</span>}
        <Button onClick={onEdit}>ID and text…</Button>
        <Button component={Link} to={inCatalog(page)}>
          Its products
        </Button>
      </div>
    </div>
  );
}

function Texts({ page, onDone }: { page: Page; onDone: () => void }) {
  const [ref, setRef] = useState(page.ref);
  const [description, setDescription] = useState(page.description);
  const client = useQueryClient();
  const key = getCategoryQueryKey({ path: { id: page.id } });
  const change = useMutation({
    ...changeCategoryMutation(),
    onError: (e) => {
      tell('Nothing changed', said(e), true);
      void client.invalidateQueries({ queryKey: key });
    },
  });
  const revert = useMutation({
    ...revertImportMutation(),
    onError: (e) => tell('Not taken back', said(e), true),
  });
  const save = () =>
    change.mutate(
      { path: { id: page.id }, body: { version: page.version, ref, description } },
      {
        onSuccess: (now) => {
          client.setQueryData(key, now);
          onDone();
          const last = now.fieldChanges[0];
          if (last && last.import !== page.fieldChanges[0]?.import)
            tellWithUndo(`${page.name} is changed.`, () => revert.mutate({ path: { id: last.import } }));
        },
      },
    );
  return (
    <form
      className="columns"
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <TextInput
        data-autofocus
        label="Its own ID"
        description="By which sheets and files name it. No two categories have the same."
        value={ref}
        maxLength={200}
        onChange={(e) => setRef(e.currentTarget.value)}
      />
      <Textarea
        label="What it is about"
        value={description}
        maxLength={20000}
        autosize
        minRows={3}
        maxRows={12}
        onChange={(e) => setDescription(e.currentTarget.value)}
      />
      <Button type="submit" variant="filled" loading={change.isPending}>
        Save
      </Button>
    </form>
  );
}

/** How many products are shown here; the catalog shows all. */
const shown = 24;

function Below({ page }: { page: Page }) {
  const categories = useQuery(listCategoriesOptions({ query: { parent: page.id } }));
  const products = useQuery(listProductsOptions({ query: { category: page.path, limit: shown } }));
  const children = (categories.data?.items ?? []).filter((c) => c.parent === page.id);
  const items = products.data?.items ?? [];
  return (
    <>
      {children.length > 0 && (
        <section className="target" aria-label="Categories in it">
          <h2>Categories in it</h2>
          <div className={css.cards}>
            {children.map((c) => (
              <Link key={c.id} className={css.card} to={`/categories/${c.id}`}>
                <Picture sum={c.sum} none="–" />
                <span className="clip">{c.name}</span>
                <span className="quiet small">{some(c.products, 'product')}</span>
              </Link>
            ))}
          </div>
        </section>
      )}
      <section className="target" aria-label="Products in it">
        <h2 className="spread">
          Products in it
          {page.products > items.length && (
            <Link className="link push small" to={inCatalog(page)}>
              All {count(page.products)}
            </Link>
          )}
        </h2>
        {products.data && items.length === 0 && <span className="quiet">None yet.</span>}
        <div className={css.cards}>
          {items.map((p) => (
            <Link key={p.id} className={css.card} to={`/products/${p.id}`} title={p.title}>
              <Picture sum={p.lead} />
              <span className="mono clip">{p.code}</span>
              <span className="quiet small clip">{p.title}</span>
            </Link>
          ))}
        </div>
      </section>
    </>
  );
}
