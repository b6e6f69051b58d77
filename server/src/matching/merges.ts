import { type Connector, NotThere } from '@golden/connectors';
import {
  type Field,
  isSameValue,
  type JsonRecord,
  type PlannedWrite,
  type Pointer,
  type RecordType,
  readPointer,
  type Target,
  type Value,
} from '@golden/core';
import type { Connections } from '../connections.ts';
import type { Db } from '../db/open.ts';
import type { MergeTable } from '../db/schema.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import { Told } from '../told.ts';
import { moveLinks } from './links.ts';
import type { Mirrors, PlaceKey } from './mirrors.ts';

/** A merge can't be done or undone; the message says why, and nothing more was changed. */
export class CannotMerge extends Told {
  override readonly name = 'CannotMerge';
  readonly status = 409;
  readonly type = 'not-possible';
}

/** One step of a merge: a change as a value, so that it can be stored, done once, and undone. */
export type MergeStep =
  | { readonly kind: 'update'; readonly write: PlannedWrite }
  /** The app makes one of two; `pointed` is what led to the other before. */
  | { readonly kind: 'merge'; readonly survivor: string; readonly other: string }
  | { readonly kind: 'remove'; readonly id: string; readonly record: JsonRecord }
  | { readonly kind: 'links'; readonly from: string; readonly to: string; readonly ids?: readonly string[] };

/** What a merge is to come to. */
export interface MergeWish {
  readonly groupId: string;
  readonly place: PlaceKey;
  readonly survivor: string;
  readonly others: readonly string[];
  /** The golden record's values. */
  readonly values: Readonly<Record<Pointer, Value>>;
}

/** Makes one record of several in their app, and undoes it. */
export class Merges {
  constructor(
    private readonly db: Db,
    private readonly connections: Connections,
    private readonly mirrors: Mirrors,
    private readonly events: Events,
    private readonly seams: Seams,
  ) {}

  /**
   * Updates the survivor, lets what leads to the others lead to it, and puts the others away. The
   * steps are stored first; after a crash the rest is done at the next start.
   * @throws CannotMerge before anything is changed
   */
  async merge(wish: MergeWish): Promise<string> {
    const steps = await this.plan(wish);
    const id = this.seams.id();
    await this.db
      .insertInto('merge')
      .values({
        id,
        group_id: wish.groupId,
        connection: wish.place.connection,
        account: this.connections.accountOf(wish.place.connection),
        place: JSON.stringify(wish.place.path),
        survivor: wish.survivor,
        steps: JSON.stringify(steps),
        done: 0,
        state: 'merging',
        message: null,
        made_at: this.seams.now(),
        ended_at: null,
      })
      .execute();
    await this.carryOn(id);
    return id;
  }

  /** Goes on with merges that an earlier process left. */
  async resume(): Promise<void> {
    const left = await this.db
      .selectFrom('merge')
      .select(['id', 'state'])
      .where('state', 'in', ['merging', 'undoing'])
      .execute();
    for (const { id, state } of left)
      await (state === 'merging' ? this.carryOn(id) : this.goBack(id)).catch(() => undefined);
  }

  /** @throws CannotMerge when the connection leads to another account by now: its ids are others' */
  expectAccount(connection: string, account: string | null): void {
    if (account !== null && this.connections.accountOf(connection) !== account)
      throw new CannotMerge('The connection leads to another account now. Go back to the one from before first.');
  }

  private async plan({ place, survivor, others, values }: MergeWish): Promise<MergeStep[]> {
    const connector = await this.connections.connector(place.connection);
    const described = await connector.describe(place.path);
    if (!described.can.update)
      throw new CannotMerge(`Records of ${place.path.at(-1)} can’t be changed from here. Export the list instead.`);
    const there = await connector.fetch(place.path, survivor);
    if (!there) throw new CannotMerge('The record that should stay isn’t there any more. Search for duplicates again.');
    const steps: MergeStep[] = [];
    const update = updateOf(place, described, survivor, there.record, values);
    if (update) steps.push({ kind: 'update', write: update });
    for (const other of others) {
      const record = await connector.fetch(place.path, other);
      if (!record) throw new CannotMerge('One of the records isn’t there any more. Search for duplicates again.');
      steps.push(...(await this.repointing(place, described, other, survivor)));
      steps.push(await this.putAway(connector, place, described, survivor, { id: other, record: record.record }));
      steps.push({ kind: 'links', from: other, to: survivor });
    }
    return steps;
  }

