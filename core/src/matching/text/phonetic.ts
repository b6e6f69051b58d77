import { doubleMetaphone } from 'double-metaphone';

const soundexCodes: Readonly<Record<string, string>> = {
  b: '1',
  f: '1',
  p: '1',
  v: '1',
  c: '2',
  g: '2',
  j: '2',
  k: '2',
  q: '2',
  s: '2',
  x: '2',
  z: '2',
  d: '3',
  t: '3',
  l: '4',
  m: '5',
  n: '5',
  r: '6',
};

/**
 * American Soundex of folded text: a letter and three digits, or '' without a Latin letter. By the
 * rule of the US National Archives: H and W don't part letters of equal code, vowels do.
 */
export function soundex(text: string): string {
  const letters = text.toLowerCase().replace(/[^a-z]/g, '');
  const first = letters[0];
  if (first === undefined) return '';
  let code = first.toUpperCase();
  let last = soundexCodes[first] ?? '';
  for (const letter of letters.slice(1)) {
    const digit = soundexCodes[letter];
    if (digit !== undefined && digit !== last) code += digit;
    if (code.length === 4) break;
    if (letter !== 'h' && letter !== 'w') last = digit ?? '';
  }
  return code.padEnd(4, '0');
}

/**
 * How folded text sounds, by Double Metaphone (Philips, L.: The double metaphone search algorithm,
 * 2000), which knows how other languages than English are written. Text of other scripts, and text
 * that it finds no sound in, sounds as it is written.
 */
export function soundOf(text: string): string {
  const [sound] = doubleMetaphone(text);
  return sound === '' ? text : sound;
}
