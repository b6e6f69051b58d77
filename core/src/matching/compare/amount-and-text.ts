import { type Comparison, levelsOf } from '../levels.ts';
import { isOneSlip } from '../text/edit-distance.ts';
import { foldUmlauts, words } from '../text/fold.ts';
import { type Column, hashText, type KeyParts, type Verdicts } from './column.ts';
import { Dictionary } from './dictionary.ts';
import { GrowingInts } from './growing.ts';

const amountLevels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.8, byChance: 0.005, isByRarity: true },
  { name: 'within a hundredth', bearing: 'alike', expected: 0.06, byChance: 0.01 },
  { name: 'within a tenth', bearing: 'alike', expected: 0.04, byChance: 0.03 },
  { name: 'differs', bearing: 'differs', expected: 0.1, byChance: 0.95 },
);

/** Amounts, by how near they are to each other. */
export class AmountColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly amounts = new Dictionary();
  private readonly cells = new GrowingInts();
  readonly held = [this.amounts, this.cells];

  constructor(
    private readonly field: number,
    label: string,
    /** The number that a text says, or undefined. */
    private readonly read: (text: string) => number | undefined,
  ) {
    this.comparisons = [{ key: `amount:${field}`, label, fields: [field], aspect: 'who', levels: amountLevels }];
  }

  add(record: readonly string[]): void {
    const amount = this.read(record[this.field] as string);
    this.cells.push(amount === undefined ? -1 : this.amounts.add(String(amount)));
  }

  forget(record: number): void {
    this.amounts.remove(this.cells.at(record));
  }

  complete(): void {
    this.amounts.complete();
  }

  compare(a: number, b: number, { levels, shares }: Verdicts, at: number): void {
    const amountA = this.cells.at(a);
    const amountB = this.cells.at(b);
    shares[at] = 1;
    if (amountA < 0 || amountB < 0) levels[at] = amountA < 0 && amountB < 0 ? 0 : 1;
    else if (amountA === amountB) {
      levels[at] = 2;
      shares[at] = this.amounts.share(amountA);
    } else {
      const one = Number(this.amounts.text(amountA));
      const other = Number(this.amounts.text(amountB));
      const apart = Math.abs(one - other) / Math.max(Math.abs(one), Math.abs(other));
      levels[at] = apart <= 0.01 ? 3 : apart <= 0.1 ? 4 : 5;
    }
  }

  parts(): void {}
}

const textLevels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.3, byChance: 0.0002, isByRarity: true },
  { name: 'nearly all words in common', bearing: 'agrees', expected: 0.3, byChance: 0.0002 },
  { name: 'half the words in common', bearing: 'agrees', expected: 0.15, byChance: 0.002 },
  { name: 'some words in common', bearing: 'alike', expected: 0.1, byChance: 0.05 },
  { name: 'differs', bearing: 'differs', expected: 0.15, byChance: 0.95 },
);

/** Words of a text, with figures apart from letters: "21a" is 21 and a, as "21 a" is. */
function textWords(text: string): string[] {
  return words(foldUmlauts(text)).flatMap((word) => word.match(/\p{N}+|[^\p{N}]+/gu) ?? []);
}

/** A typing slip in a longer word, or the beginning of one. */
function isNearly(a: string, b: string): boolean {
  const shorter = Math.min(a.length, b.length);
  return shorter >= 3 && (a.startsWith(b) || b.startsWith(a) || (shorter >= 5 && isOneSlip(a, b)));
}

/** Free text, by the words two texts share, rare ones counting more. */
export class TextColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly texts = new Dictionary();
  private readonly vocabulary = new Dictionary();
  private readonly wordsOf: ReadonlySet<number>[] = [];
  private readonly cells = new GrowingInts();
  readonly held = [this.texts, this.vocabulary, this.cells];

  constructor(
    private readonly field: number,
    label: string,
    aspect: 'who' | 'where',
  ) {
    this.comparisons = [{ key: `text:${field}`, label, fields: [field], aspect, levels: textLevels }];
  }

  add(record: readonly string[]): void {
    const all = textWords(record[this.field] as string);
    const number = this.texts.add(all.join(' '));
    this.cells.push(number);
    if (number < 0) return;
    // Each word once, as it is forgotten once.
    const numbers = new Set([...new Set(all)].map((word) => this.vocabulary.add(word)));
    if (number === this.wordsOf.length) this.wordsOf.push(numbers);
  }

  forget(record: number): void {
    const text = this.cells.at(record);
    this.texts.remove(text);
    if (text >= 0) for (const word of this.wordsOf[text] as ReadonlySet<number>) this.vocabulary.remove(word);
  }

  restored(): void {
    this.wordsOf.length = 0;
    for (const text of this.texts.texts)
      this.wordsOf.push(new Set(text.split(' ').map((word) => this.vocabulary.numberOf(word) as number)));
  }

  complete(): void {
    for (const one of [this.texts, this.vocabulary]) one.complete();
  }

  compare(a: number, b: number, { levels, shares }: Verdicts, at: number): void {
    const textA = this.cells.at(a);
    const textB = this.cells.at(b);
    shares[at] = 1;
    if (textA < 0 || textB < 0) {
      levels[at] = textA < 0 && textB < 0 ? 0 : 1;
      return;
    }
    if (textA === textB) {
      levels[at] = 2;
      shares[at] = this.texts.share(textA);
      return;
    }
    const likeness = this.likeness(
      this.wordsOf[textA] as ReadonlySet<number>,
      this.wordsOf[textB] as ReadonlySet<number>,
    );
    levels[at] = likeness >= 0.7 ? 3 : likeness >= 0.4 ? 4 : likeness >= 0.15 ? 5 : 6;
  }

  private weight(word: number): number {
    return Math.log((this.texts.records + 1) / Math.max(1, this.vocabulary.count(word))) + 0.1;
  }

  /** The weight of the words that both have, of the weight of all; a word with a slip or cut short counts for most. */
  private likeness(one: ReadonlySet<number>, other: ReadonlySet<number>): number {
    let common = 0;
    let all = 0;
    const left = new Set(other);
    for (const word of one) {
      all += this.weight(word);
      let found = left.has(word) ? word : -1;
      let worth = 1;
      if (found < 0) {
        const text = this.vocabulary.text(word);
        for (const second of left) {
          if (!isNearly(text, this.vocabulary.text(second))) continue;
          found = second;
          worth = 0.8;
          break;
        }
      }
      if (found < 0) continue;
      left.delete(found);
      common += worth * Math.min(this.weight(word), this.weight(found));
    }
    for (const word of other) all += this.weight(word);
    return common / (all - common);
  }

  parts(record: number, parts: KeyParts): void {
    const text = this.cells.at(record);
    if (text < 0) return;
    const rarest = [...(this.wordsOf[text] as ReadonlySet<number>)]
      .sort((a, b) => this.vocabulary.count(a) - this.vocabulary.count(b))
      .slice(0, 3);
    for (const word of rarest) parts.text.push(hashText(this.vocabulary.text(word)));
  }
}
