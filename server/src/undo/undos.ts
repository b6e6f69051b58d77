import { AppError } from '@golden/connectors';
import { goesBack, type UndoKind, type UndoWish, undoKinds } from '@golden/core';
import { sql } from 'kysely';
import PQueue from 'p-queue';
import type { Db } from '../db/open.ts';
import type { ItemRow, UndoRecordRow, UndoRow } from '../db/schema.ts';
import type { EngineContext } from '../engine/context.ts';
import type { Engine } from '../engine/engine.ts';
import { NotPossible } from '../engine/errors.ts';
import { openUndoings, TakeBackWaits } from '../engine/take-back.ts';
import { type Foreseen, type Prospect, prospectOf, type UndoParts } from './prospect.ts';
import { CannotTakeBack } from './undoing.ts';

/** Records that are looked at before they are stored. */
const page = 100;
/** Records that are asked for at the same time. */
const atOnce = 4;
/** Milliseconds between two looks whether what was held up can go on. */
const pause = 3000;

interface Parts extends UndoParts, Pick<EngineContext, 'commits' | 'events' | 'seams' | 'log' | 'redaction'> {
  readonly engine: Pick<Engine, 'takeBack' | 'takeThese'>;
}

/**
 * Undoing whole runs: each record is looked at first, as the apps are now; then what a person wants goes back record by
 * record, the last first, in the background. How far it is stands in the data file, so that it goes on after a crash.
 */
export class Undos {
  private readonly under = new Map<string, Promise<void>>();
  private readonly toStop = new Set<string>();
  private readonly queue = new PQueue({ concurrency: atOnce });
  private timer: ReturnType<typeof setInterval> | undefined;
  private isEnding = false;

  constructor(private readonly parts: Parts) {}

  /**
   * Begins to look at what undoing a run would do. A look that wasn't carried out is replaced.
   *
   * @throws NotPossible while the run, or its undoing, is under way
   */
  async look(runId: string): Promise<string> {
    const { db, seams } = this.parts;
    const run = await db.selectFrom('run').selectAll().where('id', '=', runId).executeTakeFirst();
    if (!run) throw new NotPossible('This run isn’t there any more.');
    if (run.state === 'listing' || run.state === 'working')
      throw new NotPossible('The run is still under way. Stop it first, or wait until it has ended.');
    const last = await this.ofRun(runId);
    if (last && (last.state === 'undoing' || last.state === 'waiting'))
      throw new NotPossible('The run is being undone already.');
    if (last?.state === 'looking') return last.id;
    await db.deleteFrom('undo').where('run_id', '=', runId).where('started_at', 'is', null).execute();
    const id = seams.id();
    await db
      .insertInto('undo')
      .values({
        id,
        workflow_id: run.workflow_id,
        run_id: runId,
        state: 'looking',
        message: null,
        wish: null,
        made_at: seams.now(),
        started_at: null,
        ended_at: null,
      })
      .execute();
    this.begin(id, () => this.lookAtAll(id, runId));
    return id;
  }

  /** What undoing one record would do now. @throws NotPossible, AppError */
  async prospectOf(itemId: string): Promise<Prospect> {
    const item = await this.parts.db.selectFrom('item').selectAll().where('id', '=', itemId).executeTakeFirst();
    if (!item) throw new NotPossible('This record isn’t there any more.');
    return prospectOf(this.parts, item);
  }

  /** The newest undoing of a run; undefined where none was begun. */
  ofRun(runId: string): Promise<UndoRow | undefined> {
    return this.parts.db
      .selectFrom('undo')
      .selectAll()
      .where('run_id', '=', runId)
      .orderBy('made_at', 'desc')
      .orderBy('id', 'desc')
      .executeTakeFirst();
  }

  /** @throws NotPossible when it isn't there */
  async get(id: string): Promise<UndoRow> {
    const row = await this.parts.db.selectFrom('undo').selectAll().where('id', '=', id).executeTakeFirst();
    if (!row) throw new NotPossible('This undoing isn’t there any more. Look again.');
    return row;
  }

