import { GrowingFloats, GrowingInts } from './compare/growing.ts';

/** Two records and the probability that they are one. */
export interface WeighedPair {
  readonly a: number;
  readonly b: number;
  readonly probability: number;
}

/** Weighed pairs in columns of numbers: of a large table there are millions, and each as an object takes five times the room. */
export class WeighedPairs implements Iterable<WeighedPair> {
  constructor(
    readonly a: Int32Array,
    readonly b: Int32Array,
    readonly probability: Float64Array,
  ) {}

  static of(pairs: Iterable<WeighedPair>): WeighedPairs {
    const growing = new GrowingPairs();
    for (const { a, b, probability } of pairs) growing.push(a, b, probability);
    return growing.all();
  }

  get length(): number {
    return this.a.length;
  }

  at(index: number): WeighedPair {
    return {
      a: this.a[index] as number,
      b: this.b[index] as number,
      probability: this.probability[index] as number,
    };
  }

  *[Symbol.iterator](): Iterator<WeighedPair> {
    for (let index = 0; index < this.length; index++) yield this.at(index);
  }

  /** The same pairs with other probabilities, each from the former and the pair's number. */
  reweighed(probabilityOf: (probability: number, index: number) => number): WeighedPairs {
    return new WeighedPairs(this.a, this.b, this.probability.map(probabilityOf));
  }
}

/** Weighed pairs as they are found. */
export class GrowingPairs {
  private readonly a = new GrowingInts();
  private readonly b = new GrowingInts();
  private readonly probability = new GrowingFloats();

  push(a: number, b: number, probability: number): void {
    this.a.push(a);
    this.b.push(b);
    this.probability.push(probability);
  }

  all(): WeighedPairs {
    return new WeighedPairs(this.a.all(), this.b.all(), this.probability.all());
  }
}

/** The neighbours of each record among weighed pairs, in the order of the pairs. */
export class Neighbours {
  /** Where the neighbours of each record begin, and one more for the end. */
  private readonly starts: Int32Array;
  private readonly others: Int32Array;
  private readonly probabilities: Float64Array;

  /**
   * @param size - how many records there are
   * @param pairs - each once
   */
  constructor(size: number, { a, b, probability, length }: WeighedPairs) {
    const starts = new Int32Array(size + 1);
    for (let index = 0; index < length; index++)
      for (const record of [a[index] as number, b[index] as number])
        starts[record + 1] = (starts[record + 1] as number) + 1;
    for (let record = 0; record < size; record++)
      starts[record + 1] = (starts[record + 1] as number) + (starts[record] as number);
    const filled = starts.slice(0, size);
    this.others = new Int32Array(length * 2);
    this.probabilities = new Float64Array(length * 2);
    const note = (record: number, other: number, index: number): void => {
      const seat = filled[record] as number;
      filled[record] = seat + 1;
      this.others[seat] = other;
      this.probabilities[seat] = probability[index] as number;
    };
    for (let index = 0; index < length; index++) {
      note(a[index] as number, b[index] as number, index);
      note(b[index] as number, a[index] as number, index);
    }
    this.starts = starts;
  }

  /** Where the neighbours of a record stand: from the first number to before the second. */
  from(record: number): number {
    return this.starts[record] as number;
  }

  to(record: number): number {
    return this.starts[record + 1] as number;
  }

  /** The neighbour that stands there, and how likely it is one with the record. */
  other(seat: number): number {
    return this.others[seat] as number;
  }

  sure(seat: number): number {
    return this.probabilities[seat] as number;
  }

  /** How likely two records are one; undefined where they are no pair. */
  between(a: number, b: number): number | undefined {
    // The record with fewer neighbours is looked through: some have hundreds.
    const [few, many] = this.to(a) - this.from(a) <= this.to(b) - this.from(b) ? [a, b] : [b, a];
    for (let seat = this.from(few); seat < this.to(few); seat++)
      if (this.others[seat] === many) return this.probabilities[seat];
    return undefined;
  }
}
