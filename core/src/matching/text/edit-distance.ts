/**
 * The fewest letters to insert, delete or replace to get from one text to the other, in UTF-16
 * units. Levenshtein, V. I., 1966; two rows as in Wagner and Fischer, 1974.
 */
export function levenshtein(a: string, b: string): number {
  if (a === b) return 0;
  let row = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) {
      const swap = (row[j - 1] as number) + (a.charCodeAt(i - 1) === b.charCodeAt(j - 1) ? 0 : 1);
      next.push(Math.min(swap, (row[j] as number) + 1, (next[j - 1] as number) + 1));
    }
    row = next;
  }
  return row[b.length] as number;
}

/**
 * As `levenshtein`, and two neighbouring letters may change places even when others come between
 * them afterwards (the unrestricted form: ca → abc is 2). Damerau, F. J., 1964; Lowrance and
 * Wagner, 1975.
 */
export function damerauLevenshtein(a: string, b: string): number {
  if (a === b) return 0;
  const width = b.length + 2;
  const longest = a.length + b.length;
  const cells = new Int32Array((a.length + 2) * width);
  cells[0] = longest;
  for (let i = 0; i <= a.length; i++) {
    cells[(i + 1) * width] = longest;
    cells[(i + 1) * width + 1] = i;
  }
  for (let j = 0; j <= b.length; j++) {
    cells[j + 1] = longest;
    cells[width + j + 1] = j;
  }
  const lastRow = new Map<number, number>();
  for (let i = 1; i <= a.length; i++) {
    let lastColumn = 0;
    for (let j = 1; j <= b.length; j++) {
      const row = lastRow.get(b.charCodeAt(j - 1)) ?? 0;
      const column = lastColumn;
      const isSame = a.charCodeAt(i - 1) === b.charCodeAt(j - 1);
      if (isSame) lastColumn = j;
      cells[(i + 1) * width + j + 1] = Math.min(
        (cells[i * width + j] as number) + (isSame ? 0 : 1),
        (cells[(i + 1) * width + j] as number) + 1,
        (cells[i * width + j + 1] as number) + 1,
        (cells[row * width + column] as number) + (i - row - 1) + 1 + (j - column - 1),
      );
    }
    lastRow.set(a.charCodeAt(i - 1), i);
  }
  return cells[(a.length + 1) * width + b.length + 1] as number;
}

/**
 * Whether one typing slip makes one text the other: a letter too many, too few, another one, or two
 * neighbours swapped. The same as `damerauLevenshtein(a, b) <= 1`, in one pass.
 */
export function isOneSlip(a: string, b: string): boolean {
  const [short, long] = a.length <= b.length ? [a, b] : [b, a];
  if (long.length - short.length > 1) return false;
  let i = 0;
  while (i < short.length && short.charCodeAt(i) === long.charCodeAt(i)) i += 1;
  let end = 0;
  while (end < short.length - i && short.charCodeAt(short.length - 1 - end) === long.charCodeAt(long.length - 1 - end))
    end += 1;
  const restShort = short.length - i - end;
  const restLong = long.length - i - end;
  if (restLong <= 1) return true;
  return (
    restShort === 2 &&
    restLong === 2 &&
    short.charCodeAt(i) === long.charCodeAt(i + 1) &&
    short.charCodeAt(i + 1) === long.charCodeAt(i)
  );
}
