import PQueue from 'p-queue';
import type { Logger } from 'pino';
import type { ByteStore } from '../arrivals/byte-store.ts';
import type { Connections } from '../connections.ts';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { Events } from '../events.ts';
import type { Matcher } from '../matching/matcher.ts';
import type { Mirrors } from '../matching/mirrors.ts';
import type { Seams } from '../seams.ts';
import type { Redaction } from '../secrets/redaction.ts';
import type { Workflows } from '../workflows.ts';
import type { Comings } from './coming.ts';
import type { EndingLooks } from './endings/looks.ts';
import { FairQueue } from './fair-queue.ts';
import type { KeyedLocks, PlaceLocks } from './locks.ts';
import { Held, type Pause, type Pauses } from './pauses.ts';
import type { Seats } from './seats.ts';
import type { StopSwitch } from './stop-switch.ts';
import type { WaitLinkParts } from './wait-link-parts.ts';

/** What every part of the engine works with. */
export interface EngineContext {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly connections: Connections;
  readonly workflows: Workflows;
  readonly events: Events;
  readonly seams: Seams;
  readonly redaction: Redaction;
  readonly log: Logger;
  /** One run of a workflow at a time, and what else is done one after the other. */
  readonly locks: KeyedLocks;
  readonly places: PlaceLocks;
  readonly comings: Comings;
  readonly pauses: Pauses;
  readonly mirrors: Mirrors;
  readonly matcher: Matcher;
  readonly slots: RequestSlots;
  readonly seats: Seats;
  readonly stopSwitch: StopSwitch;
  readonly waitLinks: WaitLinkParts;
  readonly endings: EndingLooks;
  /** Where large events lie. */
  readonly bytes: Pick<ByteStore, 'get'>;
}

/** Requests at once to one connection. */
export const requestsAtOnce = 8;

/**
 * Writes of one connection whose intent is stored and whose result isn't: those that are on their
 * way, and as many whose intent is being stored meanwhile, so that the app never waits for the disk.
 * After a crash no more than these have to be found out about.
 */
const intentsAtOnce = requestsAtOnce * 2;

type Queue = PQueue<FairQueue, { lane?: string; priority?: number }>;

/** Limits what is under way at once to each connection; the workflows that use it take turns. */
export class RequestSlots {
  private readonly requests = new Map<string, Queue>();
  private readonly intents = new Map<string, Queue>();

  /** @param hold - why nothing is asked of a connection for the moment; undefined when it may be asked */
  constructor(private readonly hold: (connection: string) => Pause | undefined = () => undefined) {}

  /** Does a request when there is room for it. @throws Held when the connection is held up by then */
  request<T>(connection: string, lane: string, work: () => Promise<T>): Promise<T> {
    return this.add(this.requests, connection, requestsAtOnce, lane, () => {
      // Others may have met a fault while this one waited for its turn.
      const pause = this.hold(connection);
      return pause ? Promise.reject(new Held(pause.reason)) : work();
    });
  }

  /** Does all of a write, from storing its intent on. */
  intent<T>(connection: string, lane: string, work: () => Promise<T>): Promise<T> {
    return this.add(this.intents, connection, intentsAtOnce, lane, work);
  }

  /** Begins nothing any more, as when the process is killed. */
  drop(): void {
    for (const queue of [...this.requests.values(), ...this.intents.values()]) {
      queue.pause();
      queue.clear();
    }
  }

  private add<T>(
    queues: Map<string, Queue>,
    connection: string,
    concurrency: number,
    lane: string,
    work: () => Promise<T>,
  ): Promise<T> {
    const queue = queues.get(connection) ?? new PQueue({ concurrency, queueClass: FairQueue });
    queues.set(connection, queue);
    return queue.add(work, { lane }) as Promise<T>;
  }
}
