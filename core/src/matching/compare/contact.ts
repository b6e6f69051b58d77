import { readCountry } from '../../values/countries.ts';
import { type Comparison, levelsOf } from '../levels.ts';
import { type EmailHabits, emailParts, localWords } from '../normalise/email.ts';
import { isSurelyTaxNumber, taxNumber } from '../normalise/tax-number.ts';
import { subscriberDigits } from '../normalise/telephone.ts';
import { isOneSlip } from '../text/edit-distance.ts';
import { fold } from '../text/fold.ts';
import { areAlike } from '../text/jaro-winkler.ts';
import { type Column, hashText, type KeyParts, type Verdicts } from './column.ts';
import { Dictionary, PairDictionary, PairMemory } from './dictionary.ts';
import { GrowingInts } from './growing.ts';

const localLevels = levelsOf(
  { name: 'same name before the @', bearing: 'agrees', expected: 0.6, byChance: 0.0001, isByRarity: true },
  { name: 'same words, written otherwise', bearing: 'agrees', expected: 0.06, byChance: 0.0001 },
  { name: 'an initial for a name', bearing: 'agrees', expected: 0.06, byChance: 0.0004 },
  { name: 'a part of it', bearing: 'alike', expected: 0.04, byChance: 0.001 },
  { name: 'one typing slip', bearing: 'agrees', expected: 0.1, byChance: 0.0002 },
  { name: 'a mailbox that several read', bearing: 'empty', expected: 0.07, byChance: 0.1 },
  { name: 'differs', bearing: 'differs', expected: 0.07, byChance: 0.9 },
);

const domainLevels = levelsOf(
  { name: 'same address', bearing: 'agrees', expected: 0.5, byChance: 0.00002, isByRarity: true },
  { name: 'same domain', bearing: 'agrees', expected: 0.2, byChance: 0.02, isByRarity: true },
  { name: 'domain with a slip', bearing: 'agrees', expected: 0.1, byChance: 0.0005, isByRarity: true },
  { name: 'other domain', bearing: 'differs', expected: 0.2, byChance: 0.98 },
);

/** Whether a longer word of one stands in the other: without that the two have nothing in common but letters. */
function haveCommonWord(a: LocalName, b: LocalName): boolean {
  return (
    a.words.some((word) => word.length >= 3 && b.joined.includes(word)) ||
    b.words.some((word) => word.length >= 3 && a.joined.includes(word))
  );
}

const figuresOf = (text: string): string => text.replace(/\D+/g, ' ');

/** A name before the @ taken apart. */
interface LocalName {
  readonly words: readonly string[];
  readonly joined: string;
  /** Its words in alphabetical order, joined. */
  readonly sorted: string;
}

function localName(local: string): LocalName {
  const words = localWords(local);
  return { words, joined: words.join(''), sorted: [...words].sort().join('') };
}

/**
 * How two names before the @ go together when they aren't the same: made of the same words, one
 * with an initial for a name of the other, or one a word of the other (families share that one).
 */
function writtenOtherwise(a: LocalName, b: LocalName): 'same words' | 'initial' | 'part' | undefined {
  if (a.joined === b.joined || a.sorted === b.sorted) return 'same words';
  if (!haveCommonWord(a, b)) return undefined;
  const wordsA = a.words;
  const wordsB = b.words;
  const [few, many] = wordsA.length <= wordsB.length ? [wordsA, wordsB] : [wordsB, wordsA];
  if (few.length > 1 || many.length < 2) {
    // "r.oldham" and "rebecca.oldham": two words on both sides, one of them cut to its initial.
    const [first, last] = few as [string, string];
    const isShort = (short: string | undefined, long: string | undefined): boolean =>
      short !== undefined && long !== undefined && short.length <= 2 && long.startsWith(short);
    if (few.length !== 2 || many.length !== 2) return oneWord(few[0] as string, many[0] as string);
    const fits = (
      x: string | undefined,
      y: string | undefined,
      z: string | undefined,
      w: string | undefined,
    ): boolean => x === y && (isShort(z, w) || isShort(w, z));
    if (fits(last, many[1], first, many[0]) || fits(first, many[1], last, many[0])) return 'initial';
    if (fits(last, many[0], first, many[1]) || fits(first, many[0], last, many[1])) return 'initial';
    return undefined;
  }
  const one = few.join('');
  const [given, family] = [many[0] as string, many.slice(1).join('')];
  if (one === given + family || one === family + given) return 'same words';
  if (one === (given[0] as string) + family || one === (family[0] as string) + given) return 'initial';
  if (one === family + (given[0] as string)) return 'initial';
  return many.includes(one) && one.length >= 3 ? 'part' : undefined;
}

