type Work = () => Promise<unknown>;

interface Options {
  readonly lane?: string | undefined;
}

/** What waits in a p-queue, given out lane by lane: one that has much to do keeps no other waiting. */
export class FairQueue {
  private readonly lanes = new Map<string, Work[]>();
  private count = 0;

  get size(): number {
    return this.count;
  }

  enqueue(work: Work, { lane = '' }: Partial<Options> = {}): void {
    const there = this.lanes.get(lane);
    if (there) there.push(work);
    else this.lanes.set(lane, [work]);
    this.count += 1;
  }

  dequeue(): Work | undefined {
    const [next] = this.lanes;
    if (!next) return undefined;
    const [lane, waiting] = next;
    const work = waiting.shift();
    // It goes to the end of the line, if it has more to do.
    this.lanes.delete(lane);
    if (waiting.length > 0) this.lanes.set(lane, waiting);
    if (work) this.count -= 1;
    return work;
  }

  filter({ lane = '' }: Readonly<Partial<Options>>): Work[] {
    return [...(this.lanes.get(lane) ?? [])];
  }

  setPriority(): void {
    throw new Error('What waits here has no priority: lanes take turns.');
  }
}
