export function bytes(n: number): string {
  if (n < 1000) return `${n} B`;
  const units = ['kB', 'MB', 'GB', 'TB'];
  let value = n / 1000;
  let unit = 0;
  while (value >= 1000 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${value < 10 ? value.toFixed(1) : Math.round(value)} ${units[unit]}`;
}

export const count = (n: number) => n.toLocaleString('en');

export const some = (n: number, one: string, many = `${one}s`) => `${count(n)} ${n === 1 ? one : many}`;

const clock = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });
const day = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short' });

export function when(text: string): string {
  const at = new Date(text);
  return at.toDateString() === new Date().toDateString()
    ? clock.format(at)
    : `${day.format(at)}, ${clock.format(at)}`;
}

export const baseName = (path: string) => path.slice(path.lastIndexOf('/') + 1);
export const folderOf = (path: string) => path.slice(0, Math.max(0, path.lastIndexOf('/')));

/** What a failed request says, in the words of its problem (RFC 9457). */
export function said(error: unknown): string {
  if (typeof error === 'object' && error !== null) {
    if ('detail' in error && typeof error.detail === 'string') return error.detail;
    if ('message' in error && typeof error.message === 'string') return error.message;
  }
  return 'Ambrosa does not answer. Is it still running?';
}