/** "roldham" and "oldham", written in one word each. */
function oneWord(a: string, b: string): 'part' | undefined {
  const [short, long] = a.length <= b.length ? [a, b] : [b, a];
  return short.length >= 3 && (long.endsWith(short) || long.startsWith(short)) ? 'part' : undefined;
}

/** E-mail: what stands before the @ bears on who, what stands after it on where. */
export class EmailColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly locals = new Dictionary();
  private readonly domains = new Dictionary();
  private readonly whole = new PairDictionary();
  private readonly cells = new GrowingInts();
  /** 1 for each name before the @ that several people read. */
  private readonly shared = new GrowingInts();
  /** For each name before the @ the hashes that it is found by, two a name: of its letters, and of its sorted words where those differ. */
  private readonly localHashes = new GrowingInts();
  readonly held = [this.locals, this.domains, this.whole, this.cells, this.shared, this.localHashes];
  private readonly localMemory = new PairMemory(14);
  private readonly domainMemory = new PairMemory(14);

  constructor(
    private readonly field: number,
    label: string,
    private readonly habits: EmailHabits,
  ) {
    this.comparisons = [
      {
        key: `email_name:${field}`,
        label: `${label}, before the @`,
        fields: [field],
        aspect: 'who',
        levels: localLevels,
      },
      { key: `email:${field}`, label, fields: [field], aspect: 'where', levels: domainLevels },
    ];
  }

  add(record: readonly string[]): void {
    const address = emailParts(record[this.field] as string, this.habits);
    const local = address ? this.locals.add(address.local) : -1;
    const domain = address ? this.domains.add(address.domain) : -1;
    if (address && local === this.shared.length) this.addLocal(address.local, address.isShared);
    this.cells.push(local);
    this.cells.push(domain);
    this.cells.push(address ? this.whole.add(local, domain) : -1);
  }

  private addLocal(text: string, isShared: boolean): void {
    this.shared.push(isShared ? 1 : 0);
    const letters = text.replace(/[^\p{L}\p{N}]/gu, '');
    const isTelling = !isShared && letters.length >= 5;
    const { sorted } = localName(text);
    this.localHashes.push(isTelling ? hashText(letters) : 0);
    this.localHashes.push(isTelling && sorted !== letters ? hashText(sorted) : 0);
  }

  forget(record: number): void {
    this.locals.remove(this.cells.at(record * 3));
    this.domains.remove(this.cells.at(record * 3 + 1));
    this.whole.remove(this.cells.at(record * 3 + 2));
  }

  complete(): void {
    for (const one of [this.locals, this.domains, this.whole]) one.complete();
  }

  private readonly compareLocals = (a: number, b: number): number => {
    if (this.shared.at(a) === 1 || this.shared.at(b) === 1) return 7;
    const textA = this.locals.text(a);
    const textB = this.locals.text(b);
    if (Math.min(textA.length, textB.length) >= 4 && isOneSlip(textA, textB) && textA[0] === textB[0]) return 6;
    const otherwise = writtenOtherwise(localName(textA), localName(textB));
    if (otherwise) return otherwise === 'same words' ? 3 : otherwise === 'initial' ? 4 : 5;
    return Math.min(textA.length, textB.length) >= 5 && isOneSlip(textA, textB) ? 6 : 8;
  };

  private readonly compareDomains = (a: number, b: number): number => {
    const textA = this.domains.text(a);
    const textB = this.domains.text(b);
    // Another figure is another domain: ton1 and ton10 are no slip of each other.
    if (figuresOf(textA) !== figuresOf(textB)) return 5;
    return isOneSlip(textA, textB) || areAlike(textA, textB, 0.96) ? 4 : 5;
  };

  compare(a: number, b: number, { levels, shares }: Verdicts, at: number): void {
    const localA = this.cells.at(a * 3);
    const localB = this.cells.at(b * 3);
    shares[at] = 1;
    shares[at + 1] = 1;
    if (localA < 0 || localB < 0) {
      levels[at] = localA < 0 && localB < 0 ? 0 : 1;
      levels[at + 1] = levels[at] as number;
      return;
    }
    if (localA === localB && this.shared.at(localA) === 0) {
      levels[at] = 2;
      shares[at] = this.locals.share(localA);
    } else levels[at] = this.localMemory.get(localA, localB, this.compareLocals);
    const domainA = this.cells.at(a * 3 + 1);
    const domainB = this.cells.at(b * 3 + 1);
    if (this.cells.at(a * 3 + 2) === this.cells.at(b * 3 + 2)) {
      levels[at + 1] = 2;
      shares[at + 1] = this.whole.share(this.cells.at(a * 3 + 2));
    } else {
      levels[at + 1] = domainA === domainB ? 3 : this.domainMemory.get(domainA, domainB, this.compareDomains);
      // A slip is one of the same address; two names at two domains have nothing in common.
      if (levels[at + 1] === 4 && levels[at] === 8) levels[at + 1] = 5;
      if (levels[at + 1] !== 5) shares[at + 1] = Math.max(this.domains.share(domainA), this.domains.share(domainB));
    }
  }

  parts(record: number, parts: KeyParts): void {
    const local = this.cells.at(record * 3);
    if (local < 0) return;
    const domain = this.domains.text(this.cells.at(record * 3 + 1));
    parts.email.push(hashText(`${this.locals.text(local)}@${domain}`));
    parts.domain.push(hashText(domain));
    for (const hash of [this.localHashes.at(local * 2), this.localHashes.at(local * 2 + 1)])
      if (hash !== 0) parts.local.push(hash >>> 0);
  }
}

