import type { EngineContext } from './context.ts';
import { isUnderWay, storeNextLook } from './due.ts';

/** Milliseconds after which what isn't watched is tried again. */
const again = 60_000;

/** One place that is watched, for all live workflows that begin there. */
interface Watched {
  readonly workflows: ReadonlySet<string>;
  readonly stop: Promise<(() => void) | undefined>;
}

/**
 * Places whose apps tell at once that something has come, such as the folders of a mailbox. It only brings the next look
 * forward: what is missed while nobody listens is seen by the usual asking.
 */
export class PlaceWatch {
  private readonly watched = new Map<string, Watched>();
  /** Workflows of which something was told that hasn't been looked at. */
  private readonly told = new Set<string>();
  private isChanged = true;
  private triedAt = Number.NEGATIVE_INFINITY;
  private isLooking = false;
  private isStopped = false;
  private readonly unlisten: () => void;

  /** @param tick - looks at what is due */
  constructor(
    private readonly context: EngineContext,
    private readonly tick: () => Promise<void>,
  ) {
    this.unlisten = context.events.listen(({ topic }) => {
      if (topic === 'workflow' || topic === 'connection') this.isChanged = true;
    });
  }

  /** Watches what live workflows begin with, and nothing else. Cheap where nothing has changed. */
  async look(): Promise<void> {
    await this.takeUpTold();
    const now = this.context.seams.uptime();
    if (this.isLooking || this.isStopped || (!this.isChanged && now - this.triedAt < again)) return;
    this.isLooking = true;
    this.isChanged = false;
    this.triedAt = now;
    try {
      const wanted = await this.wanted();
      for (const [key, { workflows }] of this.watched)
        if (!isSame(workflows, wanted.get(key)?.workflows)) void this.end(key);
      for (const [key, { connection, path, workflows }] of wanted)
        if (!this.watched.has(key) && !this.isStopped) this.begin(key, connection, path, workflows);
    } finally {
      this.isLooking = false;
    }
  }

  /** Ends all of it; resolves when nobody listens any more, also where a place was just being opened. */
  async stop(): Promise<void> {
    this.isStopped = true;
    this.unlisten();
    await Promise.all([...this.watched.keys()].map((key) => this.end(key)));
  }

  /** The places of live workflows that are asked every few minutes, by account and place. */
  private async wanted() {
    const { db, workflows, connections } = this.context;
    const on = await db.selectFrom('workflow').select(['id', 'live_version']).where('is_on', '=', 1).execute();
    const wanted = new Map<string, { connection: string; path: readonly string[]; workflows: Set<string> }>();
    for (const { id, live_version: number } of on) {
      const version = number === null ? undefined : await workflows.readableVersion(id, number);
      const { source, trigger } = version?.content.start ?? {};
      if (!source || trigger?.kind !== 'every') continue;
      const key = `${source.connection} ${connections.accountOf(source.connection)} ${JSON.stringify(source.path)}`;
      const known = wanted.get(key);
      if (known) known.workflows.add(id);
      else wanted.set(key, { connection: source.connection, path: source.path, workflows: new Set([id]) });
    }
    return wanted;
  }

  private begin(key: string, connection: string, path: readonly string[], workflows: ReadonlySet<string>): void {
    const open = async (): Promise<(() => void) | undefined> => {
      // Whoever tries a wrong password every minute is locked out of the mailbox in the end.
      const { status } = await this.context.connections.get(connection);
      if (status === 'broken') throw new Error('The connection doesn’t work.');
      const connector = await this.context.connections.connector(connection);
      if (!connector.watch) return undefined;
      const stop = await connector.watch(
        path,
        () => this.news(workflows),
        () => this.watched.delete(key),
      );
      // What came between the last look and now isn't told any more.
      await this.news(workflows);
      return stop;
    };
    const stop = open().catch((error: Error) => {
      this.watched.delete(key);
      this.context.log.info({ said: error.message }, 'a place could not be watched');
      return undefined;
    });
    this.watched.set(key, { workflows, stop });
  }

  private async end(key: string): Promise<void> {
    const watched = this.watched.get(key);
    this.watched.delete(key);
    await watched?.stop.then((stop) => stop?.()).catch(() => undefined);
  }

  private async news(workflows: ReadonlySet<string>): Promise<void> {
    for (const id of workflows) this.told.add(id);
    await this.takeUpTold().catch((error: Error) =>
      this.context.log.info({ said: error.message }, 'what was told could not be looked at'),
    );
  }

  /** What was told of is looked at now; where a run is under way, as soon as that is over. */
  private async takeUpTold(): Promise<void> {
    if (this.isStopped) return;
    let isDue = false;
    for (const id of [...this.told]) {
      if (await isUnderWay(this.context, id)) continue;
      this.told.delete(id);
      await storeNextLook(this.context.db, id, this.context.seams.now());
      isDue = true;
    }
    if (isDue) await this.tick();
  }
}

const isSame = (one: ReadonlySet<string>, other: ReadonlySet<string> | undefined): boolean =>
  other !== undefined && one.size === other.size && [...one].every((id) => other.has(id));
