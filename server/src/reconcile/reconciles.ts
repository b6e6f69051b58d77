import { AppError, pagesOf } from '@golden/connectors';
import {
  CannotCompare,
  comparedWrite,
  type MadeThere,
  nextAfter,
  type ReconcileFigures,
  type ReconcileSetting,
  ReconcileSettingSchema,
  type Start,
  type WorkflowVersion,
  weekdays,
} from '@golden/core';
import type { Connections } from '../connections.ts';
import type { Db } from '../db/open.ts';
import type { ReconcileRow } from '../db/schema.ts';
import { NotPossible } from '../engine/errors.ts';
import { sourcePages } from '../engine/source-pages.ts';
import type { Events } from '../events.ts';
import type { Mirrors } from '../matching/mirrors.ts';
import { MatchingWorker, Stopped } from '../matching/worker-client.ts';
import type { Seams } from '../seams.ts';
import { loadSettings } from '../settings.ts';
import type { Workflows } from '../workflows.ts';
import type { CopiedRecord, FoundRow, Looked } from './reconcile-host.ts';

/** How far a look is. */
export interface ReconcileProgress {
  readonly phase: 'left' | 'right' | 'compare';
  readonly done: number;
}

/** What a look counted, with what people want to know beside it. */
export interface ReconcileResult extends ReconcileFigures {
  /** Records here that a condition of the workflow leaves out. */
  readonly leftOut: number;
  /** Found the first time and gone when it was looked at again: they had only changed meanwhile. */
  readonly settledMeanwhile: number;
  /** How many pairs differ in a field, by its path. */
  readonly byField: Readonly<Record<string, number>>;
  readonly seconds: number;
}

/** Records that are handed to the worker, and rows that are stored, at once. */
const atOnce = 500;
/** Records that go to the comparing thread at once. */
const putAtOnce = 500;
/** Progress is told after so many records. */
const toldEvery = 2000;

/** A place of an account, its path as it is stored. */
interface AccountPlaceText {
  readonly account: string;
  readonly place: string;
}

interface Parts {
  readonly db: Db;
  readonly connections: Connections;
  readonly workflows: Workflows;
  readonly mirrors: Mirrors;
  readonly events: Events;
  readonly seams: Seams;
  /** While everything is stopped nothing is asked of any app by itself. */
  readonly isStopped: () => boolean;
}

/** A comparison of each day that isn't the same on both sides. */
export interface Drifted {
  readonly id: string;
  readonly name: string;
  readonly at: string;
  /** How many records and groups; 0 where it broke off. */
  readonly count: number;
  readonly says: string;
}

/** Milliseconds between two looks for what is due. */
const looksEvery = 30_000;

/**
 * Compares the records of two places. Each look has a thread of its own, so that it can be stopped and keeps nobody
 * else waiting; what it found stands in the data file.
 */
export class Reconciles {
  private readonly under = new Map<string, { readonly worker: MatchingWorker; readonly work: Promise<void> }>();
  private timer: ReturnType<typeof setInterval> | undefined;

  constructor(private readonly parts: Parts) {}

  /** Keeps a comparison and begins its first look. @throws CannotCompare */
  async add(name: string, setting: ReconcileSetting): Promise<string> {
    comparedWrite(setting);
    const { db, seams } = this.parts;
    const id = seams.id();
    await db
      .insertInto('reconcile')
      .values({
        id,
        name,
        setting: JSON.stringify(setting),
        state: 'running',
        progress: null,
        figures: null,
        message: null,
        made_at: seams.now(),
        started_at: null,
        ended_at: null,
      })
      .execute();
    await this.look(id);
    return id;
  }

  /** Changes what is compared; what was found with the other setting is looked at anew. @throws CannotCompare */
  async change(id: string, name: string, setting: ReconcileSetting): Promise<void> {
    comparedWrite(setting);
    await this.get(id);
    await this.stop(id);
    await this.parts.db
      .updateTable('reconcile')
      .set({ name, setting: JSON.stringify(setting) })
      .where('id', '=', id)
      .execute();
    await this.look(id);
  }

  /** @throws NotPossible when it isn't there */
  async get(id: string): Promise<{ readonly row: ReconcileRow; readonly setting: ReconcileSetting }> {
    const row = await this.parts.db.selectFrom('reconcile').selectAll().where('id', '=', id).executeTakeFirst();
    if (!row) throw new NotPossible('This comparison isn’t there any more.');
    return { row, setting: ReconcileSettingSchema.parse(JSON.parse(row.setting)) };
  }

