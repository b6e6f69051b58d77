import type { Storable } from '../storable.ts';
import { GrowingInts } from './growing.ts';

/** A dictionary put aside: its keys in the order of their numbers. */
export interface StoredNumbering<Keys> {
  readonly keys: Keys;
  readonly counts: Int32Array;
  readonly total: number;
  readonly without: number;
}

/** Each different key once, as a number, with how often it was added. -1 stands for nothing. */
class Numbering<Key> {
  private numbers: Map<Key, number> | undefined = new Map();
  private readonly counts = new GrowingInts();
  total = 0;
  /** How many records were added that have nothing, where each record is added by one call. */
  protected without = 0;

  /** How many records were added, with or without something. */
  get records(): number {
    return this.total + this.without;
  }

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
    if (number < 0) {
      this.without -= 1;
      return;
    }
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

  /** The number of a key that was added before; undefined for another. */
  numberOf(key: Key): number | undefined {
    return this.numbers?.get(key);
  }

  protected storedAs<Keys>(keys: (all: Iterable<Key>) => Keys): StoredNumbering<Keys> {
    if (!this.numbers) throw new Error('Which key has which number is no longer known.');
    const { total, without } = this;
    return { keys: keys(this.numbers.keys()), counts: this.counts.stored(), total, without };
  }

  protected restoreFrom(stored: StoredNumbering<Iterable<Key>>): void {
    const numbers = new Map<Key, number>();
    for (const key of stored.keys) numbers.set(key, numbers.size);
    this.numbers = numbers;
    this.counts.restore(stored.counts);
    this.total = stored.total;
    this.without = stored.without;
  }
}

/** Each different text once, as a number. */
export class Dictionary extends Numbering<string> implements Storable<StoredNumbering<readonly string[]>> {
  texts: string[] = [];

  /** The text's number, counted once more; -1 for ''. */
  add(text: string): number {
    if (text === '') {
      this.without += 1;
      return -1;
    }
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

  stored(): StoredNumbering<readonly string[]> {
    return this.storedAs((keys) => [...keys]);
  }

  restore(stored: StoredNumbering<readonly string[]>): void {
    this.restoreFrom(stored);
    this.texts = [...stored.keys];
  }
}

/** Pairs of numbers of two dictionaries, each pair once: no text is held for it. */
export class PairDictionary extends Numbering<number> implements Storable<StoredNumbering<Float64Array>> {
  /** The pair's number, counted once more; both have to be below 2 to the power of 26. */
  add(one: number, other: number): number {
    return this.number(one * 2 ** 26 + other);
  }

  stored(): StoredNumbering<Float64Array> {
    return this.storedAs((keys) => Float64Array.from(keys));
  }

  restore(stored: StoredNumbering<Float64Array>): void {
    this.restoreFrom(stored);
  }
}

/** How often each number occurs. */
export class Tally implements Storable<ReadonlyMap<number, number>> {
  private counts = new Map<number, number>();

  add(value: number, by: 1 | -1): void {
    this.counts.set(value, (this.counts.get(value) ?? 0) + by);
  }

  /** How often two drawn at random are the same, 0 to 1; 1 where there are none. */
  chanceOfSame(): number {
    let total = 0;
    let squares = 0;
    for (const count of this.counts.values()) {
      total += count;
      squares += count * count;
    }
    return total === 0 ? 1 : squares / (total * total);
  }

  stored(): ReadonlyMap<number, number> {
    return new Map(this.counts);
  }

  restore(stored: ReadonlyMap<number, number>): void {
    this.counts = new Map(stored);
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
