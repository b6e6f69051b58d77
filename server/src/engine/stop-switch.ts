import { z } from 'zod';
import type { Db } from '../db/open.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import { readSetting, writeSetting } from '../settings.ts';

const StoppedSchema = z.object({ since: z.string(), why: z.string() });

/** Since when everything stands still, and why. */
export type Stopped = z.infer<typeof StoppedSchema>;

const name = 'stopped';

/**
 * One switch for all that asks, wakes and sends by itself. It holds over a restart; what is under way
 * ends, and nothing is lost or cancelled by it.
 */
export class StopSwitch {
  private stopped: Stopped | null = null;

  constructor(
    private readonly db: Db,
    private readonly seams: Pick<Seams, 'now'>,
    private readonly events: Events,
  ) {}

  async load(): Promise<void> {
    this.stopped = (await readSetting(this.db, name, StoppedSchema)) ?? null;
  }

  /** Since when, and why; null when all goes its way. */
  get now(): Stopped | null {
    return this.stopped;
  }

  async stop(why: string): Promise<void> {
    this.stopped = { since: this.seams.now(), why };
    await writeSetting(this.db, name, this.stopped);
    this.events.tell({ topic: 'workspace' });
  }

  async goOn(): Promise<void> {
    this.stopped = null;
    await writeSetting(this.db, name, null);
    this.events.tell({ topic: 'workspace' });
  }
}