  /** Everything of the same app that leads to a record, led to another one. */
  private async repointing(place: PlaceKey, described: RecordType, from: string, to: string): Promise<MergeStep[]> {
    const connector = await this.connections.connector(place.connection);
    const above = place.path.slice(0, -1);
    const steps: MergeStep[] = [];
    for (const choice of await connector.places(above)) {
      if (!choice.isPlace) continue;
      const path = [...above, choice.id];
      const type = await connector.describe(path);
      const pointing = type.fields.filter(
        (field) => field.type === 'id' && field.idOf === described.name && !field.readOnly,
      );
      if (pointing.length === 0 || !type.can.list || !type.can.update) continue;
      const there = { connection: place.connection, path };
      await this.mirrors.sync(there);
      for (const { id, record } of await this.mirrors.all(there)) {
        for (const field of pointing) {
          if (String(readPointer(record, field.path as Pointer) ?? '') !== from) continue;
          steps.push({ kind: 'update', write: changeOf(there, type, id, record, { [field.path]: to }) });
        }
      }
    }
    return steps;
  }

  private async putAway(
    connector: Connector,
    place: PlaceKey,
    described: RecordType,
    survivor: string,
    other: { readonly id: string; readonly record: JsonRecord },
  ): Promise<MergeStep> {
    if (connector.canMerge?.(place.path)) return { kind: 'merge', survivor, other: other.id };
    const retired = connector.retiredField?.(place.path);
    if (retired)
      return { kind: 'update', write: changeOf(place, described, other.id, other.record, { [retired]: true }) };
    return { kind: 'remove', id: other.id, record: other.record };
  }

  private async carryOn(id: string): Promise<void> {
    const { connection, account, place, steps, done } = await this.load(id);
    this.expectAccount(connection, account);
    const there = { connection, path: JSON.parse(place) as string[] };
    const all = JSON.parse(steps) as MergeStep[];
    try {
      for (let at = done; at < all.length; at++) {
        all[at] = await this.doStep(there, all[at] as MergeStep, `${id}-${at}`);
        await this.db
          .updateTable('merge')
          .set({ done: at + 1, steps: JSON.stringify(all) })
          .where('id', '=', id)
          .execute();
      }
      await this.end(id, 'merged', null);
    } catch (error) {
      await this.end(id, 'unsure', error instanceof Error ? error.message : 'It was interrupted.');
      throw error;
    }
  }

  /** Does one step; doing it twice changes nothing more. Gives it back with what undoing needs to know. */
  private async doStep(place: PlaceKey, step: MergeStep, token: string): Promise<MergeStep> {
    const connector = await this.connections.connector(place.connection);
    switch (step.kind) {
      case 'update':
        await connector.update({ write: step.write, token });
        await this.learn(step.write.target, step.write.id ?? '');
        return step;
      case 'merge':
        await connector.merge?.(place.path, step.survivor, step.other, token);
        await this.mirrors.note(place, step.other, null);
        return step;
      case 'remove':
        await connector.remove(place.path, step.id, step.record).catch((error: unknown) => {
          if (!(error instanceof NotThere)) throw error;
        });
        await this.mirrors.note(place, step.id, null);
        return step;
      case 'links': {
        const rows = await this.db
          .selectFrom('link')
          .select('id')
          .where('to_account', '=', this.connections.accountOf(place.connection))
          .where('to_place', '=', JSON.stringify(place.path))
          .where('to_id', '=', step.from)
          .execute();
        await moveLinks(
          this.db,
          { account: this.connections.accountOf(place.connection), path: place.path },
          step.from,
          step.to,
        );
        return { ...step, ids: [...(step.ids ?? []), ...rows.map((row) => row.id)] };
      }
    }
  }

  /**
   * Puts everything back as it was: the others come back, what led to them leads to them again, the
   * survivor has its former values.
   * @throws CannotMerge when somebody changed the survivor meanwhile
   */
  async undo(id: string): Promise<void> {
    const merge = await this.load(id);
    if (merge.state !== 'merged' && merge.state !== 'unsure') throw new CannotMerge('There is nothing to undo.');
    const first = (JSON.parse(merge.steps) as MergeStep[])[0];
    if (first?.kind === 'update' && merge.done > 0) await this.expectUntouched(first.write);
    await this.db.updateTable('merge').set({ state: 'undoing', message: null }).where('id', '=', id).execute();
    await this.goBack(id);
  }

  private async goBack(id: string): Promise<void> {
    const { connection, account, place, steps, done } = await this.load(id);
    this.expectAccount(connection, account);
    const there = { connection, path: JSON.parse(place) as string[] };
    const all = JSON.parse(steps) as MergeStep[];
    /** Records that were removed come back under other ids. */
    const renamed = new Map<string, string>();
    try {
      for (let at = done - 1; at >= 0; at--) {
        await this.undoStep(there, all[at] as MergeStep, renamed, `${id}-${at}-back`);
        await this.db.updateTable('merge').set({ done: at }).where('id', '=', id).execute();
      }
      await this.end(id, 'undone', null);
    } catch (error) {
      await this.end(id, 'unsure', error instanceof Error ? error.message : 'It was interrupted.');
      throw error;
    }
  }

