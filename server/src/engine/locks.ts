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

interface Waiting {
  readonly isShared: boolean;
  readonly enter: () => void;
}

interface Door {
  sharing: number;
  isTaken: boolean;
  readonly waiting: Waiting[];
}

/**
 * Who may look for a record in a place and then make it there. Those who know a key share the place
 * and have the key for themselves; those who go by likeness, which has no key, have the place for
 * themselves. All get in by the order in which they came, so that neither kind keeps the other out.
 */
export class PlaceLocks {
  private readonly doors = new Map<string, Door>();
  private readonly keys = new KeyedLocks();

  /** The place for oneself. Resolves with a function that lets go. */
  async takePlace(place: string): Promise<() => void> {
    return this.enter(place, false);
  }

  /** One key of a place, beside others with other keys. */
  async takeKey(place: string, key: string): Promise<() => void> {
    const leave = await this.enter(place, true);
    const release = await this.keys.take(`${place}\n${key}`);
    return () => {
      release();
      leave();
    };
  }

  private enter(place: string, isShared: boolean): Promise<() => void> {
    const door = this.doors.get(place) ?? { sharing: 0, isTaken: false, waiting: [] };
    this.doors.set(place, door);
    return new Promise((resolve) => {
      let hasLeft = false;
      const leave = (): void => {
        if (hasLeft) return;
        hasLeft = true;
        if (isShared) door.sharing -= 1;
        else door.isTaken = false;
        this.letIn(place, door);
      };
      door.waiting.push({ isShared, enter: () => resolve(leave) });
      this.letIn(place, door);
    });
  }

  private letIn(place: string, door: Door): void {
    for (let next = door.waiting[0]; next; next = door.waiting[0]) {
      const mayEnter = !door.isTaken && (next.isShared || door.sharing === 0);
      if (!mayEnter) return;
      door.waiting.shift();
      if (next.isShared) door.sharing += 1;
      else door.isTaken = true;
      next.enter();
    }
    if (!door.isTaken && door.sharing === 0) this.doors.delete(place);
  }
}
