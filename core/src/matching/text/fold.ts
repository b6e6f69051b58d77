/** Letters that Unicode doesn't take apart into a base and a mark, as they are written without them. */
const plain: Readonly<Record<string, string>> = {
  ß: 'ss',
  æ: 'ae',
  œ: 'oe',
  ø: 'o',
  đ: 'd',
  ð: 'd',
  þ: 'th',
  ł: 'l',
  ı: 'i',
  ħ: 'h',
  ŋ: 'n',
};

const plainLetters = /[ßæœøđðþłıħŋ]/g;
const onlyAscii = /^[\x20-\x7e]*$/;

/**
 * Text as two people who mean the same would have to write it: compatibility forms joined (NFKC,
 * UAX 15), cases folded, diacritics off. Other scripts stay what they are.
 */
export function fold(text: string): string {
  if (onlyAscii.test(text)) return text.toLowerCase();
  return text
    .normalize('NFKC')
    .toUpperCase()
    .toLowerCase()
    .normalize('NFD')
    .replace(/\p{M}+/gu, '')
    .normalize('NFC')
    .replace(plainLetters, (letter) => plain[letter] ?? letter);
}

/**
 * Folded text in which the two ways to write an umlaut meet: "Müller", "Mueller" and "Muller" are
 * one ("ae", "oe" and "ue" lose their e). Only for comparing: it isn't shown.
 */
export function foldUmlauts(text: string): string {
  return fold(text).replace(/([aou])e/g, '$1');
}

/** The words of folded text: runs of letters and digits. Dots within an abbreviation are closed up: "S.p.A." → "spa". */
export function words(text: string): string[] {
  const closed = text.replace(/\p{L}(?:\.\p{L})+(?:\.|(?![\p{L}]))/gu, (one) => one.replaceAll('.', ''));
  return closed.match(/[\p{L}\p{M}\p{N}]+/gu) ?? [];
}
