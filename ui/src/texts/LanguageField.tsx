import { Autocomplete, type AutocompleteProps } from '@mantine/core';
import { languages } from './words';

interface Props extends Omit<AutocompleteProps, 'data' | 'value' | 'onChange'> {
  value: string;
  onChange: (language: string) => void;
}

/** Chooses the language of texts, as de or pt-BR; empty for the usual one. */
export const LanguageField = ({ onChange, ...rest }: Props) => (
  <Autocomplete
    size="xs"
    data={languages}
    maxLength={20}
    onChange={(text) => onChange(text.replace(/[^a-zA-Z-]/g, ''))}
    {...rest}
  />
);
