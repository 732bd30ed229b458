import { NativeSelect, NumberInput, Switch, TagsInput, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Settings } from '../client';
import { listLotsOptions } from '../client/@tanstack/react-query.gen';
import { shotViews } from '../shared/shotViews';
import { CategoryField } from '../shared/CategoryField';
import { LanguageField } from '../texts/LanguageField';
import css from './Dispatch.module.css';
import { Form } from './Form';
import { ready, whichPictures } from './words';

interface Props {
  settings: Settings;
  onChange: (to: Settings) => void;
  /** Pictures stand there from one time to the next: only what changed goes. */
  stands: boolean;
}

/** Which products, which of their pictures, and under which names. */
export function Choice({ settings: s, onChange, stands }: Props) {
  const [skus, setSkus] = useState(s.skus.join(' '));
  const known = ready.some((r) => r.value === s.names);
  return (
    <div className={css.choice}>
      <CategoryField
        label="Category"
        placeholder="all"
        value={s.category}
        onChange={(category) => onChange({ ...s, category })}
      />
      <TextInput
        label="Products whose code, SKU, title or GTIN has"
        placeholder="anything"
        value={s.query}
        onChange={(e) => onChange({ ...s, query: e.currentTarget.value })}
      />
      <TextInput
        label="Only these SKUs or codes"
        placeholder="all; paste a column of them"
        value={skus}
        onChange={(e) => {
          setSkus(e.currentTarget.value);
          onChange({ ...s, skus: e.currentTarget.value.split(/[\s,;]+/).filter(Boolean) });
        }}
      />
      <div className={css.which}>
        <NativeSelect
          label="Pictures of each"
          data={whichPictures}
          value={s.pictures}
          onChange={(e) => {
            const pictures = e.currentTarget.value as Settings['pictures'];
            onChange({ ...s, pictures, first: pictures === 'first' ? Math.max(1, s.first) : 0 });
          }}
        />
        {s.pictures === 'views' && (
          <TagsInput
            label="Which views"
            data={shotViews}
            value={s.views ?? []}
            onChange={(those) => onChange({ ...s, views: those })}
          />
        )}
        {s.pictures === 'first' && (
          <NumberInput
            label="How many"
            min={1}
            max={1000}
            allowDecimal={false}
            value={s.first}
            onChange={(n) => onChange({ ...s, first: Number(n) })}
          />
        )}
      </div>
      <Form recipe={s.rendition} onChange={(rendition) => onChange({ ...s, rendition })} />
      <TextInput
        className={css.names}
        label="Names"
        description="Fields in brackets, with what is done to them: [title slug de most 40 | sku]"
        classNames={{ input: 'mono' }}
        value={s.names}
        onChange={(e) => onChange({ ...s, names: e.currentTarget.value })}
      />
      <NativeSelect
        label="Ready-made"
        description="to begin with"
        data={[...(known ? [] : [{ value: '', label: 'one’s own' }]), ...ready]}
        value={known ? s.names : ''}
        onChange={(e) => e.currentTarget.value && onChange({ ...s, names: e.currentTarget.value })}
      />
      <div className={`spread wrap ${css.switches}`}>
        <LotField lot={s.lot ?? 0} onChange={(lot) => onChange({ ...s, lot })} />
        <LanguageField
          className={css.language}
          aria-label="Language of the texts"
          placeholder="texts: usual"
          value={s.language}
          onChange={(language) => onChange({ ...s, language })}
        />
        <Switch
          size="xs"
          label="Variants with their product’s pictures"
          checked={s.shared ?? false}
          onChange={(e) => onChange({ ...s, shared: e.currentTarget.checked })}
        />
        <Switch
          size="xs"
          label="Categories’ pictures, too"
          checked={s.categories ?? false}
          onChange={(e) => onChange({ ...s, categories: e.currentTarget.checked })}
        />
        {!stands && (
          <Switch
            size="xs"
            label="Only what is new or changed there"
            checked={s.changed}
            onChange={(e) => onChange({ ...s, changed: e.currentTarget.checked })}
          />
        )}
        <Switch
          size="xs"
          label="New names for what went before, too"
          checked={s.rename}
          onChange={(e) => onChange({ ...s, rename: e.currentTarget.checked })}
        />
        <Switch
          size="xs"
          label={
            stands
              ? 'What is not wanted any more is taken away there'
              : 'With a sheet of what is not wanted any more'
          }
          checked={s.remove}
          onChange={(e) => onChange({ ...s, remove: e.currentTarget.checked })}
        />
      </div>
    </div>
  );
}

/** How many lots are offered, the newest. */
const lotsOffered = 50;

/** Chooses the lot whose pictures products show; none for all products. */
function LotField({ lot, onChange }: { lot: number; onChange: (lot: number) => void }) {
  const lots = useQuery(listLotsOptions({ query: { limit: lotsOffered } })).data?.items ?? [];
  const known = lot === 0 || lots.some((l) => l.id === lot);
  return (
    <NativeSelect
      size="xs"
      aria-label="Products that show pictures of a lot"
      className={css.lot}
      data={[
        { value: '0', label: 'products of any lot' },
        ...(known ? [] : [{ value: String(lot), label: `products of lot ${lot}` }]),
        ...lots.map((l) => ({ value: String(l.id), label: `products of ${l.name}` })),
      ]}
      value={String(lot)}
      onChange={(e) => onChange(Number(e.currentTarget.value))}
    />
  );
}
