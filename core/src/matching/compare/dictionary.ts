import { GrowingInts } from './growing.ts';

/** Each different key once, as a number, with how often it was added. -1 stands for nothing. */
class Numbering<Key> {
  private numbers: Map<Key, number> | undefined = new Map();
  private readonly counts = new GrowingInts();
  total = 0;

  /** The key's number, counted once more. */
  protected number(key: Key): number {
    if (!this.numbers) throw new Error('No more records can be added.');
    const number = this.numbers.get(key) ?? this.counts.length;
    if (number === this.counts.length) {
      this.numbers.set(key, number);
      this.counts.push(0);
    }
    this.total += 1;
    this.counts.set(number, this.counts.at(number) + 1);
    return number;
  }

  /** No more keys come: by what number each is known takes as much room as the keys themselves. */
  complete(): void {
    this.numbers = undefined;
  }

  /** One record fewer has it. */
  remove(number: number): void {
    if (number < 0) return;
    this.total -= 1;
    this.counts.set(number, this.counts.at(number) - 1);
  }

  count(number: number): number {
    return this.counts.at(number);
  }

  /** The share of all that are this one. */
  share(number: number): number {
    return this.counts.at(number) / this.total;
  }
}

/** Each different text once, as a number. */
export class Dictionary extends Numbering<string> {
  readonly texts: string[] = [];

  /** The text's number, counted once more; -1 for ''. */
  add(text: string): number {
    if (text === '') return -1;
    const number = this.number(text);
    if (number === this.texts.length) this.texts.push(text);
    return number;
  }

  /** Those of a row of cells, from `from` on. */
  removeAll(cells: GrowingInts, from: number, count = 1): void {
    for (let at = from; at < from + count; at++) this.remove(cells.at(at));
  }

  text(number: number): string {
    return this.texts[number] as string;
  }

  get size(): number {
    return this.texts.length;
  }
}

/** Pairs of numbers of two dictionaries, each pair once: no text is held for it. */
export class PairDictionary extends Numbering<number> {
  /** The pair's number, counted once more; both have to be below 2 to the power of 26. */
  add(one: number, other: number): number {
    return this.number(one * 2 ** 26 + other);
  }
}

/**
 * Remembers answers for pairs of numbers in a table of fixed size: a newer pair takes an older
 * one's seat. Answers are whole numbers from 0.
 */
export class PairMemory {
  private readonly low: Int32Array;
  private readonly high: Int32Array;
  private readonly answers: Int16Array;
  private readonly mask: number;

  constructor(bits = 16) {
    const size = 1 << bits;
    this.low = new Int32Array(size).fill(-1);
    this.high = new Int32Array(size);
    this.answers = new Int16Array(size);
    this.mask = size - 1;
  }

  get(a: number, b: number, work: (a: number, b: number) => number): number {
    const low = a < b ? a : b;
    const high = a < b ? b : a;
    const seat = (Math.imul(low, 0x9e3779b1) ^ Math.imul(high, 0x85ebca6b) ^ (high >>> 7)) & this.mask;
    if (this.low[seat] === low && this.high[seat] === high) return this.answers[seat] as number;
    const answer = work(low, high);
    this.low[seat] = low;
    this.high[seat] = high;
    this.answers[seat] = answer;
    return answer;
  }
}
