import { Button, Modal, NativeSelect, Textarea, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { FieldValue, ProductPage } from '../client';
import { useByHand } from './byHand';

/** Changes one field of a variant, or of the product through it. */
export function FieldForm({
  field: f,
  page,
  onClose,
}: {
  field: FieldValue;
  page: ProductPage;
  onClose: () => void;
}) {
  const [value, setValue] = useState(f.value);
  const hand = useByHand(onClose);
  // What is said of the product as a whole is written by its code.
  const of = f.variant === 0 ? 'product' : 'sku';
  const sku = f.variant === 0 ? page.code : (f.sku ?? '');
  const alone = page.variantList.length === 1;
  const codes = f.column === 'code';
  const save = () => {
    if (!codes) {
      // A variant without a title of its own is called like its product, and the only one is it.
      const called = f.column === 'title' && (f.value === '' || f.variant === 0);
      const was = called && (alone || f.variant !== 0) ? undefined : [sku, f.value];
      hand.write([of, f.column], [sku, value], `${f.words} of ${sku} is changed.`, { was });
      return;
    }
    const list = value
      .split(/[\n,;]/)
      .map((c) => c.trim())
      .filter(Boolean);
    const columns = (list.length > 0 ? list : ['']).map((_, i) => `code:${i + 1}`);
    hand.write(
      ['sku', ...columns],
      [sku, ...(list.length > 0 ? list : [''])],
      `Codes of ${sku} are changed.`,
      {},
    );
  };
  const label = f.variant === 0 ? `${f.words} of the product` : f.words;
  return (
    <Modal opened onClose={onClose} title={f.variant === 0 ? page.title || page.code : sku}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          save();
        }}
      >
        {f.column === 'retire' ? (
          <NativeSelect
            data-autofocus
            label="Retired"
            description="What is retired stays in the catalog, and can be brought back."
            value={value}
            onChange={(e) => setValue(e.currentTarget.value)}
            data={['no', 'yes']}
          />
        ) : f.column === 'description' || codes ? (
          <Textarea
            data-autofocus
            label={label}
            description={codes ? 'Apart by commas or line ends.' : undefined}
            value={value}
            maxLength={10000}
            autosize
            minRows={2}
            maxRows={14}
            onChange={(e) => setValue(e.currentTarget.value)}
          />
        ) : (
          <TextInput
            data-autofocus
            label={label}
            description={f.column === 'category' ? 'Names from the top, with / between.' : undefined}
            value={value}
            maxLength={2000}
            onChange={(e) => setValue(e.currentTarget.value)}
          />
        )}
        <Button type="submit" variant="filled" loading={hand.busy} disabled={value === f.value}>
          Save
        </Button>
      </form>
    </Modal>
  );
}
