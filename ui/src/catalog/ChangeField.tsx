import { Button, Modal, NativeSelect, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Product } from '../client';
import { listCatalogColumnsOptions } from '../client/@tanstack/react-query.gen';
import { some } from '../shared/format';
import { Failed } from '../shared/State';
import { useByHand } from './byHand';

/** What many products cannot have in common. */
const own = ['sku', 'product', 'product-id', 'gtin', 'category-id'];

/** Changes one field for all variants of products that are chosen. */
export function ChangeField({ products, onClose }: { products: Product[]; onClose: () => void }) {
  const columns = useQuery(listCatalogColumnsOptions());
  const [column, setColumn] = useState('category');
  const [value, setValue] = useState('');
  const hand = useByHand(onClose);
  const variants = products.reduce((n, p) => n + p.variants, 0);
  const choices = (columns.data?.items ?? []).filter(
    (c) => !own.includes(c.name) && !c.name.startsWith('code'),
  );
  const of = `${some(variants, 'variant')} of ${some(products.length, 'product')}`;
  const header = choices.find((c) => c.name === column)?.header ?? column;
  return (
    <Modal opened onClose={onClose} title={`Change a field of ${of}`}>
      {columns.error && <Failed error={columns.error} again={() => void columns.refetch()} />}
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          hand.change(
            products.map((p) => p.id),
            column,
            value.trim(),
            `${header} of ${of} is changed.`,
          );
        }}
      >
        <NativeSelect
          label="Field"
          value={column}
          onChange={(e) => {
            setColumn(e.currentTarget.value);
            setValue(e.currentTarget.value === 'retire' ? 'yes' : '');
          }}
          data={choices.map((c) => ({ value: c.name, label: c.header }))}
        />
        {column === 'retire' ? (
          <NativeSelect
            label="Becomes"
            value={value}
            onChange={(e) => setValue(e.currentTarget.value)}
            data={['yes', 'no']}
          />
        ) : (
          <TextInput
            data-autofocus
            label="Becomes"
            description="Left empty, it is cleared."
            value={value}
            maxLength={2000}
            onChange={(e) => setValue(e.currentTarget.value)}
          />
        )}
        <Button type="submit" variant="filled" loading={hand.busy}>
          Change it
        </Button>
      </form>
    </Modal>
  );
}
