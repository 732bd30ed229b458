import { NativeSelect, PasswordInput, Textarea, TextInput } from '@mantine/core';
import type { Field } from '../client';

interface Props {
  field: Field;
  /** A secret may be kept already: an empty one leaves it. */
  kept: boolean;
  value: string;
  onChange: (value: string) => void;
}

/** A setting that a kind of origin or of outlet asks for. */
export function Setting({ field, kept, value, onChange }: Props) {
  const common = { label: field.label, value, placeholder: field.hint };
  const change = (e: { currentTarget: { value: string } }) => onChange(e.currentTarget.value);
  if (field.choices && field.choices.length > 0) {
    return <NativeSelect label={field.label} data={field.choices} value={value} onChange={change} />;
  }
  const secret = kept ? 'as it was' : field.hint;
  switch (field.type) {
    case 'secret':
      return <PasswordInput {...common} placeholder={secret} onChange={change} autoComplete="new-password" />;
    case 'secret lines':
    case 'lines':
      return (
        <Textarea
          {...common}
          placeholder={field.type === 'lines' ? field.hint : secret}
          onChange={change}
          autosize
          minRows={1}
          maxRows={5}
          classNames={{ input: 'mono' }}
        />
      );
  }
  return <TextInput {...common} required={field.required} onChange={change} />;
}