const phoneLevels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.62, byChance: 0.00005, isByRarity: true },
  { name: 'same but for the area', bearing: 'agrees', expected: 0.05, byChance: 0.00005 },
  { name: 'one typing slip', bearing: 'agrees', expected: 0.12, byChance: 0.0001 },
  { name: 'differs', bearing: 'differs', expected: 0.21, byChance: 0.9998 },
);

/** Telephones: a household's or a firm's as often as one's own. */
export class PhoneColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly numbers = new Dictionary();
  private readonly cells = new GrowingInts();
  readonly held = [this.numbers, this.cells];
  private readonly memory = new PairMemory(14);

  constructor(
    private readonly field: number,
    label: string,
    private readonly country: number | undefined,
  ) {
    this.comparisons = [{ key: `phone:${field}`, label, fields: [field], aspect: 'where', levels: phoneLevels }];
  }

  add(record: readonly string[]): void {
    const country = this.country === undefined ? undefined : readCountry(record[this.country] as string);
    this.cells.push(this.numbers.add(subscriberDigits(record[this.field] as string, country)));
  }

  forget(record: number): void {
    this.numbers.remove(this.cells.at(record));
  }

  complete(): void {
    this.numbers.complete();
  }

  private readonly compareNumbers = (a: number, b: number): number => {
    const textA = this.numbers.text(a);
    const textB = this.numbers.text(b);
    const [short, long] = textA.length <= textB.length ? [textA, textB] : [textB, textA];
    if (short.length >= 6 && long.endsWith(short)) return 3;
    return short.length >= 7 && isOneSlip(short, long) ? 4 : 5;
  };

  compare(a: number, b: number, { levels, shares }: Verdicts, at: number): void {
    const numberA = this.cells.at(a);
    const numberB = this.cells.at(b);
    shares[at] = 1;
    if (numberA < 0 || numberB < 0) levels[at] = numberA < 0 && numberB < 0 ? 0 : 1;
    else if (numberA === numberB) {
      levels[at] = 2;
      shares[at] = this.numbers.share(numberA);
    } else levels[at] = this.memory.get(numberA, numberB, this.compareNumbers);
  }

  parts(record: number, parts: KeyParts): void {
    const number = this.cells.at(record);
    if (number < 0) return;
    const digits = this.numbers.text(number);
    // Its end and its beginning: a slip spoils one of them only.
    parts.phone.push(hashText(`e${digits.slice(-6)}`), hashText(`b${digits.slice(0, 6)}`));
  }
}

