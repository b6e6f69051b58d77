import { Neighbours, type WeighedPair, WeighedPairs } from './weighed-pairs.ts';

/** What clustering needs to know besides the pairs. */
export interface ClusterOptions {
  /** The probability of a pair that isn't among the given ones. */
  readonly probabilityOf: (a: number, b: number) => number;
  /** Whether two records must not stand in one cluster: somebody said so, or their tax numbers conflict. */
  readonly mustNotLink?: (a: number, b: number) => boolean;
  /** The records in an order that doesn't depend on how they stand in their table: it decides ties. */
  readonly order?: Int32Array;
  /** From which mean probability between two groups they are one; a half takes whatever is likelier. */
  readonly line?: number;
}

/** Groups larger than this are not taken apart record by record again. */
const mostRefined = 40;

/**
 * Puts records together so that within a group all pairs, not just a chain of them, are likelier
 * one than not: a weak bridge between two groups counts for as little as it is among all the pairs
 * between them. Greedy correlation clustering (Bansal, Blum and Chawla, 2004): from the surest
 * pair down, groups are joined where their mean probability stands above the line; then each record
 * moves to the group that fits it best while any gains by it.
 *
 * @param size - how many records there are
 * @param pairs - weighed pairs in any order, each once
 * @returns for each record the number of its cluster; clusters are numbered by their first record
 */
export function cluster(size: number, pairs: Iterable<WeighedPair>, options: ClusterOptions): Int32Array {
  return new Clustering(size, pairs instanceof WeighedPairs ? pairs : WeighedPairs.of(pairs), options).run();
}

class Clustering {
  private readonly groupOf: Int32Array;
  private readonly members: (number[] | undefined)[];
  private readonly known: Neighbours;
  /** Probabilities of pairs that weren't given, asked for on the way. */
  private readonly asked = new Map<number, number>();
  private readonly line: number;
  /** The place of each record in the order that decides ties. */
  private readonly rank: Int32Array;

  constructor(
    private readonly size: number,
    private readonly pairs: WeighedPairs,
    private readonly options: ClusterOptions,
  ) {
    this.groupOf = Int32Array.from({ length: size }, (_, record) => record);
    this.members = Array.from({ length: size }, (_, record) => [record]);
    this.line = options.line ?? 0.5;
    this.rank = Int32Array.from({ length: size }, (_, record) => record);
    options.order?.forEach((record, at) => {
      this.rank[record] = at;
    });
    this.known = new Neighbours(size, pairs);
  }

  private keyOf(a: number, b: number): number {
    return a < b ? a * this.size + b : b * this.size + a;
  }

  private probability(a: number, b: number): number {
    const known = this.known.between(a, b);
    if (known !== undefined) return known;
    const key = this.keyOf(a, b);
    const asked = this.asked.get(key);
    if (asked !== undefined) return asked;
    const computed = this.options.probabilityOf(a, b);
    this.asked.set(key, computed);
    return computed;
  }

  /** What two groups gain by being one; -Infinity where they must not. */
  private gain(one: readonly number[], other: readonly number[]): number {
    let gain = 0;
    for (const a of one)
      for (const b of other) {
        if (this.options.mustNotLink?.(a, b)) return Number.NEGATIVE_INFINITY;
        gain += this.probability(a, b) - this.line;
      }
    return gain;
  }

  run(): Int32Array {
    const likely: WeighedPair[] = [];
    for (const pair of this.pairs) if (pair.probability > this.line) likely.push(pair);
    likely.sort(
      (x, y) => y.probability - x.probability || this.first(x) - this.first(y) || this.last(x) - this.last(y),
    );
    // Twice: a pair that didn't gain at first may, once its groups have grown.
    for (let round = 0; round < 2; round++) for (const { a, b } of likely) this.join(a, b);
    this.refine(likely);
    return this.numbered();
  }

  private first({ a, b }: WeighedPair): number {
    return Math.min(this.rank[a] as number, this.rank[b] as number);
  }

  private last({ a, b }: WeighedPair): number {
    return Math.max(this.rank[a] as number, this.rank[b] as number);
  }

  private join(a: number, b: number): void {
    const groupA = this.groupOf[a] as number;
    const groupB = this.groupOf[b] as number;
    if (groupA === groupB) return;
    const one = this.members[groupA] as number[];
    const other = this.members[groupB] as number[];
    if (this.gain(one, other) <= 0) return;
    for (const record of other) this.groupOf[record] = groupA;
    one.push(...other);
    this.members[groupB] = undefined;
  }

  /** Lets each record that has a likely pair move to the neighbouring group, or out alone, where it gains most. */
  private refine(likely: readonly WeighedPair[]): void {
    const neighbours = new Map<number, number[]>();
    for (const { a, b } of likely) {
      neighbours.set(a, [...(neighbours.get(a) ?? []), b]);
      neighbours.set(b, [...(neighbours.get(b) ?? []), a]);
    }
    const records = [...neighbours.keys()].sort((a, b) => (this.rank[a] as number) - (this.rank[b] as number));
    for (let round = 0; round < 3; round++) {
      let moved = 0;
      for (const record of records) if (this.move(record, neighbours.get(record) as number[])) moved += 1;
      if (moved === 0) return;
    }
  }

  private move(record: number, neighbours: readonly number[]): boolean {
    const own = this.groupOf[record] as number;
    const others = (this.members[own] as number[]).filter((one) => one !== record);
    if (others.length >= mostRefined) return false;
    let best = this.gain([record], others);
    let target = own;
    if (others.length > 0 && best < 0) {
      best = 0;
      target = -1;
    }
    for (const group of new Set(neighbours.map((one) => this.groupOf[one] as number))) {
      const members = this.members[group] as number[];
      if (group === own || members.length >= mostRefined) continue;
      const gain = this.gain([record], members);
      if (gain <= best + 1e-9) continue;
      best = gain;
      target = group;
    }
    if (target === own) return false;
    this.members[own] = others;
    if (target < 0) {
      target = this.members.length;
      this.members.push([]);
    }
    (this.members[target] as number[]).push(record);
    this.groupOf[record] = target;
    return true;
  }

  private numbered(): Int32Array {
    const numbers = new Map<number, number>();
    return this.groupOf.map((group) => {
      const number = numbers.get(group) ?? numbers.size;
      numbers.set(group, number);
      return number;
    });
  }
}
