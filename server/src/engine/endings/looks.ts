import { pagesOf, type SourceRecord } from '@golden/connectors';
import {
  type EndingWatch,
  endingsIn,
  keysThere,
  readInstant,
  recordTitle,
  type WokenBy,
  watchesOf,
} from '@golden/core';
import { sql } from 'kysely';
import type { Logger } from 'pino';
import type { Connections } from '../../connections.ts';
import type { GroupCommit } from '../../db/group-commit.ts';
import type { Db } from '../../db/open.ts';
import type { Seams } from '../../seams.ts';
import type { Redaction } from '../../secrets/redaction.ts';
import type { Workflows } from '../../workflows.ts';
import type { Pauses } from '../pauses.ts';
import { sinceAfter } from '../since.ts';
import { wakeTold } from '../wake-told.ts';
import {
  endedAlready,
  type Happening,
  type KeptWatch,
  keepHappenings,
  keepWatch,
  knownRecords,
  watchName,
} from './keep.ts';

/** Milliseconds after which a place is looked at again while somebody waits for what comes there. */
const again = 60_000;
/** Milliseconds for which a look is still good for a record whose time has come: one look serves all that are due at once. */
const stillGood = 20_000;
/** Milliseconds between two questions whether a place is to be looked at. */
const asked = 5000;

/** One place of one account. */
export interface WatchedPlace {
  readonly connection: string;
  readonly account: string;
  readonly path: readonly string[];
}

const nameOf = ({ connection, account, path }: WatchedPlace): string => JSON.stringify([connection, account, path]);

/** Looks at the places whose records end waits: now and then, and before a record that has waited goes on. */
export class EndingLooks {
  private readonly under = new Map<string, Promise<void>>();
  private askedAt = Number.NEGATIVE_INFINITY;
  /** Told of the workflows of which something can go on. */
  heard: (workflows: readonly string[]) => void = () => undefined;

  constructor(
    private readonly context: {
      readonly db: Db;
      readonly commits: GroupCommit;
      readonly connections: Connections;
      readonly seams: Seams;
      /** Does a request when there is room for it. */
      readonly slots: { request<T>(connection: string, lane: string, work: () => Promise<T>): Promise<T> };
      readonly workflows: Workflows;
      readonly pauses: Pauses;
      readonly log: Logger;
      readonly redaction: Redaction;
    },
  ) {}

  /** What a version waits for is looked at from now on, so that what is there already is told from what comes. */
  async begin(workflowId: string, version: number): Promise<void> {
    const watches = await this.watchesOf(workflowId, version);
    const { connections, commits } = this.context;
    if (watches.length === 0) return;
    await commits.run(async (trx) => {
      for (const watch of watches) await keepWatch(trx, watch, connections.accountOf(watch.connection));
    });
    await this.look(true);
  }

  /** Looks at each place that anybody waits for and whose time it is. */
  async look(isAtOnce = false): Promise<void> {
    const { seams, log, redaction, pauses } = this.context;
    if (!isAtOnce && seams.uptime() - this.askedAt < asked) return;
    this.askedAt = seams.uptime();
    const before = new Date(Date.parse(seams.now()) - (isAtOnce ? 0 : again)).toISOString();
    for (const place of await this.wanted(before)) {
      if (pauses.of(place.connection) || pauses.givenUp(place.connection) !== undefined) continue;
      // What can't be looked at now is asked again before anything goes out.
      await this.lookAt(place).catch((error: Error) =>
        log.info({ said: redaction.clean(error.message) }, 'a place that ends waits could not be looked at'),
      );
    }
  }

  /**
   * A place is looked at, where it hasn't been since an instant and a moment ago.
   * @throws what its app's connector throws
   */
  async fresh(place: WatchedPlace, since: string): Promise<void> {
    const recent = new Date(Date.parse(this.context.seams.now()) - stillGood).toISOString();
    const needed = since > recent ? since : recent;
    const isFresh = async (): Promise<boolean> => oldestLook(await this.rows(place)) >= needed;
    if (await isFresh()) return;
    // One that is under way may have passed what has come since.
    await this.under.get(nameOf(place))?.catch(() => undefined);
    if (!(await isFresh())) await this.lookAt(place);
  }

  /** The places at which a waiting record may be ended, in the accounts that their connections lead to. */
  async placesOf(itemId: string): Promise<WatchedPlace[]> {
    const rows = await this.context.db
      .selectFrom('park_ending')
      .innerJoin('watch', 'watch.id', 'park_ending.watch_id')
      .selectAll('watch')
      .where('park_ending.item_id', '=', itemId)
      .execute();
    return placesIn(rows);
  }

  /** What has ended a waiting record. */
  ended(itemId: string): Promise<WokenBy | undefined> {
    return endedAlready(this.context.db, itemId);
  }

  /** What a version waits for; nothing where it can't be read any more. */
  private async watchesOf(workflowId: string, number: number): Promise<EndingWatch[]> {
    const version = await this.context.workflows.readableVersion(workflowId, number);
    if (!version) return [];
    return endingsIn(version.content.steps).flatMap((ending) => watchesOf(ending, version.locale.country));
  }