  /**
   * Undoes what a person wants of what was looked at.
   *
   * @param without - items that stay all the same
   * @throws NotPossible where nothing would go back, or it was begun already
   */
  async carryOut(id: string, wish: UndoWish, without: readonly string[] = []): Promise<void> {
    const { commits, seams } = this.parts;
    const kinds = undoKinds.filter((kind) => goesBack(kind, wish));
    await this.get(id);
    await commits.run(async (trx) => {
      const begun = await trx
        .updateTable('undo')
        .set({ state: 'undoing', message: null, wish: JSON.stringify(wish), started_at: seams.now() })
        .where('id', '=', id)
        .where('state', 'in', ['looked', 'stopped'])
        .returning('id')
        .executeTakeFirst();
      if (!begun) throw new NotPossible('Look at what would go back first.');
      const chosen = await trx
        .updateTable('undo_row')
        .set({ state: 'chosen' })
        .where('undo_id', '=', id)
        .where('state', '=', 'looked')
        .where('kind', 'in', kinds)
        .where(sql<boolean>`item_id NOT IN (SELECT value FROM json_each(${JSON.stringify(without)}))`)
        .executeTakeFirst();
      if (chosen.numUpdatedRows === 0n) throw new NotPossible('Nothing would go back so. Choose what is undone.');
    });
    seams.reach('undo:after-begin');
    this.begin(id, () => this.undoAll(id));
  }

  /** Ends a look or an undoing after the record that it is at; what went back by then stays so. */
  async stop(id: string): Promise<void> {
    const { state } = await this.get(id);
    this.toStop.add(id);
    if (this.under.has(id)) await this.under.get(id);
    else if (state === 'waiting') await this.end(id, 'stopped');
    this.toStop.delete(id);
  }

  /** Has what went back taken in once more; gives the run. @throws NotPossible where nothing did */
  async sendAgain(id: string): Promise<string> {
    const { db, engine } = this.parts;
    const { workflow_id } = await this.get(id);
    const rows = await db
      .selectFrom('undo_row')
      .innerJoin('item', 'item.id', 'undo_row.item_id')
      .select('undo_row.source_id')
      .distinct()
      .where('undo_id', '=', id)
      .where('undo_row.state', '=', 'done')
      .where('item.state', '=', 'undone')
      .orderBy('item.seq')
      .execute();
    if (rows.length === 0) throw new NotPossible('Nothing of it was undone, so there is nothing to send again.');
    return engine.takeThese(
      workflow_id,
      rows.map(({ source_id }) => source_id),
    );
  }

  /** Waits for what is under way. */
  async wait(id: string): Promise<void> {
    await this.under.get(id);
  }

  /** Goes on with what an earlier process left, or what was held up. */
  async goOn(): Promise<void> {
    const open = await this.parts.db
      .selectFrom('undo')
      .select(['id', 'run_id', 'state'])
      .where('state', 'in', ['looking', 'undoing', 'waiting'])
      .execute();
    for (const { id, run_id, state } of open)
      if (!this.under.has(id))
        this.begin(id, () => (state === 'looking' ? this.lookAtAll(id, run_id) : this.undoAll(id)));
  }

  /** Looks from now on whether what is held up can go on. */
  start(): void {
    this.timer = setInterval(() => void this.goOn().catch(() => undefined), pause);
    this.timer.unref();
  }

  /** Ends with the process: what is under way is gone on with by the next one. */
  async stopAll(): Promise<void> {
    clearInterval(this.timer);
    this.isEnding = true;
    await Promise.all(this.under.values());
  }

  private begin(id: string, work: () => Promise<void>): void {
    const { log, redaction } = this.parts;
    const all = work()
      .catch((error: unknown) => {
        const said = error instanceof Error ? error.message : String(error);
        log.error({ undo: id, said: redaction.clean(said) }, 'undoing broke off');
        return this.end(id, 'broken', 'It met a fault of its own. Look again.').catch(() => undefined);
      })
      .finally(() => this.under.delete(id));
    this.under.set(id, all);
  }