  private async undoStep(place: PlaceKey, step: MergeStep, renamed: Map<string, string>, token: string): Promise<void> {
    const connector = await this.connections.connector(place.connection);
    switch (step.kind) {
      case 'update': {
        const { write } = step;
        const before = Object.fromEntries(
          Object.keys(write.values).map((path) => {
            const value = readPointer(write.before ?? {}, path as Pointer) ?? null;
            return [path, renamed.get(String(value)) ?? value];
          }),
        );
        await connector.update({ write: { ...write, values: before }, token });
        await this.learn(write.target, write.id ?? '');
        return;
      }
      case 'merge': {
        const retired = connector.retiredField?.(place.path);
        if (!retired) throw new CannotMerge('The app can’t bring back a record that it merged.');
        const described = await connector.describe(place.path);
        const back = changeOf(place, described, step.other, { [retired.slice(1)]: true }, { [retired]: false });
        await connector.update({ write: back, token });
        await this.learn(back.target, step.other);
        return;
      }
      case 'remove': {
        const described = await connector.describe(place.path);
        const values = writable(described.fields, step.record);
        const made = await connector.create({
          write: {
            kind: 'create',
            target: targetOf(place, described),
            values,
            types: typesOf(described.fields, values),
          },
          token,
        });
        renamed.set(step.id, made.id);
        await this.learn(targetOf(place, described), made.id);
        return;
      }
      case 'links':
        if (step.ids?.length)
          await this.db
            .updateTable('link')
            .set({ to_id: renamed.get(step.from) ?? step.from })
            .where('id', 'in', [...step.ids])
            .execute();
    }
  }

  private async expectUntouched(write: PlannedWrite): Promise<void> {
    const connector = await this.connections.connector(write.target.connection);
    const there = await connector.fetch(write.target.path, write.id ?? '');
    if (!there) throw new CannotMerge('The record that stayed isn’t there any more.');
    for (const [path, value] of Object.entries(write.values)) {
      if (!isSameValue(readPointer(there.record, path as Pointer), value, write.types[path] ?? 'text'))
        throw new CannotMerge(`Somebody changed ${path.slice(1)} since. Nothing was undone.`);
    }
  }

  /** The copy here learns how the record is now. */
  private async learn(target: Target, id: string): Promise<void> {
    const connector = await this.connections.connector(target.connection);
    const now = await connector.fetch(target.path, id);
    await this.mirrors.note(target, id, now?.record ?? null);
  }

  /** @throws CannotMerge when there is none */
  private async load(id: string): Promise<MergeTable> {
    const merge = await this.db.selectFrom('merge').selectAll().where('id', '=', id).executeTakeFirst();
    if (!merge) throw new CannotMerge('This merge isn’t there any more.');
    return merge;
  }

  private async end(id: string, state: MergeTable['state'], message: string | null): Promise<void> {
    const row = await this.db
      .updateTable('merge')
      .set({ state, message, ended_at: this.seams.now() })
      .where('id', '=', id)
      .returning('group_id')
      .executeTakeFirstOrThrow();
    const ofGroup = { merged: 'merged', undone: 'open', unsure: 'unsure' } as const;
    if (state === 'merged' || state === 'undone' || state === 'unsure')
      await this.db
        .updateTable('duplicate_group')
        .set({ state: ofGroup[state], message })
        .where('id', '=', row.group_id)
        .execute();
    this.events.tell({ topic: 'duplicates' });
  }
}

const targetOf = (place: PlaceKey, described: RecordType): Target => ({
  connection: place.connection,
  path: place.path,
  recordType: described.name,
});

const typesOf = (fields: readonly Field[], values: Readonly<Record<Pointer, Value>>): PlannedWrite['types'] =>
  Object.fromEntries(
    Object.keys(values).map((path) => [path, fields.find((field) => field.path === path)?.type ?? 'text']),
  );

function changeOf(
  place: PlaceKey,
  described: RecordType,
  id: string,
  before: JsonRecord,
  values: Readonly<Record<Pointer, Value>>,
): PlannedWrite {
  return {
    kind: 'update',
    target: targetOf(place, described),
    id,
    values,
    types: typesOf(described.fields, values),
    before,
  };
}

/** The survivor's update: only what differs, only what may be written. */
function updateOf(
  place: PlaceKey,
  described: RecordType,
  id: string,
  record: JsonRecord,
  values: Readonly<Record<Pointer, Value>>,
): PlannedWrite | undefined {
  const changed = Object.fromEntries(
    Object.entries(values).filter(([path, value]) => {
      const field = described.fields.find((one) => one.path === path);
      return field && !field.readOnly && !isSameValue(readPointer(record, path as Pointer) ?? null, value, field.type);
    }),
  );
  return Object.keys(changed).length > 0 ? changeOf(place, described, id, record, changed) : undefined;
}

function writable(fields: readonly Field[], record: JsonRecord): Record<Pointer, Value> {
  return Object.fromEntries(
    fields.flatMap((field): [string, Value][] => {
      const value = readPointer(record, field.path as Pointer);
      return field.readOnly || value === undefined || value === null ? [] : [[field.path, value]];
    }),
  );
}
