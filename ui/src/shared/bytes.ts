/** A part of a path by the bytes of its UTF-8, as the server counts them. */
export function bySpan(path: string): (start: number, end: number) => string {
  const all = new TextEncoder().encode(path);
  const text = new TextDecoder();
  return (start, end) => text.decode(all.subarray(start, end));
}
