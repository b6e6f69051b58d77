import { foldUmlauts, words } from '../text/fold.ts';
import { nicknames } from './nicknames.ts';

/** A person's name taken apart for comparing; every part is folded. */
export interface PersonName {
  readonly given: readonly string[];
  readonly family: readonly string[];
}

/** What stands around names and isn't one (common practice). */
const titles = new Set('mr mrs ms miss mx dr prof herr frau dott ing dipl sir jr sr ii iii phd mba'.split(' '));

/** Words that belong to the family name that follows them. */
const particles = new Set(
  'van von der den de di da del della dalla dos das du la le ter ten zu zum zur af av al el bin ibn mac mc st'
    .split(' ')
    .map(foldUmlauts),
);

function nameWords(text: string): string[] {
  const all = words(foldUmlauts(text).replace(/(\p{L})['’`](\p{L})/gu, '$1$2'));
  const named = all.filter((word) => !titles.has(word));
  return named.length > 0 ? named : all;
}

/** Family names lose their particles, unless nothing else is left: "van der Wal" meets "Vanderwal" and "Wal". */
function familyWords(all: readonly string[]): readonly string[] {
  const bare = all.filter((word) => !particles.has(word));
  return bare.length > 0 ? bare : all;
}

/** A whole name in one field: "Wal, Anna van der" by its comma, else the last word and its particles are the family. */
export function fullName(text: string): PersonName {
  const comma = text.indexOf(',');
  if (comma > 0 && comma < text.length - 1) {
    const before = nameWords(text.slice(0, comma));
    const after = nameWords(text.slice(comma + 1));
    if (before.length > 0 && after.length > 0)
      return { given: after.filter((word) => !particles.has(word)), family: familyWords(before) };
  }
  const all = nameWords(text);
  if (all.length < 2) return { given: [], family: all };
  let start = all.length - 1;
  while (start > 1 && particles.has(all[start - 1] as string)) start -= 1;
  return { given: all.slice(0, start), family: familyWords(all.slice(start)) };
}

/**
 * A name from its two fields. A whole name that was put into one of them is taken apart; which of
 * the two is the family is not certain then, comparing tries both orders.
 */
export function personName(given: string, family: string): PersonName {
  const hasGiven = given.trim() !== '';
  const hasFamily = family.trim() !== '';
  if (!hasGiven && hasFamily) {
    const whole = fullName(family);
    // "van der Wal" alone is a family name, not a first name and a last.
    return /^\p{Lu}?\p{Ll}/u.test(family) && whole.given.every((word) => particles.has(word))
      ? { given: [], family: familyWords(nameWords(family)) }
      : whole;
  }
  if (hasGiven && !hasFamily)
    return nameWords(given).length > 1 ? fullName(given) : { given: nameWords(given), family: [] };
  return { given: nameWords(given), family: familyWords(nameWords(family)) };
}

let groupOf: Map<string, ReadonlySet<number>> | undefined;

function nicknameGroups(): Map<string, ReadonlySet<number>> {
  if (groupOf) return groupOf;
  const groups = new Map<string, Set<number>>();
  for (const [index, line] of nicknames.entries())
    for (const name of line) {
      const own = groups.get(foldUmlauts(name)) ?? new Set<number>();
      groups.set(foldUmlauts(name), own.add(index));
    }
  groupOf = groups;
  return groups;
}

/** The names that a folded given name may be a form of, as numbers; undefined for a name not known to have any. */
export function formsOf(name: string): ReadonlySet<number> | undefined {
  return nicknameGroups().get(name);
}

/** Whether two given names may be forms of one: "Bill" and "William", "Corrie" and "Cornelia". */
export function haveCommonForm(a: ReadonlySet<number> | undefined, b: ReadonlySet<number> | undefined): boolean {
  if (!a || !b) return false;
  for (const form of a) if (b.has(form)) return true;
  return false;
}
