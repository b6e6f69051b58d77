import { fold, words } from '../matching/text/fold.ts';
import { readPhone } from '../values/phone.ts';
import { isRecord, type JsonRecord, toText, type Value } from '../values/value.ts';

/** Runs of scripts that are written without spaces: found by pairs of signs (common practice in indexing). */
const unspaced = /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Hangul}]+/gu;
/** Digits with what people write between them in numbers to call, dates and codes. */
const numberLike = /\+?\d[\d\s()./-]{2,}\d/g;
/** A number is found by any part of it that has so many digits. */
const shortestPart = 3;
const longestNumber = 24;
/** Of one value and of one record no more is looked at: nobody types the thousandth word of a letter. */
const mostOfValue = 2000;
const mostWords = 400;

/** Pairs of neighbouring signs; a lone sign is itself. */
function pairs(run: string): string[] {
  const signs = [...run];
  if (signs.length === 1) return signs;
  return signs.slice(1).map((sign, at) => `${signs[at]}${sign}`);
}

/** All ends of a number, so that a search for the beginning of one of them finds any part of it. */
const ends = (digits: string): string[] =>
  Array.from({ length: Math.max(0, digits.length - shortestPart + 1) }, (_, at) => digits.slice(at));

/** The numbers in a text as digits: as they stand, and as they are called from abroad. */
function numbersIn(text: string, country: string): string[] {
  return (text.match(numberLike) ?? []).flatMap((one) => {
    const digits = one.replace(/\D/g, '');
    if (digits.length < shortestPart || digits.length > longestNumber) return [];
    const called = digits.length >= 7 ? readPhone(one, country)?.slice(1) : undefined;
    return called === undefined || called === digits ? [digits] : [digits, called];
  });
}

function* textsOf(value: Value): Generator<string> {
  if (Array.isArray(value)) for (const one of value) yield* textsOf(one);
  else if (isRecord(value)) for (const one of Object.values(value)) yield* textsOf(one);
  else if (typeof value !== 'boolean' && value !== null) yield toText(value).slice(0, mostOfValue);
}

/**
 * The words by which records are found: folded words, pairs of signs where a script has no spaces, and all ends of
 * numbers. Each once, in no order; letters and digits only.
 *
 * @param country - ISO 3166-1 alpha-2, by which telephone numbers are read
 */
export function indexWords(records: readonly JsonRecord[], names: readonly string[], country: string): string[] {
  const found = new Set<string>();
  const texts = [...names, ...records.flatMap((record) => [...textsOf(record)])];
  for (const text of texts) {
    if (found.size > mostWords) break;
    const folded = fold(text);
    for (const run of folded.match(unspaced) ?? []) for (const pair of pairs(run)) found.add(pair);
    for (const word of words(folded.replace(unspaced, ' '))) found.add(word);
    for (const digits of numbersIn(text, country)) for (const end of ends(digits)) found.add(end);
  }
  return [...found];
}

/** A word that a record must have, or begin with. */
export interface SearchWord {
  readonly text: string;
  readonly isWhole: boolean;
}

/**
 * The words of what somebody searches for: a record is found that has all of them. What is typed may be the beginning
 * of a word, and any part of a number. Empty where nothing can be searched for.
 */
export function searchWords(text: string, country: string): SearchWord[] {
  const typed = text.trim().slice(0, 200);
  // A number to call, or a part of one, with its spaces and signs: one number, not several.
  if (/^\+?[\d\s()./-]+$/.test(typed)) {
    const digits = typed.replace(/\D/g, '');
    if (digits.length < shortestPart) return digits === '' ? [] : [{ text: digits, isWhole: true }];
    const called = /^(\+|00)/.test(typed) ? readPhone(typed, country)?.slice(1) : undefined;
    return [{ text: called ?? digits, isWhole: false }];
  }
  const folded = fold(typed);
  const found = new Map<string, boolean>();
  for (const run of folded.match(unspaced) ?? []) for (const pair of pairs(run)) found.set(pair, pair.length > 1);
  for (const word of words(folded.replace(unspaced, ' '))) found.set(word, false);
  return [...found].map(([word, isWhole]) => ({ text: word, isWhole }));
}
