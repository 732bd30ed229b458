export interface Cell { read: string; key: string; same: boolean }

const plain = (c: string) => c.normalize('NFKC').toLowerCase();
const isCode = (c: string) => /[\p{L}\p{N}\p{M}]/u.test(c);

/** Writes what was read against a key with the fewest differences; separators differ from one another by less than letters. */
export function align(read: string, key: string): Cell[] {
  const a = [...read.normalize('NFC')];
  const b = [...key.normalize('NFC')];
  const width = b.length + 1;
  const cost = new Float64Array((a.length + 1) * width);
  const at = (i: number, j: number) => cost[i * width + j] ?? 0;
  const gap = (c: string | undefined) => (c !== undefined && isCode(c) ? 1 : 0.6);
  const pair = (x: string | undefined, y: string | undefined) => {
    if (x === undefined || y === undefined) return 9;
    if (plain(x) === plain(y)) return x === y ? 0 : 0.1;
    return isCode(x) || isCode(y) ? 1.5 : 0.2;
  };
  for (let i = a.length; i >= 0; i--) {
    for (let j = b.length; j >= 0; j--) {
      if (i === a.length && j === b.length) continue;
      let least = Infinity;
      if (i < a.length && j < b.length) least = Math.min(least, pair(a[i], b[j]) + at(i + 1, j + 1));
      if (i < a.length) least = Math.min(least, gap(a[i]) + at(i + 1, j));
      if (j < b.length) least = Math.min(least, gap(b[j]) + at(i, j + 1));
      cost[i * width + j] = least;
    }
  }
  const cells: Cell[] = [];
  for (let i = 0, j = 0; i < a.length || j < b.length;) {
    const x = a[i];
    const y = b[j];
    if (x !== undefined && y !== undefined && Math.abs(at(i, j) - pair(x, y) - at(i + 1, j + 1)) < 1e-9) {
      cells.push({ read: x, key: y, same: x === y });
      i++;
      j++;
    } else if (x !== undefined && Math.abs(at(i, j) - gap(x) - at(i + 1, j)) < 1e-9) {
      cells.push({ read: x, key: '', same: false });
      i++;
    } else {
      cells.push({ read: '', key: y ?? '', same: false });
      j++;
    }
  }
  return cells;
}

/** A part of a path by the bytes of its UTF-8, as the server counts them. */
export function bySpan(path: string): (start: number, end: number) => string {
  const all = new TextEncoder().encode(path);
  const text = new TextDecoder();
  return (start, end) => text.decode(all.subarray(start, end));
}
