/** One holder at a time for each name; those who wait get it in their order. */
export class KeyedLocks {
  private readonly tails = new Map<string, Promise<void>>();

  /** Resolves with a function that lets go. */
  async take(name: string): Promise<() => void> {
    const before = this.tails.get(name) ?? Promise.resolve();
    let release: () => void = () => undefined;
    const held = new Promise<void>((resolve) => {
      release = resolve;
    });
    const tail = before.then(() => held);
    this.tails.set(name, tail);
    await before;
    return () => {
      if (this.tails.get(name) === tail) this.tails.delete(name);
      release();
    };
  }
}
