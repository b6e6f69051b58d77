/** Whole numbers in a row that grows; far smaller than an array of numbers. */
export class GrowingInts {
  private values = new Int32Array(1024);
  length = 0;

  push(value: number): void {
    if (this.length === this.values.length) {
      const grown = new Int32Array(this.values.length * 2);
      grown.set(this.values);
      this.values = grown;
    }
    this.values[this.length++] = value;
  }

  at(index: number): number {
    return this.values[index] as number;
  }

  set(index: number, value: number): void {
    this.values[index] = value;
  }
}

/** Each different text once, as a number, with how often it was added. -1 stands for nothing. */
export class Dictionary {
  private numbers: Map<string, number> | undefined = new Map();
  readonly texts: string[] = [];
  private readonly counts = new GrowingInts();
  total = 0;

  /** The text's number, counted once more; -1 for ''. */
  add(text: string): number {
    if (text === '') return -1;
    if (!this.numbers) throw new Error('No more records can be added.');
    this.total += 1;
    const known = this.numbers.get(text);
    if (known !== undefined) {
      this.counts.set(known, this.counts.at(known) + 1);
      return known;
    }
    const number = this.texts.length;
    this.numbers.set(text, number);
    this.texts.push(text);
    this.counts.push(1);
    return number;
  }

  /** No more texts come: by what number each is known takes as much room as the texts themselves. */
  complete(): void {
    this.numbers = undefined;
  }

  /** One record fewer has it. */
  remove(number: number): void {
    if (number < 0) return;
    this.total -= 1;
    this.counts.set(number, this.counts.at(number) - 1);
  }

  /** Those of a row of cells, from `from` on. */
  removeAll(cells: GrowingInts, from: number, count = 1): void {
    for (let at = from; at < from + count; at++) this.remove(cells.at(at));
  }

  text(number: number): string {
    return this.texts[number] as string;
  }

  count(number: number): number {
    return this.counts.at(number);
  }

  /** The share of all values that are this one. */
  share(number: number): number {
    return this.counts.at(number) / this.total;
  }

  get size(): number {
    return this.texts.length;
  }
}

/** Pairs of numbers of two dictionaries, each pair once, with how often it was added: no text is held for it. */
export class PairDictionary {
  private numbers: Map<number, number> | undefined = new Map();
  private readonly counts = new GrowingInts();
  private total = 0;

  /** The pair's number, counted once more; both have to be below 2 to the power of 26. */
  add(one: number, other: number): number {
    if (!this.numbers) throw new Error('No more records can be added.');
    const key = one * 2 ** 26 + other;
    const number = this.numbers.get(key) ?? this.counts.length;
    if (number === this.counts.length) {
      this.numbers.set(key, number);
      this.counts.push(0);
    }
    this.total += 1;
    this.counts.set(number, this.counts.at(number) + 1);
    return number;
  }

  /** No more pairs come. */
  complete(): void {
    this.numbers = undefined;
  }

  /** One record fewer has it. */
  remove(number: number): void {
    if (number < 0) return;
    this.total -= 1;
    this.counts.set(number, this.counts.at(number) - 1);
  }

  /** The share of all that are this one. */
  share(number: number): number {
    return this.counts.at(number) / this.total;
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
