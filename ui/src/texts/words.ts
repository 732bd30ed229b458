import type { ReportTextsData } from '../client';

/** Which texts, and what is drafted. */
export type Choice = Omit<ReportTextsData['body'], 'only' | 'limit' | 'offset'>;

/** What can be listed of texts. */
export type Only = '' | 'missing' | 'same' | 'long' | 'begins' | 'code' | 'drafted';

export const kinds: { value: Exclude<Only, ''>; label: string }[] = [
  { value: 'drafted', label: 'Drafted' },
  { value: 'missing', label: 'Missing' },
  { value: 'same', label: 'On several' },
  { value: 'long', label: 'Too long' },
  { value: 'begins', label: '“Picture of”' },
  { value: 'code', label: 'Only a code' },
];

/** What can be wrong with a text, as a list says it. */
export const problems: Record<string, string> = {
  missing: 'missing',
  same: 'another picture has it, too',
  long: 'longer than 125 characters',
  begins: 'begins with “picture of”',
  code: 'is only a code',
};

export const languages = ['de', 'en', 'es', 'fr', 'it', 'nl', 'pl', 'pt'];

export const nothingAsked: Choice = { language: '', category: '', q: '', over: 'missing', templates: [] };

/** A choice without what is empty. */
export function asked(c: Choice): Choice {
  const templates = (c.templates ?? []).filter((t) => t.template.trim() !== '');
  return {
    ...(c.language && { language: c.language }),
    ...(c.category && { category: c.category }),
    ...(c.q && { q: c.q }),
    ...(c.over && { over: c.over }),
    ...(templates.length > 0 && { templates }),
  };
}
