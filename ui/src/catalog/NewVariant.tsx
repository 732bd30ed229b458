import { Button, Modal, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { ProductPage } from '../client';
import { listCatalogColumnsOptions } from '../client/@tanstack/react-query.gen';
import { useByHand } from './byHand';

/** Makes a variant of a product, or of a new one. */
export function NewVariant({ of, onClose }: { of?: ProductPage; onClose: () => void }) {
  const columns = useQuery(listCatalogColumnsOptions());
  const [cells, setCells] = useState<Record<string, string>>({
    product: of?.code ?? '',
    category: of?.category ?? '',
  });
  const hand = useByHand(onClose);
  const options = of?.options.map((name) => `option:${name}`) ?? [];
  const asked = ['sku', 'product', 'title', 'gtin', ...options, ...(of ? [] : ['category'])];
  const header = (name: string) =>
    name === 'sku' ? 'SKU' : (columns.data?.items.find((c) => c.name === name)?.header ?? name);
  const words = (name: string) => header(name).replace(' (option)', '');
  const save = () => {
    const filled = asked.filter((name) => (cells[name] ?? '').trim() !== '');
    const row = filled.map((name) => (cells[name] ?? '').trim());
    hand.write(filled, row, `${cells['sku'] ?? ''} is made.`, { new: true });
  };
  return (
    <Modal opened onClose={onClose} title={of ? `New variant of ${of.title || of.code}` : 'New product'}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          save();
        }}
      >
        {asked.map((name, i) => (
          <TextInput
            key={name}
            data-autofocus={i === 0 || undefined}
            label={words(name)}
            description={described[name]}
            required={name === 'sku'}
            disabled={name === 'product' && of !== undefined}
            value={cells[name] ?? ''}
            maxLength={2000}
            onChange={(e) => {
              const value = e.currentTarget.value;
              setCells((now) => ({ ...now, [name]: value }));
            }}
          />
        ))}
        <Button
          type="submit"
          variant="filled"
          loading={hand.busy}
          disabled={asked.filter((name) => (cells[name] ?? '').trim() !== '').length < 2}
        >
          Make it
        </Button>
      </form>
    </Modal>
  );
}

const described: Record<string, string> = {
  product: 'Its variants have this in common. Left empty, it is the SKU.',
  gtin: '8, 12, 13 or 14 digits with a right check digit.',
  category: 'Names from the top, with / between.',
};