  /** Looks at both places as they are now; one that is under way already goes on. */
  async look(id: string): Promise<void> {
    if (this.under.has(id)) return;
    const { setting } = await this.get(id);
    const { db, seams, events } = this.parts;
    const worker = new MatchingWorker();
    const begun = db
      .updateTable('reconcile')
      .set({ state: 'running', message: null, progress: null, started_at: seams.now(), ended_at: null })
      .where('id', '=', id)
      .execute();
    const work = begun
      .then(() => {
        events.tell({ topic: 'reconcile', id });
        return this.work(id, setting, worker);
      })
      .finally(async () => {
        this.under.delete(id);
        await worker.stop();
      });
    // Before anything is waited for: a second wish finds it under way.
    this.under.set(id, { worker, work });
    // Whoever asks afterwards sees that it is.
    await begun;
  }

  /** Waits for a look that is under way. */
  async wait(id: string): Promise<void> {
    await this.under.get(id)?.work;
  }

  async stop(id: string): Promise<void> {
    const under = this.under.get(id);
    await under?.worker.stop();
    await under?.work;
  }

  async stopAll(): Promise<void> {
    clearInterval(this.timer);
    await Promise.all([...this.under.keys()].map((id) => this.stop(id)));
  }

  async remove(id: string): Promise<void> {
    await this.stop(id);
    await this.parts.db.deleteFrom('reconcile').where('id', '=', id).execute();
    this.parts.events.tell({ topic: 'reconcile', id });
  }

  /** Has it looked at each day at a time (`06:00`), or not any more. @throws NotPossible when it isn't there */
  async schedule(id: string, dailyAt: string | null): Promise<void> {
    await this.get(id);
    const next_at = dailyAt === null ? null : await this.nextAt(dailyAt);
    await this.parts.db.updateTable('reconcile').set({ daily_at: dailyAt, next_at }).where('id', '=', id).execute();
    this.parts.events.tell({ topic: 'reconcile', id });
  }

  /** Begins the looks whose time has come. */
  async lookDue(): Promise<void> {
    const { db, seams, isStopped } = this.parts;
    if (isStopped()) return;
    const due = await db
      .selectFrom('reconcile')
      .select(['id', 'daily_at'])
      .where('next_at', '<=', seams.now())
      .where('daily_at', 'is not', null)
      .execute();
    for (const { id, daily_at } of due) {
      // The next one first: whatever comes of this one, it isn't begun again and again.
      await db
        .updateTable('reconcile')
        .set({ next_at: await this.nextAt(daily_at ?? '') })
        .where('id', '=', id)
        .execute();
      await this.look(id);
    }
  }

  /** Looks for what is due from now on. */
  start(): void {
    this.timer = setInterval(() => void this.lookDue().catch(() => undefined), looksEvery);
    this.timer.unref();
  }

  /** When a time of day comes next by the workspace's clock. */
  private async nextAt(time: string): Promise<string> {
    const { db, seams } = this.parts;
    const { zone } = await loadSettings(db);
    return nextAfter({ kind: 'times', at: [time], days: [...weekdays] }, seams.now(), zone) ?? '';
  }

  /** Comparisons that are looked at each day and didn't come out the same the last time, or broke off. */
  async drifted(): Promise<readonly Drifted[]> {
    const rows = await this.parts.db
      .selectFrom('reconcile')
      .selectAll()
      .where('daily_at', 'is not', null)
      .where('state', 'in', ['done', 'broken'])
      .execute();
    return rows.flatMap((row): Drifted[] => {
      const { id, name, ended_at } = row;
      const at = ended_at ?? '';
      if (row.state === 'broken') return [{ id, name, at, count: 0, says: row.message ?? 'It broke off.' }];
      const figures = row.figures ? (JSON.parse(row.figures) as ReconcileResult) : undefined;
      if (!figures) return [];
      const { differ, onlyLeft, onlyRight, doubled, unclear } = figures;
      const count = differ + onlyLeft + onlyRight + doubled + unclear;
      const parts = [
        [differ, 'differ'],
        [onlyLeft, 'only here'],
        [onlyRight, 'only there'],
        [doubled, 'doubled'],
        [unclear, 'unclear'],
      ] as const;
      const says = parts.flatMap(([some, word]) => (some > 0 ? [`${some} ${word}`] : [])).join(', ');
      return count === 0 ? [] : [{ id, name, at, count, says }];
    });
  }

  /** What an earlier process left unfinished is stopped; it is looked at again when somebody wants it. */
  async resume(): Promise<void> {
    await this.parts.db
      .updateTable('reconcile')
      .set({ state: 'stopped', progress: null, message: 'It ended with the program. Compare again.' })
      .where('state', '=', 'running')
      .execute();
  }

