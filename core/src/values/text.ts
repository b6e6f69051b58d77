import { toText, type Value } from './value.ts';

/**
 * Text folded for comparisons that ignore case: compatibility forms joined (NFKC, UAX 15) and
 * cases folded. Upper then lower case is full case folding for all letters people write with:
 * "ß" meets "SS", final sigma meets sigma. Accents stay.
 */
export function foldCase(text: string): string {
  return text.normalize('NFKC').toUpperCase().toLowerCase();
}

/** Runs of any white space made one space, none at the ends. */
export function squeezeSpaces(text: string): string {
  return text.replace(/[\s\u00a0]+/gu, ' ').trim();
}

/** Each word's first letter in upper case and the rest in lower: "ANNA-MARIE O'NEILL" → "Anna-Marie O'Neill". */
export function titleCase(text: string): string {
  return text.toLowerCase().replace(/\p{L}[\p{L}\p{M}'’]*/gu, (word) => {
    // One letter before an apostrophe is a particle of the name, not a word: O'Neill, but Bride's.
    const particle = /^\p{L}['’](?=\p{L}{2})/u.exec(word)?.[0] ?? '';
    const rest = word.slice(particle.length);
    return particle.toUpperCase() + rest.charAt(0).toUpperCase() + rest.slice(1);
  });
}

/** Length as people count it: in letters (grapheme clusters are what a limit rarely means; code points are). */
export function textLength(text: string): number {
  return [...text].length;
}

/** The text by which keys are compared: outer white space and case don't make two keys. */
export function keyText(value: Value | undefined): string {
  return foldCase(toText(value).trim());
}
