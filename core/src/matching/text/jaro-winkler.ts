/** Which letters of the second text are taken already; grown when longer texts come. */
let taken = new Uint8Array(64);
let matchedLetters = new Uint16Array(64);

/**
 * Jaro's likeness of two texts, from 0 (nothing in common) to 1 (the same), in UTF-16 units.
 * Half the letters out of order, rounded down, are transpositions. Jaro, M. A.: Advances in
 * record-linkage methodology as applied to matching the 1985 census of Tampa, Florida, 1989.
 */
export function jaro(a: string, b: string): number {
  if (a === b) return 1;
  const lengthA = a.length;
  const lengthB = b.length;
  if (lengthA === 0 || lengthB === 0) return 0;
  if (taken.length < lengthB) taken = new Uint8Array(lengthB * 2);
  if (matchedLetters.length < lengthA) matchedLetters = new Uint16Array(lengthA * 2);
  taken.fill(0, 0, lengthB);
  const reach = Math.max(0, (Math.max(lengthA, lengthB) >> 1) - 1);
  let matches = 0;
  for (let i = 0; i < lengthA; i++) {
    const letter = a.charCodeAt(i);
    const end = Math.min(lengthB, i + reach + 1);
    for (let j = i > reach ? i - reach : 0; j < end; j++) {
      if (taken[j] !== 0 || b.charCodeAt(j) !== letter) continue;
      taken[j] = 1;
      matchedLetters[matches++] = letter;
      break;
    }
  }
  if (matches === 0) return 0;
  let outOfOrder = 0;
  for (let j = 0, k = 0; k < matches; j++) {
    if (taken[j] === 0) continue;
    if (b.charCodeAt(j) !== matchedLetters[k]) outOfOrder += 1;
    k += 1;
  }
  const transpositions = outOfOrder >> 1;
  return (matches / lengthA + matches / lengthB + (matches - transpositions) / matches) / 3;
}

/**
 * Jaro's likeness raised for a common beginning of up to four letters, a tenth each, where it is
 * above 0.7 already. Winkler, W. E.: String comparator metrics and enhanced decision rules in the
 * Fellegi–Sunter model of record linkage, 1990.
 */
export function jaroWinkler(a: string, b: string): number {
  const likeness = jaro(a, b);
  if (likeness <= 0.7) return likeness;
  const longest = Math.min(4, a.length, b.length);
  let prefix = 0;
  while (prefix < longest && a.charCodeAt(prefix) === b.charCodeAt(prefix)) prefix += 1;
  return likeness + prefix * 0.1 * (1 - likeness);
}

/**
 * Whether two words are at least as alike as `line` by Jaro–Winkler and begin with the same letter.
 * Words that begin differently are told apart without comparing on: of those that people mean as
 * one, a single slip explains nearly all (see `isOneSlip`).
 */
export function areAlike(a: string, b: string, line: number): boolean {
  if (a.charCodeAt(0) !== b.charCodeAt(0)) return false;
  const [short, long] = a.length <= b.length ? [a.length, b.length] : [b.length, a.length];
  // With every letter of the shorter one matched and four letters of beginning, at the very best:
  const best = (2 + short / long) / 3;
  return best + 0.4 * (1 - best) >= line && jaroWinkler(a, b) >= line;
}
