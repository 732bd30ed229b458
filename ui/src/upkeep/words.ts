import type { SweepFinding } from '../client';

/** What sweeps look for, as lists and headings say it. */
export const kinds: Record<string, string> = {
  orphans: 'Needed by nothing',
  twice: 'There twice',
  alike: 'Look alike',
  broken: 'Broken',
  below: 'Below the rule',
  lying: 'Left lying',
};

/** Whether findings of a kind belong together in groups. */
export const grouped = (kind: string) => kind === 'twice' || kind === 'alike';

/** What keeping one of a group is called. */
export const keepWord = (f: SweepFinding) =>
  f.reason === 'larger, unused' ? 'Put it in their place…' : 'Keep this one…';

/** Why something was found, as a list says it. */
export const reasons: Record<string, string> = {
  replaced: 'replaced',
  'set aside': 'set aside',
  'product retired': 'product retired',
  'lot given up': 'lot given up',
  'lot applied': 'left out of its lot’s plan',
  'cannot be used': 'cannot be used',
  'never paired': 'never paired',
  'shown twice': 'shown twice by one product',
  'shown by several': 'shown by several products',
  'same bytes': 'the same bytes',
  'larger, unused': 'larger, and unused',
  'look alike': 'look alike',
  missing: 'bytes are missing',
  damaged: 'bytes are not what they were',
  restricted: 'must not be shown',
  'rights ended': 'rights ended',
  'rights end soon': 'rights end soon',
  'too small': 'too small',
  enlarged: 'enlarged',
  padded: 'padded',
  'rights unknown': 'rights unknown',
  'lot left lying': 'lot left lying',
  'without a picture': 'without a picture',
  'retired, still shown': 'retired, and still shown',
  'stray object': 'stray object',
};

/** What can be said of a kind of which nothing was found. */
export const nothingOf: Record<string, string> = {
  orphans: 'Every file is needed, or held.',
  twice: 'Nothing is there twice.',
  alike: 'No two pictures look alike.',
  broken: 'All that was read so far is what it was.',
  below: 'Every picture that stands is as the rule wants it.',
  lying: 'No lot lies, and every product shows a picture.',
};

export const reasonOf = (reason: string) => reasons[reason] ?? reason;

/** Ages that findings are chosen by, in days. */
export const ages = [
  { value: '', label: 'any age' },
  { value: '7', label: 'older than a week' },
  { value: '30', label: 'older than a month' },
  { value: '90', label: 'older than three months' },
  { value: '365', label: 'older than a year' },
];

const day = 24 * 60 * 60 * 1000;

/** The time that lies so many days back, to the day. */
export const daysBack = (days: number) => new Date(Math.floor(Date.now() / day - days) * day).toISOString();

/** How long it is until a time, in days. */
export function until(text: string): string {
  const days = Math.ceil((new Date(text).getTime() - Date.now()) / day);
  if (days <= 0) return 'past its term';
  return days === 1 ? 'ends tomorrow' : `ends in ${days} days`;
}
