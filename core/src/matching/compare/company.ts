import { type Aspect, type Bearing, type Comparison, type Level, levelsOf } from '../levels.ts';
import { companyName } from '../normalise/company.ts';
import { usualFrequency } from '../normalise/trade-words.ts';
import { isOneSlip } from '../text/edit-distance.ts';
import { areAlike } from '../text/jaro-winkler.ts';
import { soundOf } from '../text/phonetic.ts';
import { type Column, hashText, type KeyParts, type Verdicts } from './column.ts';
import { Dictionary, PairMemory } from './dictionary.ts';
import { GrowingInts } from './growing.ts';

/**
 * A level whose share is the chance that a firm which has nothing to do with the other has the words
 * they share: as likely by chance as that, or by the given part of it.
 */
const level = (name: string, bearing: Bearing, expected: number, byChance: number, usualShare = byChance): Level => ({
  name,
  bearing,
  expected,
  byChance,
  usualShare,
  isByRarity: true,
});

const levels = levelsOf(
  level('same', 'agrees', 0.5, 0.00005),
  level('same but for slips', 'agrees', 0.15, 0.00005),
  level('one is the other’s short name', 'agrees', 0.14, 0.0003),
  level('alike', 'alike', 0.08, 0.006, 0.01),
  level('some words in common', 'alike', 0.05, 0.01),
  { name: 'differs', bearing: 'differs', expected: 0.08, byChance: 0.98 },
);

const [same, slips, short, alike, some, differs] = [2, 3, 4, 5, 6, 7] as const;

/** What is usual for a word weighs as much as so many firms. */
const trust = 50;

/** Two words of firms, 0 to 1. */
function wordLikeness(a: string, b: string): number {
  if (a === b) return 1;
  const shorter = Math.min(a.length, b.length);
  if (shorter >= 4 && isOneSlip(a, b)) return 0.9;
  if (shorter >= 4 && (a.startsWith(b) || b.startsWith(a))) return 0.8;
  return shorter >= 5 && areAlike(a, b, 0.92) ? 0.8 : 0;
}

