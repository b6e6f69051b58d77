import { createHash, randomUUID } from 'node:crypto';
import { readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { IndexField, JsonRecord, MatchModel } from '@golden/core';
import type { Logger } from 'pino';
import type { Db } from '../db/open.ts';
import type { Seams } from '../seams.ts';
import { type CopiedRecord, changesOf, copiedPages, keyOf, sizeOfCopy, textsOf } from './copy.ts';
import type { IndexedRecord } from './index-host.ts';
import type { AccountPlace } from './links.ts';
import { type MatchingWorker, Stopped } from './worker-client.ts';

/** Milliseconds for which an index counts as used: a month. */
const usedLately = 30 * 24 * 60 * 60_000;
/** Indexes kept open at once; the one used longest ago makes room. */
const mostOpen = 16;
/** Records that cross to the worker at once: a few milliseconds of work. */
const chunk = 500;
/** When an index is stored. */
export interface StoringLimits {
  /** One of fewer records is built anew in no time. */
  readonly leastStored: number;
  /** So many records have changed, and a twentieth of all: taking up fewer than these is quick. */
  readonly leastChanged: number;
  /** Milliseconds between two times. */
  readonly apart: number;
}

const usualLimits: StoringLimits = { leastStored: 2000, leastChanged: 500, apart: 60_000 };

interface Open {
  readonly name: string;
  readonly place: AccountPlace;
  readonly fields: readonly IndexField[];
  /** Records that it was given since it was stored. */
  changed: number;
  storedAt: number;
  storing: Promise<void> | undefined;
}

export interface IndexParts {
  readonly db: Db;
  readonly seams: Seams;
  readonly worker: MatchingWorker;
  readonly log: Logger;
  /** Where indexes are stored. */
  readonly folder: string;
  readonly limits?: StoringLimits;
}

/**
 * The indexes of the copies of places, in the worker: filled from the copy, kept up to date with it, and stored, so that
 * the first lookup after a start doesn't wait until a large one is built anew.
 */
export class MirrorIndexes {
  private readonly indexes = new Map<string, Open>();
  private readonly opening = new Map<string, Promise<void>>();
  /** Those of which it was noted in this process that they are used. */
  private readonly noted = new Set<string>();
  /** Records that are only on their way, by their place. */
  private readonly comings = new Map<string, Map<string, JsonRecord>>();
  /** For each place how many changes are in the copy that its indexes were not given yet. */
  private readonly changing = new Map<string, number>();

  private readonly limits: StoringLimits;

  constructor(private readonly parts: IndexParts) {
    this.limits = parts.limits ?? usualLimits;
    parts.worker.onLost(() => {
      this.indexes.clear();
      this.opening.clear();
    });
  }

  private of(place: AccountPlace): Open[] {
    const key = keyOf(place);
    return [...this.indexes.values()].filter((one) => keyOf(one.place) === key);
  }

  /**
   * A change of the copy with what its indexes are given of it: while any is under way no index of the place is stored,
   * since it might lack what the copy has.
   */
  async whileChanging<T>(place: AccountPlace, change: () => Promise<T>): Promise<T> {
    const key = keyOf(place);
    this.changing.set(key, (this.changing.get(key) ?? 0) + 1);
    try {
      return await change();
    } finally {
      const left = (this.changing.get(key) ?? 1) - 1;
      if (left > 0) this.changing.set(key, left);
      else this.changing.delete(key);
    }
  }

  /** What is new or other in the copy. */
  async put(place: AccountPlace, records: readonly { readonly id: string; readonly record: JsonRecord }[]) {
    for (const open of this.of(place)) {
      // A listing in the middle of a run shows what the run itself has just made, too.
      for (let from = 0; from < records.length; from += chunk)
        await this.parts.worker.host.put(open.name, indexed(records.slice(from, from + chunk), open.fields), false);
      open.changed += records.length;
    }
  }

  async remove(place: AccountPlace, ids: readonly string[]): Promise<void> {
    for (const { name } of this.of(place)) await this.parts.worker.host.remove(name, ids, false);
  }

  async settle(place: AccountPlace): Promise<void> {
    for (const { name } of this.of(place)) await this.parts.worker.host.settle(name);
  }

  /** Puts a record that is only on its way into the indexes of its place, not into the copy. */
  async putComing(place: AccountPlace, id: string, record: JsonRecord): Promise<void> {
    const key = keyOf(place);
    this.comings.set(key, (this.comings.get(key) ?? new Map<string, JsonRecord>()).set(id, record));
    for (const { name, fields } of this.of(place))
      await this.parts.worker.host.put(name, indexed([{ id, record }], fields), false);
  }

  async dropComing(place: AccountPlace, id: string): Promise<void> {
    const there = this.comings.get(keyOf(place));
    there?.delete(id);
    if (there?.size === 0) this.comings.delete(keyOf(place));
    await this.remove(place, [id]);
  }

  /** The name of the index of a place over these fields with these weights, opened. */
  async index(place: AccountPlace, fields: readonly IndexField[], weights: number | undefined): Promise<string> {
    const name = nameOf(place, fields, weights);
    if (!this.noted.has(name)) await this.noteUsed(name, place, fields, weights);
    await this.opened(name, place, fields, weights);
    const open = this.indexes.get(name);
    if (open) {
      // Used last: it makes room last.
      this.indexes.delete(name);
      this.indexes.set(name, open);
    }
    return name;
  }

  /**
   * Opens the indexes that lookups used lately before anybody asks, the last used first. Those that nobody has used for a
   * month are forgotten, and those whose copy isn't there any more left out.
   */
  async warmUp(): Promise<void> {
    const { db, seams } = this.parts;
    const since = new Date(Date.parse(seams.now()) - usedLately).toISOString();
    await db.deleteFrom('mirror_index').where('used_at', '<', since).execute();
    const rows = await db.selectFrom('mirror_index').selectAll().orderBy('used_at', 'desc').execute();
    await this.removeFiles(new Set(rows.map(({ stored_as }) => stored_as)));
    for (const { name, account, place, fields, weights } of rows.slice(0, mostOpen)) {
      const of = { account, path: JSON.parse(place) as string[] };
      const copied = db.selectFrom('mirror').select('id').where('account', '=', account).where('place', '=', place);
      if (await copied.limit(1).executeTakeFirst())
        await this.opened(name, of, JSON.parse(fields) as IndexField[], weights ?? undefined);
    }
  }

  /** Files that no index is said to be stored in: of what is forgotten, and of what a process left in the middle. */
  private async removeFiles(stored: ReadonlySet<string | null>): Promise<void> {
    const there = await readdir(this.parts.folder).catch(() => []);
    for (const name of there) if (!stored.has(name)) await rm(join(this.parts.folder, name), { force: true });
  }

  private opened(
    name: string,
    place: AccountPlace,
    fields: readonly IndexField[],
    weights: number | undefined,
  ): Promise<void> {
    const known = this.opening.get(name);
    if (known) return known;
    const opening = this.open(name, place, fields, weights);
    this.opening.set(name, opening);
    opening.catch(() => this.opening.delete(name));
    return opening;
  }

  private async noteUsed(
    name: string,
    { account, path }: AccountPlace,
    fields: readonly IndexField[],
    weights: number | undefined,
  ): Promise<void> {
    this.noted.add(name);
    const used_at = this.parts.seams.now();
    const row = {
      account,
      place: JSON.stringify(path),
      fields: JSON.stringify(fields),
      weights: weights ?? null,
      used_at,
    };
    await this.parts.db
      .insertInto('mirror_index')
      .values({ name, ...row })
      .onConflict((conflict) => conflict.column('name').doUpdateSet(row))
      .execute();
  }

  private async open(
    name: string,
    place: AccountPlace,
    fields: readonly IndexField[],
    weights: number | undefined,
  ): Promise<void> {
    const { db, worker, seams } = this.parts;
    await worker.host.open(name, fields, weights === undefined ? null : await this.model(weights));
    const { stored_as, stored_to } = (await db
      .selectFrom('mirror_index')
      .select(['stored_as', 'stored_to'])
      .where('name', '=', name)
      .executeTakeFirst()) ?? { stored_as: null, stored_to: null };
    const isTakenUp = stored_as !== null && (await worker.host.takeUp(name, join(this.parts.folder, stored_as)));
    const open: Open = {
      name,
      place,
      fields,
      changed: 0,
      storedAt: isTakenUp ? seams.uptime() : Number.NEGATIVE_INFINITY,
      storing: undefined,
    };
    this.indexes.set(name, open);
    const coming = [...(this.comings.get(keyOf(place)) ?? [])].map(([id, record]) => ({ id, record }));
    await worker.host.put(name, indexed(coming, fields), false);
    for await (const rows of copiedPages(db, place, isTakenUp ? (stored_to ?? 0) : undefined)) {
      await worker.host.put(name, parsed(rows, fields));
      open.changed += rows.length;
    }
    if (isTakenUp) await this.alignIds(open);
    await this.makeRoom(name);
    this.storeSoon(place);
  }

  /**
   * After a stored index was taken up and given what has changed since: what was removed meanwhile goes, and should
   * anything be missing it is put in. Where both have as many nothing has to be looked at.
   */
  private async alignIds({ name, place, fields }: Open): Promise<void> {
    const { db, worker } = this.parts;
    const key = keyOf(place);
    const coming = this.comings.get(key);
    const size = worker.host.size(name);
    const copied = await sizeOfCopy(db, place);
    if (!this.changing.has(key) && (await size) === copied + (coming?.size ?? 0)) return;
    const left = new Set(await worker.host.ids(name));
    for await (const rows of copiedPages(db, place)) {
      const missing = rows.filter(({ id }) => !left.delete(id));
      if (missing.length > 0) await worker.host.put(name, parsed(missing, fields));
    }
    const gone = [...left].filter((id) => !this.comings.get(key)?.has(id));
    if (gone.length > 0) await worker.host.remove(name, gone);
  }

  private async makeRoom(name: string): Promise<void> {
    const [oldest] = this.indexes.keys();
    if (this.indexes.size <= mostOpen || oldest === undefined || oldest === name) return;
    this.indexes.delete(oldest);
    this.opening.delete(oldest);
    await this.parts.worker.host.close(oldest);
  }

  /** Stores the indexes of a place of which enough has changed, beside everything else. */
  storeSoon(place: AccountPlace): void {
    for (const open of this.of(place)) {
      const isDue = this.parts.seams.uptime() - open.storedAt >= this.limits.apart;
      if (open.changed < this.limits.leastChanged || !isDue || open.storing) continue;
      open.storing = this.store(open)
        .catch((error: unknown) => {
          if (!(error instanceof Stopped)) this.parts.log.warn(error, 'the index of a copy was not stored');
        })
        .finally(() => {
          open.storing = undefined;
        });
    }
  }

  /** Resolves when nothing is being stored any more. */
  async stored(): Promise<void> {
    await Promise.all([...this.indexes.values()].map(({ storing }) => storing));
  }

  private async store(open: Open): Promise<void> {
    const { db, worker, folder } = this.parts;
    const { name, place } = open;
    const size = await worker.host.size(name);
    if (size < this.limits.leastStored || open.changed < size / 20) return;
    const to = await changesOf(db, place);
    const key = keyOf(place);
    // What the copy has and the index was not given yet would be missing for good.
    if (this.changing.has(key) || this.indexes.get(name) !== open) return;
    const file = `${randomUUID()}.index`;
    const storing = worker.host.store(name, join(folder, file));
    open.changed = 0;
    open.storedAt = this.parts.seams.uptime();
    await storing;
    const before = await db.selectFrom('mirror_index').select('stored_as').where('name', '=', name).executeTakeFirst();
    await db.updateTable('mirror_index').set({ stored_as: file, stored_to: to }).where('name', '=', name).execute();
    const old = before ? before.stored_as : file;
    if (old !== null) await rm(join(folder, old), { force: true });
  }

  private async model(number: number): Promise<MatchModel | null> {
    const row = await this.parts.db
      .selectFrom('match_weights')
      .select('model')
      .where('number', '=', number)
      .executeTakeFirst();
    return row ? (JSON.parse(row.model) as MatchModel) : null;
  }
}

function indexed(
  records: readonly { readonly id: string; readonly record: JsonRecord }[],
  fields: readonly IndexField[],
): IndexedRecord[] {
  return records.map(({ id, record }) => ({ id, texts: textsOf(record, fields) }));
}

const parsed = (rows: readonly CopiedRecord[], fields: readonly IndexField[]): IndexedRecord[] =>
  indexed(
    rows.map(({ id, content }) => ({ id, record: JSON.parse(content) as JsonRecord })),
    fields,
  );

/** What was named already: fields of a step are the same for all its records. */
const namesMade = new WeakMap<readonly IndexField[], string>();

function nameOf(place: AccountPlace, fields: readonly IndexField[], weights: number | undefined): string {
  const about =
    namesMade.get(fields) ?? createHash('sha256').update(JSON.stringify(fields)).digest('base64url').slice(0, 16);
  namesMade.set(fields, about);
  return `${keyOf(place)}|${about}|${weights ?? 'fixed'}`;
}
