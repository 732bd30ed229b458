import { NativeSelect, TextInput } from '@mantine/core';
import type { OriginInput } from '../client';

/** How often what goes by itself does. */
export const timetables = [
  { value: '0', label: 'by hand only' },
  { value: '60', label: 'every hour' },
  { value: '360', label: 'every six hours' },
  { value: '1440', label: 'every day' },
  { value: '10080', label: 'every week' },
];

type Terms = Pick<OriginInput, 'everyMinutes' | 'rights' | 'licence' | 'credit'>;

/** The terms in a few words, where their fields are out of sight. */
export function termsInWords({ everyMinutes, rights, licence }: Terms): string {
  const fetched =
    timetables.find((t) => t.value === String(everyMinutes))?.label ?? `every ${everyMinutes} minutes`;
  return [fetched, `rights ${rights}`, licence].filter(Boolean).join(', ');
}

/** When an origin is fetched from, and what may be done with what it brings. */
export function TermsFields({
  value,
  onChange,
}: {
  value: Terms;
  onChange: (change: Partial<Terms>) => void;
}) {
  return (
    <>
      <NativeSelect
        label="Fetch"
        value={String(value.everyMinutes)}
        onChange={(e) => onChange({ everyMinutes: Number(e.currentTarget.value) })}
        data={timetables}
      />
      <NativeSelect
        label="Rights of its files"
        value={value.rights}
        onChange={(e) => onChange({ rights: e.currentTarget.value as Terms['rights'] })}
        data={['unknown', 'cleared', 'restricted']}
      />
      <TextInput
        label="Licence"
        value={value.licence}
        onChange={(e) => onChange({ licence: e.currentTarget.value })}
      />
      <TextInput
        label="Credit"
        value={value.credit}
        onChange={(e) => onChange({ credit: e.currentTarget.value })}
      />
    </>
  );
}