const codeLevels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.85, byChance: 0.0002, isByRarity: true },
  { name: 'one typing slip', bearing: 'agrees', expected: 0.1, byChance: 0.0002, isByRarity: true },
  { name: 'differs', bearing: 'differs', expected: 0.05, byChance: 0.9996 },
);

/** Tax numbers, and codes of any other kind: the same, a slip apart, or another. */
export class CodeColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly codes = new Dictionary();
  private readonly cells = new GrowingInts();
  private readonly memory = new PairMemory(14);
  /** 1 where a record's tax number has the right check digit. */
  private readonly sure = new GrowingInts();
  readonly held = [this.codes, this.cells, this.sure];

  constructor(
    private readonly field: number,
    label: string,
    private readonly kind: 'tax_number' | 'code' | 'country',
    aspect: 'who' | 'where',
    private readonly country?: number,
  ) {
    this.comparisons = [{ key: `${kind}:${field}`, label, fields: [field], aspect, levels: codeLevels }];
  }

  add(record: readonly string[]): void {
    const text = record[this.field] as string;
    const code =
      this.kind === 'tax_number'
        ? taxNumber(text)
        : this.kind === 'country'
          ? (readCountry(text) ?? fold(text).trim())
          : fold(text).replace(/[^\p{L}\p{N}]/gu, '');
    this.cells.push(this.codes.add(code));
    if (this.kind !== 'tax_number') return;
    const country = this.country === undefined ? undefined : readCountry(record[this.country] as string);
    this.sure.push(isSurelyTaxNumber(code, country) ? 1 : 0);
  }

  /** Two tax numbers that were both given out, and not a slip apart, are of two firms. */
  conflicts(a: number, b: number): boolean {
    if (this.kind !== 'tax_number' || this.sure.at(a) === 0 || this.sure.at(b) === 0) return false;
    const [codeA, codeB] = [this.cells.at(a), this.cells.at(b)];
    return codeA !== codeB && this.memory.get(codeA, codeB, this.compareCodes) === 4;
  }

  forget(record: number): void {
    this.codes.remove(this.cells.at(record));
  }

  complete(): void {
    this.codes.complete();
  }

  private readonly compareCodes = (a: number, b: number): number => {
    const textA = this.codes.text(a);
    const textB = this.codes.text(b);
    return Math.min(textA.length, textB.length) >= 6 && isOneSlip(textA, textB) ? 3 : 4;
  };

  compare(a: number, b: number, { levels, shares }: Verdicts, at: number): void {
    const codeA = this.cells.at(a);
    const codeB = this.cells.at(b);
    shares[at] = 1;
    if (codeA < 0 || codeB < 0) levels[at] = codeA < 0 && codeB < 0 ? 0 : 1;
    else {
      levels[at] = codeA === codeB ? 2 : this.memory.get(codeA, codeB, this.compareCodes);
      if (levels[at] !== 4) shares[at] = Math.max(this.codes.share(codeA), this.codes.share(codeB));
    }
  }

  parts(record: number, parts: KeyParts): void {
    const code = this.cells.at(record);
    if (code < 0 || this.kind === 'country') return;
    (this.kind === 'tax_number' ? parts.tax : parts.code).push(hashText(this.codes.text(code)));
  }
}