  private async lookAtAll(id: string, runId: string): Promise<void> {
    const { db } = this.parts;
    // What an earlier process has looked at may be otherwise by now.
    await db.deleteFrom('undo_row').where('undo_id', '=', id).execute();
    const shared = await this.sharing(runId);
    const foreseen: Foreseen = new Map();
    let before = Number.MAX_SAFE_INTEGER;
    let at = 0;
    for (;;) {
      if (this.isEnding) return;
      if (this.toStop.has(id)) return this.end(id, 'broken', 'Stopped before all was looked at. Look again.');
      const items = await db
        .selectFrom('item')
        .selectAll()
        .where('run_id', '=', runId)
        .where('seq', '<', before)
        .orderBy('seq', 'desc')
        .limit(page)
        .execute();
      if (items.length === 0) return this.end(id, 'looked');
      before = items.at(-1)?.seq ?? 0;
      let prospects: Prospect[];
      try {
        prospects = await this.prospectsOf(items, shared, foreseen);
      } catch (error) {
        if (!(error instanceof AppError)) throw error;
        return this.end(id, 'broken', `${this.parts.connections.masked(error.message)} Look again later.`);
      }
      const rows = items.map((item, place): UndoRecordRow => {
        const { kind, found } = prospects[place] as Prospect;
        const { id: item_id, source_id, title } = item;
        return {
          undo_id: id,
          at: at + place,
          item_id,
          source_id,
          title,
          kind,
          found: JSON.stringify(found),
          state: 'looked',
          message: null,
        };
      });
      await db.insertInto('undo_row').values(rows).execute();
      at += rows.length;
      this.tell(id);
    }
  }

  /**
   * What undoing each of several items would do. Those that wrote to one record go back one after the other, the last
   * first: each is judged by what the one before it leaves. All others are asked for a few at the same time.
   */
  private async prospectsOf(
    items: readonly ItemRow[],
    shared: ReadonlySet<string>,
    foreseen: Foreseen,
  ): Promise<Prospect[]> {
    const alone = this.queue.addAll(
      items.map((item) => async () => (shared.has(item.id) ? undefined : prospectOf(this.parts, item))),
    );
    const together = new Map<string, Prospect>();
    const one = async (): Promise<void> => {
      for (const item of items)
        if (shared.has(item.id)) together.set(item.id, await prospectOf(this.parts, item, foreseen));
    };
    const [found] = await Promise.all([alone, one()]);
    return items.map(({ id }, at) => (found[at] ?? together.get(id)) as Prospect);
  }

  /** Items of a run that wrote to a record to which another item of it wrote as well. */
  private async sharing(runId: string): Promise<ReadonlySet<string>> {
    const { rows } = await sql<{ id: string }>`WITH own AS (
        SELECT item.id, account, place, remote_id FROM item JOIN write ON write.item_id = item.id
        WHERE run_id = ${runId} AND status = 'done' AND purpose = 'deliver' AND remote_id IS NOT NULL)
      SELECT DISTINCT id FROM own JOIN (SELECT account, place, remote_id FROM own GROUP BY 1, 2, 3
        HAVING count(DISTINCT id) > 1) AS many USING (account, place, remote_id)`.execute(this.parts.db);
    return new Set(rows.map(({ id }) => id));
  }

  private async undoAll(id: string): Promise<void> {
    const { wish: stored } = await this.get(id);
    const wish = JSON.parse(stored ?? '{}') as Partial<UndoWish>;
    await this.setState(id, 'undoing', null);
    for (;;) {
      if (this.isEnding) return;
      if (this.toStop.has(id)) return this.end(id, 'stopped');
      const row = await this.nextOf(id);
      if (!row) return this.end(id, 'done');
      const held = await this.undoOne(row, wish.sent === true);
      if (held !== undefined) return this.setState(id, 'waiting', held);
      this.parts.seams.reach('undo:after-record');
      this.tell(id);
    }
  }