  private async work(id: string, setting: ReconcileSetting, worker: MatchingWorker): Promise<void> {
    const { db, seams, events } = this.parts;
    let state: ReconcileRow['state'] = 'done';
    let message: string | null = null;
    try {
      await this.compare(id, setting, worker);
    } catch (error) {
      if (error instanceof Stopped) {
        state = 'stopped';
        message = 'Stopped before it had ended. Compare again.';
      } else {
        state = 'broken';
        const isTold = error instanceof AppError || error instanceof CannotCompare || error instanceof NotPossible;
        message = isTold ? error.message : 'The comparison met a fault of its own. Compare again.';
      }
    }
    await db
      .updateTable('reconcile')
      .set({ state, message, progress: null, ended_at: seams.now() })
      .where('id', '=', id)
      .execute();
    events.tell({ topic: 'reconcile', id });
  }

  private async compare(id: string, setting: ReconcileSetting, worker: MatchingWorker): Promise<void> {
    const began = this.parts.seams.uptime();
    const locale = await this.parts.workflows.locale(setting.content);
    const begin = { locale } satisfies Omit<WorkflowVersion, 'content'>;
    const first = await this.lookOnce(id, setting, worker, begin);
    // While one side was read the other may have changed: what isn't the same is looked at again before it is called so.
    const looked = first.rows === 0 ? first : await this.lookOnce(id, setting, worker, begin);
    const rows = await this.keep(id, setting, worker, looked);
    const { differ, byField } = rows;
    const figures: ReconcileResult = {
      ...looked.figures,
      agree: looked.figures.agree + looked.figures.differ - differ,
      differ,
      leftOut: looked.leftOut,
      settledMeanwhile: Math.max(0, first.rows - looked.rows),
      byField,
      seconds: Math.round(this.parts.seams.uptime() - began) / 1000,
    };
    await this.parts.db
      .updateTable('reconcile')
      .set({ figures: JSON.stringify(figures) })
      .where('id', '=', id)
      .execute();
  }

  private async lookOnce(
    id: string,
    setting: ReconcileSetting,
    worker: MatchingWorker,
    version: Omit<WorkflowVersion, 'content'>,
  ): Promise<Looked> {
    const { target } = comparedWrite(setting);
    await worker.call('reconcile.begin', [setting, version, this.parts.seams.now()]);
    for (const side of ['left', 'right'] as const) {
      let done = 0;
      let told = 0;
      const records =
        side === 'left' ? this.sourceRecords(setting.content.start) : this.placeRecords(target.connection, target.path);
      for await (const some of records) {
        for (let from = 0; from < some.length; from += putAtOnce)
          await worker.call('reconcile.put', [side, some.slice(from, from + putAtOnce)]);
        done += some.length;
        if (done - told < toldEvery) continue;
        told = done;
        await this.tell(id, { phase: side, done });
      }
    }
    await this.tell(id, { phase: 'compare', done: 0 });
    return worker.call('reconcile.finish', [await this.links(setting)]);
  }

  /** The records of a start as they are now; from their copy where the place is one with ids of its own. */
  private async *sourceRecords(start: Start): AsyncGenerator<readonly CopiedRecord[]> {
    const { source, identity, also, fields } = start;
    if (!source) return;
    if (!identity && !also && !fields) {
      yield* this.placeRecords(source.connection, source.path);
      return;
    }
    const connector = await this.parts.connections.connector(source.connection);
    for await (const page of sourcePages(connector, start))
      yield page.records.map(({ id, record }): CopiedRecord => [id, JSON.stringify(record)]);
  }

  private async *placeRecords(connection: string, path: readonly string[]): AsyncGenerator<readonly CopiedRecord[]> {
    const { connections, mirrors } = this.parts;
    const connector = await connections.connector(connection);
    const described = await connector.describe(path);
    if (!described.can.list)
      throw new CannotCompare('The records of this place can’t be listed, so nobody can say which are there.');
    if (described.fields.some((field) => field.type === 'id' && field.readOnly)) {
      await mirrors.sync({ connection, path }, true);
      for await (const rows of mirrors.pages({ connection, path }))
        yield rows.map(({ id, content }): CopiedRecord => [id, content]);
      return;
    }
    for await (const { records } of pagesOf(connector, { path }))
      yield records.map(({ id, record }): CopiedRecord => [id, JSON.stringify(record)]);
  }