/** Names of firms: words weighed by how rare they are, legal forms apart. */
export class CompanyColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly firms = new Dictionary();
  private readonly vocabulary = new Dictionary();
  /** Words of each different name. */
  private readonly wordsOf: number[][] = [];
  /** How many different names have each word: one firm that stands there often makes none of its words common. */
  private readonly namesWith: number[] = [];
  /** How many different names there are. */
  private names = 0;
  /** Each different name without its spaces. */
  private readonly joined: string[] = [];
  private readonly wordMemory = new PairMemory();
  private readonly cells = new GrowingInts();
  readonly held = [this.firms, this.vocabulary, this.cells];
  private readonly memory = new PairMemory();
  private readonly compareFirms: (a: number, b: number) => number;

  constructor(
    private readonly field: number,
    label: string,
    private readonly aspect: Aspect,
  ) {
    this.comparisons = [{ key: `company:${field}`, label, fields: [field], aspect, levels }];
    this.compareFirms = (a, b) => this.firmsAlike(a, b);
  }

  add(record: readonly string[]): void {
    const { words } = companyName(record[this.field] as string);
    const number = this.firms.add(words.join(' '));
    this.cells.push(number);
    if (number < 0) return;
    const isAgain = number < this.wordsOf.length;
    const numbers = words.map((word) => this.vocabulary.add(word));
    if (!isAgain) {
      this.wordsOf.push(numbers);
      this.joined.push(words.join(''));
    }
    if (this.firms.count(number) === 1) this.countName(number, 1);
  }

  /** A name that is there for the first time, or no more. */
  private countName(firm: number, by: 1 | -1): void {
    this.names += by;
    for (const word of new Set(this.wordsOf[firm])) this.namesWith[word] = (this.namesWith[word] ?? 0) + by;
  }

  forget(record: number): void {
    const firm = this.cells.at(record);
    this.firms.remove(firm);
    if (firm >= 0 && this.firms.count(firm) === 0) this.countName(firm, -1);
    if (firm >= 0) for (const word of this.wordsOf[firm] as number[]) this.vocabulary.remove(word);
  }

  restored(): void {
    this.names = 0;
    for (const row of [this.wordsOf, this.joined, this.namesWith]) row.length = 0;
    for (const [firm, text] of this.firms.texts.entries()) {
      const words = text.split(' ');
      this.wordsOf.push(words.map((word) => this.vocabulary.numberOf(word) as number));
      this.joined.push(words.join(''));
      if (this.firms.count(firm) > 0) this.countName(firm, 1);
    }
  }

  complete(): void {
    for (const one of [this.firms, this.vocabulary]) one.complete();
  }

  /** What a word says, in nats: the rarer the more (inverse document frequency). */
  private weight(word: number): number {
    return Math.log((this.firms.records + 1) / Math.max(1, this.vocabulary.count(word))) + 0.1;
  }

  private readonly compareWords = (a: number, b: number): number =>
    Math.round(wordLikeness(this.vocabulary.text(a), this.vocabulary.text(b)) * 100);

  private likeness(a: number, b: number): number {
    return a === b ? 1 : this.wordMemory.get(a, b, this.compareWords) / 100;
  }

  private weightOf(words: readonly number[]): number {
    let sum = 0;
    for (const word of words) sum += this.weight(word);
    return sum;
  }

  /** Pairs each word of one name with its best partner in the other: the weight they share, how many, how many with a slip. */
  private pairUp(
    wordsA: readonly number[],
    wordsB: readonly number[],
  ): { matched: number; found: number; slipped: number } {
    let matched = 0;
    let found = 0;
    let slipped = 0;
    let taken = 0;
    for (const word of wordsA) {
      let best = 0;
      let bestAt = -1;
      for (let at = 0; at < wordsB.length && at < 30; at++) {
        const likeness = (taken & (1 << at)) !== 0 ? 0 : this.likeness(word, wordsB[at] as number);
        if (likeness <= best) continue;
        best = likeness;
        bestAt = at;
      }
      if (bestAt < 0) continue;
      taken |= 1 << bestAt;
      found += 1;
      // A slip makes a rare word of a common one: the commoner tells what it says.
      matched += best * Math.min(this.weight(word), this.weight(wordsB[bestAt] as number));
      if (best < 1) slipped += 1;
    }
    return { matched, found, slipped };
  }

  private firmsAlike(a: number, b: number): number {
    const joinedA = this.joined[a] as string;
    const joinedB = this.joined[b] as string;
    if (joinedA === joinedB) return same;
    if (joinedA.length >= 5 && joinedB.length >= 5 && isOneSlip(joinedA, joinedB)) return slips;
    const wordsA = this.wordsOf[a] as number[];
    const wordsB = this.wordsOf[b] as number[];
    const { matched, found, slipped } = this.pairUp(wordsA, wordsB);
    if (found === wordsA.length && found === wordsB.length && slipped <= 2) return slips;
    const allA = this.weightOf(wordsA);
    const allB = this.weightOf(wordsB);
    const smaller = Math.min(allA, allB);
    if (matched >= 0.88 * smaller && smaller >= 2) return short;
    if (this.isInitialism(joinedA, wordsB) || this.isInitialism(joinedB, wordsA)) return alike;
    const share = matched / (allA + allB - matched);
    if (share >= 0.5) return alike;
    const isLong = joinedA.length >= 6 && joinedB.length >= 6;
    if (isLong && areAlike(joinedA, joinedB, 0.94)) return alike;
    return share >= 0.2 ? some : differs;
  }

  /** Whether the one word is made of the others' first letters: "aml" of American Microsystems Limited. */
  private isInitialism(word: string, of: readonly number[]): boolean {
    return (
      word.length >= 2 &&
      word.length <= 6 &&
      of.length >= 2 &&
      of.length <= word.length &&
      of.every((one, at) => this.vocabulary.text(one)[0] === word[at])
    );
  }

  compare(a: number, b: number, verdicts: Verdicts, at: number): void {
    const firmA = this.cells.at(a);
    const firmB = this.cells.at(b);
    verdicts.shares[at] = 1;
    if (firmA < 0 || firmB < 0) {
      verdicts.levels[at] = firmA < 0 && firmB < 0 ? 0 : 1;
      return;
    }
    const level = firmA === firmB ? same : this.memory.get(firmA, firmB, this.compareFirms);
    verdicts.levels[at] = level;
    if (level === same) verdicts.shares[at] = this.chanceOfName(firmA);
    else if (level !== differs) verdicts.shares[at] = this.chanceOfShared(firmA, firmB, level);
  }

  /**
   * The chance that another firm has this word, from the names of the table and from what is usual; the
   * names of the two that are compared, which have it both, don't count.
   */
  private chanceOf(word: number, own: number): number {
    const others = Math.max(0, (this.namesWith[word] ?? 0) - own);
    const usual = usualFrequency(this.vocabulary.text(word));
    return (others + trust * usual) / (Math.max(0, this.names - own) + trust);
  }

  /**
   * The chance that another has this very name, by its words; for people also as often as the table
   * shows it, since many may work for one firm.
   */
  private chanceOfName(firm: number): number {
    const byWords = (this.wordsOf[firm] as number[]).reduce((all, word) => all * this.chanceOf(word, 1), 1);
    if (this.aspect === 'who') return byWords;
    const others = Math.max(0, this.firms.count(firm) - 2);
    return Math.min(0.99, Math.max(byWords, others / Math.max(1, this.firms.records - 2)));
  }

  /** The chance that another firm has the words that these two share: all of them, or for a loose likeness the rarest. */
  private chanceOfShared(a: number, b: number, level: number): number {
    const wordsB = this.wordsOf[b] as number[];
    const shared = (this.wordsOf[a] as number[]).flatMap((word) =>
      wordsB.includes(word) ? [this.chanceOf(word, 2)] : [],
    );
    if (shared.length === 0) return 1;
    if (level >= alike) return Math.min(...shared);
    return shared.reduce((all, one) => all * one, 1);
  }

  parts(record: number, parts: KeyParts): void {
    const firm = this.cells.at(record);
    if (firm < 0) return;
    const words = [...(this.wordsOf[firm] as number[])].sort((a, b) => this.weight(b) - this.weight(a));
    for (const word of words.slice(0, 3)) parts.firm.push(hashText(soundOf(this.vocabulary.text(word))));
    parts.firm.push(hashText((this.joined[firm] as string).slice(0, 7)));
  }
}
