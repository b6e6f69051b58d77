/** Disjoint sets over numbers from 0 on, joined by twos (Tarjan 1975, with halved paths). */
export class UnionFind {
  private readonly parent: Int32Array;

  constructor(size: number) {
    this.parent = Int32Array.from({ length: size }, (_, at) => at);
  }

  root(one: number): number {
    let at = one;
    for (;;) {
      const above = this.parent[at] as number;
      if (above === at) return at;
      this.parent[at] = this.parent[above] as number;
      at = this.parent[at] as number;
    }
  }

  join(one: number, other: number): void {
    const [first, second] = [this.root(one), this.root(other)];
    // The smaller number stands for both: it doesn't matter in which order they are joined.
    if (first < second) this.parent[second] = first;
    else this.parent[first] = second;
  }

  /** Which set each number is in now. */
  roots(): Int32Array {
    return this.parent.map((_, at) => this.root(at));
  }
}
