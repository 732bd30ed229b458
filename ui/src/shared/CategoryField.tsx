import { Autocomplete, type AutocompleteProps } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { listCategoriesOptions } from '../client/@tanstack/react-query.gen';

/** How many categories are offered at once. */
const offered = 30;

/** Chooses a category by a part of its path; empty for all. */
export function CategoryField({
  value,
  ...rest
}: Omit<AutocompleteProps, 'data' | 'value'> & { value: string }) {
  const [q] = useDebouncedValue(value, 150);
  const categories = useQuery({
    ...listCategoriesOptions({ query: { q, limit: offered } }),
    placeholderData: keepPreviousData,
  });
  return (
    <Autocomplete
      size="xs"
      limit={offered}
      data={[...new Set((categories.data?.items ?? []).map((c) => c.path))]}
      value={value}
      {...rest}
    />
  );
}
