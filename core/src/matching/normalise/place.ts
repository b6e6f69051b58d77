import { foldUmlauts, words } from '../text/fold.ts';

/** A street line taken apart for comparing. */
export interface StreetLine {
  /** The street's name without what it is (road, street, via …), joined: "saintjohns" */
  readonly name: string;
  /** The house number, lower case: "42c"; '' without one. */
  readonly number: string;
  /** Suite, flat or unit; '' without one. */
  readonly unit: string;
}

/** How words of addresses are cut short (common practice; by language: English, German, French, Italian, Dutch, Spanish). */
const longForms: Readonly<Record<string, string>> = {
  st: 'saint',
  ste: 'sainte',
  mt: 'mount',
  ft: 'fort',
  n: 'north',
  s: 'south',
  e: 'east',
  w: 'west',
  ne: 'northeast',
  nw: 'northwest',
  se: 'southeast',
  sw: 'southwest',
  gen: 'general',
  dr: 'doctor',
  burg: 'burgemeester',
  prof: 'professor',
};

/** What kind of street it is; written in too many ways to tell two streets apart. */
const kindsOfStreet = new Set(
  `street str st strasse road rd avenue ave av boulevard blvd bvd bd lane ln drive dr court ct place pl square sq terrace
   terr ter close cl crescent cres gardens gdns garden grove gr way highway hwy parkway pkwy park row walk mews hill
   yard circle cir trail trl plaza
   platz pl weg allee gasse damm ufer ring
   rue r impasse imp chemin ch allee quai route rte cours place
   via v viale vle v.le piazza pza p.za corso cso c.so largo lgo l.go vicolo strada piazzale ple
   straat laan plein kade gracht weg singel
   calle c avenida avda paseo po carrer plaza`
    .split(/\s+/)
    .filter((one) => one !== '')
    .map(foldUmlauts),
);

const joining = new Set('de la le les des du del della dei delle di da der den the and l d of'.split(' '));

/** Endings that German and Dutch write in one word with the name. */
const endings = /(?:strasse|strase|str|straat|laan|platz|pl|weg|allee|gasse|plein)$/;

const unitPart =
  /\b(?:unit|suite|ste|apt|apartment|flat|room|rm|floor|fl|bldg|building|no|nr|#)\.?\s*([\p{L}\p{N}-]{1,6})\b,?/giu;

/** A street with its number from one line; either may be missing. */
export function streetLine(text: string): StreetLine {
  let unit = '';
  const folded = foldUmlauts(text).replace(/['’`]/g, '');
  const line = folded.replace(unitPart, (whole, found: string) => {
    // "No. 12" is the house's number, and a unit has a digit or is a letter.
    if (/^n[or]/.test(whole)) return ` ${found} `;
    if (!/\d/.test(found) && found.length > 1) return whole;
    unit = found;
    return ' ';
  });
  const all = line.match(/[\p{L}\p{M}\p{N}]+/gu) ?? [];
  const isNumber = (word: string): boolean => /^\d+\p{L}?$/u.test(word);
  const number = all.find(isNumber) ?? '';
  const named = all.filter(
    (word) => word !== number && !joining.has(word) && (word in longForms || !/^\p{L}$/u.test(word)),
  );
  // The first word is not its kind in "St John's", the last is in "High St".
  const bare = named.filter(
    (word, index) => !kindsOfStreet.has(word) || (index === 0 && named.length > 1 && word === 'st'),
  );
  const kept = (bare.length > 0 ? bare : named).map((word) => {
    const long = longForms[word] ?? word;
    const stem = long.replace(endings, '');
    return stem.length >= 3 ? stem : long;
  });
  return { name: kept.join(''), number, unit };
}

/** A postcode without spaces, country prefix and the digits after a US code: "IT-42190" → 42190, "EC1A 7HP" → ec1a7hp. */
export function postcode(text: string): string {
  const folded = foldUmlauts(text).trim();
  const us = /^(\d{5})[-\s]\d{4}$/.exec(folded);
  if (us) return us[1] as string;
  return folded.replace(/^[a-z]{1,3}[-\s](?=\d)/, '').replace(/[^\p{L}\p{N}]/gu, '');
}

/** Towns are one when their words are, with saints and mounts written out: "St. Albans", "Mt Vernon". */
export function town(text: string): string {
  return words(foldUmlauts(text).replace(/['’`]/g, ''))
    .map((word) => longForms[word] ?? word)
    .filter((word) => !joining.has(word))
    .join('');
}
