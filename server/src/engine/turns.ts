interface UnderWay {
  at: number;
}

/**
 * The order in which the records of one run come to a step that goes by likeness: each waits until
 * those taken in before it have passed that step. What one of them changes there is seen by the
 * next, as in the rehearsal, where they go one after the other.
 */
export class Turns {
  /** Items under way, by their run and their number in the order of taking in. */
  private readonly runs = new Map<string, Map<number, UnderWay>>();
  private readonly waiting = new Set<() => void>();

  /** An item is on its way; to be told in the order of taking in, before any of them waits. */
  begin(run: string, seq: number): void {
    const there = this.runs.get(run) ?? new Map<number, UnderWay>();
    this.runs.set(run, there.set(seq, { at: -1 }));
  }

  /** It has come to a step, or past it: `at` is the step's place in the workflow, a little more once it has passed. */
  reach(run: string, seq: number, at: number): void {
    const one = this.runs.get(run)?.get(seq);
    if (!one || one.at === at) return;
    one.at = at;
    this.tell();
  }

  /** It has come to rest. */
  end(run: string, seq: number): void {
    const there = this.runs.get(run);
    there?.delete(seq);
    if (there?.size === 0) this.runs.delete(run);
    this.tell();
  }

  /** Resolves when no earlier item of the run is still before this step, or at it. */
  async turn(run: string, seq: number, at: number): Promise<void> {
    while (this.isBefore(run, seq, at)) await new Promise<void>((resolve) => this.waiting.add(resolve));
  }

  private isBefore(run: string, seq: number, at: number): boolean {
    for (const [other, one] of this.runs.get(run) ?? []) if (other < seq && one.at <= at) return true;
    return false;
  }

  private tell(): void {
    const all = [...this.waiting];
    this.waiting.clear();
    for (const go of all) go();
  }
}
