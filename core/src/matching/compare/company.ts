import { type Aspect, type Comparison, levelsOf } from '../levels.ts';
import { companyName } from '../normalise/company.ts';
import { isOneSlip } from '../text/edit-distance.ts';
import { areAlike } from '../text/jaro-winkler.ts';
import { soundOf } from '../text/phonetic.ts';
import { type Column, hashText, type KeyParts, type Verdicts } from './column.ts';
import { Dictionary, GrowingInts, PairMemory } from './dictionary.ts';

const levels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.5, byChance: 0.00005, isByRarity: true },
  { name: 'same but for slips', bearing: 'agrees', expected: 0.15, byChance: 0.00005, isByRarity: true },
  { name: 'one is the other’s short name', bearing: 'agrees', expected: 0.14, byChance: 0.0003, isByRarity: true },
  { name: 'alike', bearing: 'alike', expected: 0.08, byChance: 0.002, isByRarity: true },
  { name: 'some words in common', bearing: 'alike', expected: 0.05, byChance: 0.01, isByRarity: true },
  { name: 'differs', bearing: 'differs', expected: 0.08, byChance: 0.98 },
);

const [same, slips, short, alike, some, differs] = [2, 3, 4, 5, 6, 7] as const;

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
  /** Each different name without its spaces. */
  private readonly joined: string[] = [];
  private readonly wordMemory = new PairMemory();
  private readonly cells = new GrowingInts();
  private readonly memory = new PairMemory();
  private readonly compareFirms: (a: number, b: number) => number;

  constructor(
    private readonly field: number,
    label: string,
    aspect: Aspect,
  ) {
    this.comparisons = [{ key: `company:${field}`, label, fields: [field], aspect, levels }];
    this.compareFirms = (a, b) => this.firmsAlike(a, b);
  }

  add(record: readonly string[]): void {
    const { words } = companyName(record[this.field] as string);
    const number = this.firms.add(words.join(' '));
    this.cells.push(number);
    if (number < 0) return;
    const numbers = words.map((word) => this.vocabulary.add(word));
    if (number < this.wordsOf.length) return;
    this.wordsOf.push(numbers);
    this.joined.push(words.join(''));
  }

  forget(record: number): void {
    const firm = this.cells.at(record);
    this.firms.remove(firm);
    if (firm >= 0) for (const word of this.wordsOf[firm] as number[]) this.vocabulary.remove(word);
  }

  /** What a word says, in nats: the rarer the more (inverse document frequency). */
  private weight(word: number): number {
    return Math.log((this.cells.length + 1) / Math.max(1, this.vocabulary.count(word))) + 0.1;
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
    if (level === same) verdicts.shares[at] = Math.max(this.firms.share(firmA), this.firms.share(firmB));
    else if (level !== differs) verdicts.shares[at] = this.rarestShared(firmA, firmB);
  }

  private rarestShared(a: number, b: number): number {
    let least = 1;
    const wordsB = this.wordsOf[b] as number[];
    for (const word of this.wordsOf[a] as number[])
      if (wordsB.includes(word)) least = Math.min(least, this.vocabulary.count(word) / this.cells.length);
    return least;
  }

  parts(record: number, parts: KeyParts): void {
    const firm = this.cells.at(record);
    if (firm < 0) return;
    const words = [...(this.wordsOf[firm] as number[])].sort((a, b) => this.weight(b) - this.weight(a));
    for (const word of words.slice(0, 3)) parts.firm.push(hashText(soundOf(this.vocabulary.text(word))));
    parts.firm.push(hashText((this.joined[firm] as string).slice(0, 7)));
  }
}
