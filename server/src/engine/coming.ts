import { type JsonRecord, keyText, nest, type PlannedWrite, type Pointer, readPointer, type Value } from '@golden/core';
import type { Mirrors, PlaceKey } from '../matching/mirrors.ts';

interface Coming {
  readonly record: JsonRecord;
  readonly ended: Promise<void>;
}

/** What an id of a record that is on its way begins with. */
const comingPrefix = 'coming ';

/**
 * Records that are on their way into a place: planned by likeness, not yet there. They stand in the
 * place's indexes, so that a look-alike finds them; whoever meets one waits until it has arrived or
 * was given up, and looks again.
 */
export class Comings {
  private readonly places = new Map<string, Map<string, Coming>>();
  private count = 0;

  constructor(private readonly mirrors: Mirrors) {}

  /** Tells of a record that is about to be made; the function that it gives tells that this has ended. */
  async tell(write: PlannedWrite): Promise<() => Promise<void>> {
    this.count += 1;
    const id = `${comingPrefix}${this.count}`;
    const name = nameOf(write.target);
    const there = this.places.get(name) ?? new Map<string, Coming>();
    this.places.set(name, there);
    let end: () => void = () => undefined;
    const ended = new Promise<void>((resolve) => {
      end = resolve;
    });
    const record = nest(write.values);
    there.set(id, { record, ended });
    await this.mirrors.putComing(write.target, id, record);
    return async () => {
      there.delete(id);
      if (there.size === 0) this.places.delete(name);
      await this.mirrors.dropComing(write.target, id);
      end();
    };
  }

  /** Resolves when what comes under this key has arrived; undefined when nothing does. */
  withKey(place: PlaceKey, path: Pointer, value: Value): Promise<void> | undefined {
    const wanted = keyText(value);
    for (const { record, ended } of this.places.get(nameOf(place))?.values() ?? [])
      if (keyText(readPointer(record, path)) === wanted) return ended;
    return undefined;
  }

  /** Resolves when the first of these that is only coming has arrived; undefined when all are there. */
  among(place: PlaceKey, ids: readonly string[]): Promise<void> | undefined {
    const there = this.places.get(nameOf(place));
    for (const id of ids) {
      const coming = id.startsWith(comingPrefix) ? there?.get(id) : undefined;
      if (coming) return coming.ended;
    }
    return undefined;
  }
}

/** True for the id of a record that isn't in its app yet. */
export const isComing = (id: string): boolean => id.startsWith(comingPrefix);

const nameOf = ({ connection, path }: PlaceKey): string => `${connection}|${path.join('/')}`;
