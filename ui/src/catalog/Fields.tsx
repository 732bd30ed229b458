import { Button } from '@mantine/core';
import { useState } from 'react';
import { Link } from 'react-router';
import type { FieldValue, ProductImport, ProductPage } from '../client';
import { when } from '../shared/format';
import css from './Fields.module.css';
import { FieldForm } from './FieldForm';
import { NewVariant } from './NewVariant';

/** What of a product as a whole is changed through one of its variants. */
const throughVariant = ['title', 'product-id', 'category'];

/** All that the catalog says of a product and its variants, and where each value came from. */
export function Fields({ page }: { page: ProductPage }) {
  const [open, setOpen] = useState<FieldValue>();
  const [adding, setAdding] = useState(false);
  const groups = [
    { id: 0, name: 'The product as a whole', sku: page.variantList[0]?.sku ?? '' },
    ...page.variantList.map((v) => ({ id: v.id, name: v.sku, sku: v.sku })),
  ];
  const mayChange = (f: FieldValue) => f.variant !== 0 || throughVariant.includes(f.column);
  return (
    <section className="target" aria-label="What the catalog says">
      <h2 className="spread">
        What the catalog says
        <Button className="push" size="compact-xs" onClick={() => setAdding(true)}>
          Add a variant…
        </Button>
      </h2>
      <table className={css.fields}>
        {groups.map((g) => (
          <tbody key={g.id}>
            <tr>
              <th colSpan={3} className={g.id ? 'mono' : ''}>
                {g.name}
              </th>
            </tr>
            {page.fields
              .filter((f) => f.variant === g.id && (f.value !== '' || shownEmpty.includes(f.column)))
              .map((f) => (
                <tr key={f.column}>
                  <td className="quiet">{f.words}</td>
                  <td>
                    {mayChange(f) && g.sku ? (
                      <button
                        className={css.value}
                        title="Change it"
                        onClick={() => setOpen({ ...f, sku: g.sku })}
                      >
                        {f.value || <span className="quiet">empty</span>}
                      </button>
                    ) : (
                      <span className={css.fixed}>{f.value}</span>
                    )}
                  </td>
                  <td className="quiet small">
                    <Origin change={page.fieldChanges[f.change - 1]} />
                  </td>
                </tr>
              ))}
          </tbody>
        ))}
      </table>
      {open && <FieldForm field={open} page={page} onClose={() => setOpen(undefined)} />}
      {adding && <NewVariant of={page} onClose={() => setAdding(false)} />}
    </section>
  );
}

/** Fields that are shown where nothing stands in them, so that something can be put there. */
const shownEmpty = ['title', 'gtin', 'description', 'category', 'product-id'];

/** Where a value came from. */
function Origin({ change }: { change: ProductImport | undefined }) {
  if (!change) return null;
  if (change.sheet === 0)
    return (
      <>
        by hand, {change.by}, {when(change.at)}
      </>
    );
  return (
    <>
      <Link className="link" to={`/sheets/${change.sheet}`}>
        {change.sheetName}
      </Link>
      , row {change.row}, {when(change.at)}
    </>
  );
}
