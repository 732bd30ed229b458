/** A stretch of a text, and whether another text has it not. */
export interface Part {
  text: string;
  differs: boolean;
}

/** Longer texts are not compared: codes are short. */
const longest = 80;

/** Splits a text into what another has as well, in the same order, and what it has not. */
export function differing(other: string, text: string): Part[] {
  if (other.length > longest || text.length > longest) return [{ text, differs: false }];
  const a = [...other.toLowerCase()];
  const b = [...text];
  // kept[i][j]: the longest common subsequence of a from i on and b from j on.
  const kept = Array.from({ length: a.length + 1 }, () => new Array<number>(b.length + 1).fill(0));
  const at = (i: number, j: number) => kept[i]?.[j] ?? 0;
  for (let i = a.length - 1; i >= 0; i--)
    for (let j = b.length - 1; j >= 0; j--) {
      const row = kept[i];
      if (row)
        row[j] = a[i] === b[j]?.toLowerCase() ? at(i + 1, j + 1) + 1 : Math.max(at(i + 1, j), at(i, j + 1));
    }
  const parts: Part[] = [];
  const add = (char: string, differs: boolean) => {
    const last = parts.at(-1);
    if (last?.differs === differs) last.text += char;
    else parts.push({ text: char, differs });
  };
  for (let i = 0, j = 0; j < b.length;) {
    const char = b[j] ?? '';
    if (i < a.length && a[i] === char.toLowerCase()) {
      add(char, false);
      i++;
      j++;
    } else if (i < a.length && at(i + 1, j) >= at(i, j + 1)) i++;
    else {
      add(char, true);
      j++;
    }
  }
  return parts;
}