  private nextOf(id: string): Promise<UndoRecordRow | undefined> {
    return this.parts.db
      .selectFrom('undo_row')
      .selectAll()
      .where('undo_id', '=', id)
      .where('state', '=', 'chosen')
      .orderBy('at')
      .limit(1)
      .executeTakeFirst();
  }

  /** Undoes one record, and notes what came of it; gives why it is held up, where it is. */
  private async undoOne(row: UndoRecordRow, leavesSent: boolean): Promise<string | undefined> {
    const { db, engine } = this.parts;
    const item = await db.selectFrom('item').select('state').where('id', '=', row.item_id).executeTakeFirst();
    if (!item) return this.note(row, 'stays', 'It isn’t known any more.');
    // It went back with what handed it over, or before the last process ended.
    if (item.state === 'undone') return this.note(row, 'done', await this.notesOf(row));
    // Whoever does what is stored of it goes on with it.
    const open = await openUndoings(db, row.item_id);
    if (open.length > 0) return 'An app doesn’t answer. It goes on by itself as soon as it does.';
    try {
      await engine.takeBack(row.item_id, { leavesSent });
    } catch (error) {
      if (error instanceof TakeBackWaits || error instanceof NotPossible) return error.message;
      if (!(error instanceof CannotTakeBack)) throw error;
      return this.note(row, 'stays', error.message);
    }
    return this.note(row, 'done', await this.notesOf(row));
  }

  /** What there is to know of how a record went back. */
  private async notesOf({ item_id, kind, found }: UndoRecordRow): Promise<string | null> {
    const last = await this.parts.db
      .selectFrom('journal')
      .select('content')
      .where('item_id', '=', item_id)
      .where('kind', '=', 'taken_back')
      .orderBy('id', 'desc')
      .executeTakeFirst();
    const { notes = [] } = last ? (JSON.parse(last.content) as { notes?: string[] }) : {};
    const told = kind === 'sent' ? [...notes, (JSON.parse(found) as Prospect['found']).says] : notes;
    return told.length > 0 ? told.join(' ') : null;
  }

  private async note(
    { undo_id, at }: UndoRecordRow,
    state: UndoRecordRow['state'],
    message: string | null,
  ): Promise<undefined> {
    await this.parts.db
      .updateTable('undo_row')
      .set({ state, message })
      .where('undo_id', '=', undo_id)
      .where('at', '=', at)
      .execute();
  }

  private async end(id: string, state: 'looked' | 'done' | 'stopped' | 'broken', message: string | null = null) {
    const { db, seams } = this.parts;
    await db.updateTable('undo').set({ state, message, ended_at: seams.now() }).where('id', '=', id).execute();
    // What didn't get its turn may be chosen anew.
    if (state === 'stopped')
      await db
        .updateTable('undo_row')
        .set({ state: 'looked' })
        .where('undo_id', '=', id)
        .where('state', '=', 'chosen')
        .execute();
    this.tell(id);
  }

  private async setState(id: string, state: UndoRow['state'], message: string | null): Promise<void> {
    await this.parts.db.updateTable('undo').set({ state, message }).where('id', '=', id).execute();
    this.tell(id);
  }

  private tell(id: string): void {
    this.parts.events.tell({ topic: 'undo', id });
  }
}

/** How many records of an undoing are of each kind, and how many of what was chosen went back or stay. */
export async function countUndo(db: Db, id: string) {
  const rows = await db
    .selectFrom('undo_row')
    .select(['kind', 'state', (eb) => eb.fn.countAll<number>().as('count')])
    .where('undo_id', '=', id)
    .groupBy(['kind', 'state'])
    .execute();
  const kinds = Object.fromEntries(undoKinds.map((kind) => [kind, 0])) as Record<UndoKind, number>;
  const states = { looked: 0, chosen: 0, done: 0, stays: 0 };
  for (const { kind, state, count } of rows) {
    kinds[kind] += count;
    states[state] += count;
  }
  return { kinds, ...states };
}