  /** The pairs that are remembered between the two places, whichever way they were found. */
  private async links(setting: ReconcileSetting): Promise<(readonly [string, string])[]> {
    if (!setting.usesLinks) return [];
    const { connections, db } = this.parts;
    const { source, target } = comparedWrite(setting);
    const here = { account: connections.accountOf(source.connection), place: JSON.stringify(source.path) };
    const there = { account: connections.accountOf(target.connection), place: JSON.stringify(target.path) };
    const between = (from: typeof here, to: typeof here) =>
      db
        .selectFrom('link')
        .select(['from_id', 'to_id'])
        .where('from_account', '=', from.account)
        .where('from_place', '=', from.place)
        .where('to_account', '=', to.account)
        .where('to_place', '=', to.place)
        .execute();
    const [forth, back] = [await between(here, there), await between(there, here)];
    // Whom a workflow has written, where it recognises by a key and remembers no pair; the newest write counts.
    const written = new Map([...(await this.written(here, there)), ...(await this.written(there, here, true))]);
    const links = [
      ...forth.map((link) => [link.from_id, link.to_id] as const),
      ...back.map((link) => [link.to_id, link.from_id] as const),
    ];
    const known = new Set(links.map(([left]) => left));
    return [...links, ...[...written].filter(([left]) => !known.has(left))];
  }

  /** Pairs of which one was written for the other, in the order of the writes; turned round where `isBack`. */
  private async written(from: AccountPlaceText, to: AccountPlaceText, isBack = false): Promise<[string, string][]> {
    const rows = await this.parts.db
      .selectFrom('write')
      .innerJoin('item', 'item.id', 'write.item_id')
      .innerJoin('intake', 'intake.id', 'item.intake_id')
      .select(['item.source_id', 'write.remote_id'])
      .where('write.account', '=', to.account)
      .where('write.place', '=', to.place)
      .where('write.status', '=', 'done')
      .where('write.purpose', '=', 'deliver')
      .where('intake.account', '=', from.account)
      .where('intake.place', '=', from.place)
      .where('write.remote_id', 'is not', null)
      .orderBy('item.seq')
      .execute();
    return rows.map(({ source_id, remote_id }) =>
      isBack ? [remote_id ?? '', source_id] : [source_id, remote_id ?? ''],
    );
  }

  /** Stores what was found in place of what the look before found. */
  private async keep(id: string, setting: ReconcileSetting, worker: MatchingWorker, looked: Looked) {
    const { db } = this.parts;
    // With what it found go the figures of the look before: they come back together.
    await db.updateTable('reconcile').set({ figures: null }).where('id', '=', id).execute();
    await db.deleteFrom('reconcile_row').where('reconcile_id', '=', id).execute();
    const byField: Record<string, number> = {};
    let at = 0;
    const store = async (rows: readonly FoundRow[]): Promise<void> => {
      for (let from = 0; from < rows.length; from += 100)
        await db
          .insertInto('reconcile_row')
          .values(
            rows.slice(from, from + 100).map(({ kind, title, left, right, differences }) => ({
              reconcile_id: id,
              at: at++,
              kind,
              title,
              fields: ` ${differences.map(({ path }) => path).join(' ')} `,
              found: JSON.stringify({ left, right, differences }),
            })),
          )
          .execute();
    };
    let differ = 0;
    for (let from = 0; from < looked.figures.differ; from += atOnce) {
      const ids = await worker.call<readonly string[]>('reconcile.differing', [from, atOnce]);
      const made = await this.madeThere(setting, ids);
      const rows = await worker.call<readonly FoundRow[]>('reconcile.differences', [from, atOnce, made]);
      for (const { differences } of rows) for (const { path } of differences) byField[path] = (byField[path] ?? 0) + 1;
      differ += rows.length;
      await store(rows);
    }
    for (let from = 0; from < looked.rows - looked.figures.differ; from += atOnce)
      await store(await worker.call<readonly FoundRow[]>('reconcile.others', [from, atOnce]));
    return { differ, byField };
  }

  /** What workflows sent to records there last, and what their app made of it. */
  private async madeThere(
    setting: ReconcileSetting,
    ids: readonly string[],
  ): Promise<Record<string, readonly MadeThere[]>> {
    const { connections, db } = this.parts;
    const { target } = comparedWrite(setting);
    const made: Record<string, MadeThere[]> = {};
    const rows = await db
      .selectFrom('last_written')
      .select(['remote_id', 'fields'])
      .where('account', '=', connections.accountOf(target.connection))
      .where('place', '=', JSON.stringify(target.path))
      .where('remote_id', 'in', ids.length > 0 ? [...ids] : [''])
      .execute();
    for (const { remote_id, fields } of rows)
      made[remote_id] = [...(made[remote_id] ?? []), JSON.parse(fields) as MadeThere];
    return made;
  }

  private async tell(id: string, progress: ReconcileProgress): Promise<void> {
    await this.parts.db
      .updateTable('reconcile')
      .set({ progress: JSON.stringify(progress) })
      .where('id', '=', id)
      .where('state', '=', 'running')
      .execute();
    this.parts.events.tell({ topic: 'reconcile', id });
  }
}