  /** The places of which something is waited for, or may be by a live workflow, and that weren't looked at since. */
  private async wanted(before: string): Promise<WatchedPlace[]> {
    const { db, connections } = this.context;
    // One that somebody has come to wait for since is looked at soon: what is there by then was there before.
    const rows = await db
      .selectFrom('watch')
      .selectAll()
      .where((eb) =>
        eb.or([
          eb('looked_at', 'is', null),
          eb('looked_at', '<=', before),
          eb.exists(
            eb
              .selectFrom('park_ending')
              .select('watch_id')
              .whereRef('park_ending.watch_id', '=', 'watch.id')
              .whereRef('park_ending.since', '>', 'watch.looked_at'),
          ),
        ]),
      )
      .execute();
    if (rows.length === 0) return [];
    const on = await db.selectFrom('workflow').select(['id', 'live_version']).where('is_on', '=', 1).execute();
    const live = new Set<string>();
    for (const { id, live_version } of on)
      for (const watch of live_version === null ? [] : await this.watchesOf(id, live_version))
        live.add(watchName(watch, connections.accountOf(watch.connection)));
    const waited = await sql<{ watch_id: number }>`SELECT DISTINCT watch_id FROM park_ending`.execute(db);
    const ids = new Set(waited.rows.map(({ watch_id }) => watch_id));
    return placesIn(rows.filter(({ id, name }) => ids.has(id) || live.has(name))).filter(
      ({ connection, account }) => connections.accountOf(connection) === account,
    );
  }

  private async rows(place: WatchedPlace): Promise<KeptWatch[]> {
    const rows = await this.context.db
      .selectFrom('watch')
      .selectAll()
      .where('connection', '=', place.connection)
      .where('account', '=', place.account)
      .execute();
    return rows.filter((row) => nameOf(placeOf(row)) === nameOf(place));
  }

  private lookAt(place: WatchedPlace): Promise<void> {
    const name = nameOf(place);
    const underWay = this.under.get(name);
    if (underWay) return underWay;
    const look = this.lookNow(place).finally(() => this.under.delete(name));
    this.under.set(name, look);
    return look;
  }

  private async lookNow(place: WatchedPlace): Promise<void> {
    const { commits, connections, seams, slots } = this.context;
    const watches = await this.rows(place);
    const began = seams.now();
    const since = watches.every((one) => one.since !== null) ? watches.map((one) => one.since ?? '').sort()[0] : null;
    const connector = await connections.connector(place.connection);
    const lane = {
      list: (ask: Parameters<typeof connector.list>[0]) =>
        slots.request(place.connection, 'endings', () => connector.list(ask)),
    };
    let newest: string | null = null;
    for await (const { records } of pagesOf(lane as typeof connector, { path: place.path, ...(since && { since }) })) {
      const all = await Promise.all(watches.map(async (row) => [row.id, await this.happenings(row, records)] as const));
      newest = newestOf([newest, ...records.map(({ updated }) => updated)], began);
      if (all.every(([, happenings]) => happenings.length === 0)) continue;
      const woken = await commits.run(async (trx) => {
        for (const [id, happenings] of all) await keepHappenings(trx, id, happenings);
        return wakeTold(trx);
      });
      seams.reach('ending:after-store');
      this.heard(woken);
    }
    await commits.run(async (trx) => {
      for (const { id, since: before } of watches)
        await trx
          .updateTable('watch')
          .set({ looked_at: began, since: sinceAfter(newest, before, { source: null }) })
          .where('id', '=', id)
          .execute();
    });
  }

  /** What of a page's records counts for a watch. */
  private async happenings(row: KeptWatch, records: readonly SourceRecord[]): Promise<Happening[]> {
    const watch = JSON.parse(row.content) as EndingWatch;
    const counting = records.flatMap((one) => keysThere(watch, one.record).map((key) => ({ key, one })));
    const known = await knownRecords(
      this.context.db,
      row.id,
      counting.map(({ one }) => one.id),
    );
    return counting.map(({ key, one }) => {
      // A record that counted otherwise before, or that has to come to a value, counts from its last change.
      const told = known.has(one.id) || watch.value ? (one.updated ?? one.created) : (one.created ?? one.updated);
      const at = told === undefined ? '' : (readInstant(told, 'utc') ?? '');
      return { key, record: one.id, title: recordTitle(one.record), at, after: row.looked_at ?? '' };
    });
  }
}

const placeOf = ({ connection, account, content }: KeptWatch): WatchedPlace => ({
  connection,
  account,
  path: (JSON.parse(content) as EndingWatch).path,
});

const placesIn = (rows: readonly KeptWatch[]): WatchedPlace[] => [
  ...new Map(rows.map((row) => [nameOf(placeOf(row)), placeOf(row)])).values(),
];

/** When the watch that was looked at longest ago was; '' where one never was. */
const oldestLook = (watches: readonly KeptWatch[]): string => watches.map((one) => one.looked_at ?? '').sort()[0] ?? '';

/** The newest of some instants, no later than a limit: a date far ahead would hide what comes next. */
function newestOf(told: readonly (string | null | undefined)[], limit: string): string | null {
  const instants = told.flatMap((one) => (one ? (readInstant(one, 'utc') ?? []) : []));
  return instants.reduce<string | null>((most, one) => {
    const bounded = one > limit ? limit : one;
    return most === null || bounded > most ? bounded : most;
  }, null);
}
