import { setImmediate } from 'node:timers/promises';
import { AppError } from '@golden/connectors';
import {
  type Contributor,
  type Field,
  type FieldKind,
  type GoldenRecord,
  goldenRecord,
  type IndexField,
  type JsonRecord,
  kindOfField,
  type MatchField,
  type MatchModel,
  type Pointer,
  type RecordType,
  readPointer,
  type SearchProgress,
  type SurvivorChoice,
  type SurvivorRule,
  survivorOf,
  toText,
} from '@golden/core';
import type { Insertable } from 'kysely';
import type { Connections } from '../connections.ts';
import type { Db } from '../db/open.ts';
import type { DuplicateGroupTable, DuplicateSearchTable } from '../db/schema.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import { textsOf } from './copy.ts';
import type { FoundDuplicates, FoundGroup } from './index-host.ts';
import { CannotMerge, type Merges } from './merges.ts';
import type { Mirrors, PlaceKey } from './mirrors.ts';
import { keepApart } from './not-same.ts';
import { MatchingWorker, Stopped } from './worker-client.ts';

/** Records with their ids, as a search looks at them. */
export interface SearchedRecord {
  readonly id: string;
  readonly record: JsonRecord;
}

/** What is searched: a place of an app, or a file that was given. */
export type SearchSubject =
  | { readonly kind: 'place'; readonly place: PlaceKey; readonly labels: readonly string[] }
  | {
      readonly kind: 'file';
      readonly name: string;
      readonly columns: readonly string[];
      readonly records: readonly SearchedRecord[];
    };

/** A field of the records with what it says of who they are. */
export interface SearchField {
  readonly path: string;
  readonly label: string;
  readonly kind: FieldKind;
  readonly because: string;
  /** Part of a golden record: filled by people or other apps, not set by the app itself. */
  readonly isMerged: boolean;
}

/** How a group was settled: by which choices, and who stayed. */
export interface Settlement {
  readonly survivor: string;
  readonly choices: Readonly<Record<Pointer, SurvivorChoice>>;
  readonly usual: SurvivorRule;
}

/** Values of each field looked at to tell what it is. */
const looked = 1000;
/** Records of a file that go to the matching thread at once. */
const atOnce = 500;
/** Groups that are stored at once. */
const keptAtOnce = 50;

/** Of records that were known to be copies: nothing was searched. */
const notSearched = (records: number) => ({ records, comparedPairs: 0, shareOfPairs: 0, estimatedLoss: 0 });

/** Searches for duplicates and settles what they find. Each search has a thread of its own, so that it can be stopped. */
export class DuplicateSearches {
  private readonly under = new Map<string, { readonly worker: MatchingWorker; readonly work: Promise<void> }>();

  constructor(
    private readonly db: Db,
    private readonly connections: Connections,
    private readonly mirrors: Mirrors,
    private readonly merges: Merges,
    private readonly events: Events,
    private readonly seams: Seams,
  ) {}

  /** Begins a search; how far it is stands in the data file. Kinds a person chose count before the proposed ones. */
  async begin(subject: SearchSubject, kinds: Readonly<Record<string, FieldKind>> = {}): Promise<string> {
    const id = this.seams.id();
    const isPlace = subject.kind === 'place';
    await this.db
      .insertInto('duplicate_search')
      .values({
        id,
        connection: isPlace ? subject.place.connection : null,
        account: isPlace ? this.connections.accountOf(subject.place.connection) : null,
        place: isPlace ? JSON.stringify(subject.place.path) : null,
        labels: JSON.stringify(isPlace ? subject.labels : [subject.name]),
        fields: '[]',
        state: 'running',
        progress: null,
        figures: null,
        message: null,
        started_at: this.seams.now(),
        ended_at: null,
      })
      .execute();
    const worker = new MatchingWorker();
    const work = this.work(id, subject, kinds, worker).finally(async () => {
      this.under.delete(id);
      await worker.stop();
    });
    this.under.set(id, { worker, work });
    return id;
  }

  /** Takes over groups that a comparison found: they are settled like those of a search. Gives the search. */
  async adopt(
    place: PlaceKey,
    labels: readonly string[],
    groups: readonly (readonly SearchedRecord[])[],
  ): Promise<string> {
    const id = this.seams.id();
    const now = this.seams.now();
    const records = groups.flat();
    const subject: SearchSubject = { kind: 'place', place, labels };
    const fields = await this.fieldsOf(subject, records, {});
    await this.db
      .insertInto('duplicate_search')
      .values({
        id,
        connection: place.connection,
        account: this.connections.accountOf(place.connection),
        place: JSON.stringify(place.path),
        labels: JSON.stringify(labels),
        fields: JSON.stringify(fields),
        state: 'done',
        progress: null,
        figures: null,
        message: null,
        started_at: now,
        ended_at: now,
      })
      .execute();
    const byIds = new Map(groups.map((group) => [group.map((one) => one.id), group] as const));
    const found = [...byIds.keys()].map((ids) => ({ ids, probability: 1, isAsked: false }));
    const recordsOf = async (ids: readonly string[]) => byIds.get(ids as string[]) ?? [];
    const groupsAt = async (from: number) => found.slice(from, from + keptAtOnce);
    await this.keep(id, groupsAt, recordsOf, notSearched(records.length));
    this.events.tell({ topic: 'duplicates', id });
    return id;
  }

  /** Waits for a search that is under way. */
  async wait(id: string): Promise<void> {
    await this.under.get(id)?.work;
  }

  async stop(id: string): Promise<void> {
    const under = this.under.get(id);
    await under?.worker.stop();
    await under?.work;
  }

  async stopAll(): Promise<void> {
    await Promise.all([...this.under.keys()].map((id) => this.stop(id)));
  }

  /** What an earlier process left unfinished is stopped; merges go on. */
  async resume(): Promise<void> {
    await this.db.updateTable('duplicate_search').set({ state: 'stopped' }).where('state', '=', 'running').execute();
    await this.reopen(null);
    await this.merges.resume();
  }

  private async work(
    id: string,
    subject: SearchSubject,
    kinds: Readonly<Record<string, FieldKind>>,
    worker: MatchingWorker,
  ): Promise<void> {
    let state: DuplicateSearchTable['state'] = 'done';
    let message: string | null = null;
    try {
      if (subject.kind === 'place') await this.mirrors.sync(subject.place, true);
      const fields = await this.fieldsOf(subject, await this.firstOf(subject), kinds, worker);
      await this.db
        .updateTable('duplicate_search')
        .set({ fields: JSON.stringify(fields) })
        .where('id', '=', id)
        .execute();
      await this.search(id, subject, fields, worker);
    } catch (error) {
      if (error instanceof Stopped) state = 'stopped';
      else {
        state = 'broken';
        message =
          error instanceof AppError || error instanceof CannotMerge
            ? error.message
            : 'The search met a fault of its own. Search again.';
      }
    }
    await this.db
      .updateTable('duplicate_search')
      .set({ state, message, progress: null, ended_at: this.seams.now() })
      .where('id', '=', id)
      .execute();
    this.events.tell({ topic: 'duplicates', id });
  }

  /** The records by some at a time: nobody waits until all of a large place are read. */
  private async *pagesOf(subject: SearchSubject): AsyncGenerator<readonly SearchedRecord[]> {
    if (subject.kind === 'place') {
      for await (const rows of this.mirrors.pages(subject.place))
        yield rows.map(({ id, content }) => ({ id, record: JSON.parse(content) as JsonRecord }));
      return;
    }
    for (let from = 0; from < subject.records.length; from += atOnce) {
      yield subject.records.slice(from, from + atOnce);
      await setImmediate();
    }
  }

  /** Some of the records, by which it is told what the fields are. */
  private async firstOf(subject: SearchSubject): Promise<readonly SearchedRecord[]> {
    const first: SearchedRecord[] = [];
    for await (const page of this.pagesOf(subject)) {
      first.push(...page);
      if (first.length >= looked) break;
    }
    return first.slice(0, looked);
  }

  private async fieldsOf(
    subject: SearchSubject,
    records: readonly SearchedRecord[],
    kinds: Readonly<Record<string, FieldKind>>,
    worker: MatchingWorker = this.mirrors.worker,
  ): Promise<SearchField[]> {
    const described: Pick<RecordType, 'fields' | 'singular'> =
      subject.kind === 'place'
        ? await (await this.connections.connector(subject.place.connection)).describe(subject.place.path)
        : {
            singular: 'row',
            fields: subject.columns.map((label) => ({
              path: `/${label.replaceAll('~', '~0').replaceAll('/', '~1')}`,
              label,
              type: 'any',
            })),
          };
    const retired =
      subject.kind === 'place'
        ? (await this.connections.connector(subject.place.connection)).retiredField?.(subject.place.path)
        : undefined;
    const proposals = await worker.host.kinds(
      described.fields.map((field) => ({
        name: field.label.split(' · ').at(-1) ?? field.label,
        values: records.slice(0, looked).map(({ record }) => toText(readPointer(record, field.path as Pointer))),
      })),
    );
    return described.fields.map((field, at): SearchField => {
      const told = kindOfField(field, described.singular);
      const proposal = proposals[at];
      const byApp = ['email', 'phone', 'country'].includes(field.type) || field.type === 'id' || field.readOnly;
      // A kind that the app itself tells counts before one told by values; times, flags and ids say nothing of who it is.
      const kind: FieldKind =
        field.readOnly || ['boolean', 'instant', 'id', 'list', 'record', 'choice'].includes(field.type)
          ? 'ignore'
          : byApp
            ? told
            : (proposal?.kind ?? told);
      const chosen = kinds[field.path];
      return {
        path: field.path,
        label: field.label,
        kind: chosen ?? kind,
        because: chosen ? 'you chose it' : byApp ? 'the app says so' : (proposal?.because ?? ''),
        isMerged: !field.readOnly && field.path !== retired,
      };
    });
  }

  private async search(
    id: string,
    subject: SearchSubject,
    fields: readonly SearchField[],
    worker: MatchingWorker,
  ): Promise<void> {
    const compared = fields.filter(({ kind }) => kind !== 'ignore');
    if (compared.every(({ kind }) => kind === 'country'))
      throw new CannotMerge('No field says who a record is. Choose what the fields are.');
    const indexFields: IndexField[] = compared.map(({ path, label, kind }) => ({ path, label, kind }));
    for await (const page of this.pagesOf(subject))
      await worker.host.gather(page.map((one) => ({ id: one.id, texts: textsOf(one.record, indexFields) })));
    const matchFields: MatchField[] = compared.map(({ label, kind }) => ({ name: label, kind }));
    const found = await worker.call<FoundDuplicates>(
      'duplicates',
      [matchFields, await this.distinctPairs(subject)],
      (progress: SearchProgress) => this.tellProgress(id, progress),
    );
    const groupsAt = (from: number): Promise<readonly FoundGroup[]> => worker.host.found(from, keptAtOnce);
    await this.keep(id, groupsAt, this.readerOf(subject), found.figures);
    if (subject.kind === 'place') await this.keepWeights(subject.place, indexFields, found.model);
  }

  /** Gives records by their ids, as they were searched. */
  private readerOf(subject: SearchSubject): (ids: readonly string[]) => Promise<readonly SearchedRecord[]> {
    const given = subject.kind === 'file' ? new Map(subject.records.map((one) => [one.id, one])) : undefined;
    const read = async (id: string): Promise<SearchedRecord[]> => {
      if (subject.kind === 'file') return [given?.get(id)].filter((one) => one !== undefined);
      const record = await this.mirrors.get(subject.place, id);
      return record ? [{ id, record }] : [];
    };
    return async (ids) => (await Promise.all(ids.map(read))).flat();
  }

  /** What was learnt serves the lookups of the place too, under a number of its own, once somebody takes it. */
  private async keepWeights(
    { connection, path }: { readonly connection: string; readonly path: readonly string[] },
    fields: readonly IndexField[],
    model: MatchModel,
  ): Promise<void> {
    if (model.learntFrom === 0) return;
    const paths = fields.map((field) => field.path);
    await this.db
      .insertInto('match_weights')
      .values({
        connection,
        place: JSON.stringify(path),
        fields: JSON.stringify(paths),
        model: JSON.stringify({ ...model, fields: paths }),
        origin: 'learnt',
        decisions: 0,
        made_at: this.seams.now(),
      })
      .execute();
  }

  private tellProgress(id: string, progress: SearchProgress): void {
    void this.db
      .updateTable('duplicate_search')
      .set({ progress: JSON.stringify(progress) })
      .where('id', '=', id)
      .where('state', '=', 'running')
      .execute()
      .then(() => this.events.tell({ topic: 'duplicates', id }))
      .catch(() => undefined);
  }

  /** Pairs that a person said are different, by their ids. */
  private async distinctPairs(subject: SearchSubject): Promise<(readonly [string, string])[]> {
    if (subject.kind === 'file') return [];
    const rows = await this.db
      .selectFrom('not_same')
      .select(['one', 'other'])
      .where('account', '=', this.connections.accountOf(subject.place.connection))
      .where('place', '=', JSON.stringify(subject.place.path))
      .execute();
    return rows.map(({ one, other }) => [one, other]);
  }

  private async keep(
    id: string,
    groupsAt: (from: number) => Promise<readonly FoundGroup[]>,
    recordsOf: (ids: readonly string[]) => Promise<readonly SearchedRecord[]>,
    figures: FoundDuplicates['figures'],
  ): Promise<void> {
    for (let from = 0; ; from += keptAtOnce) {
      const groups = await groupsAt(from);
      if (groups.length === 0) break;
      const rows: Insertable<DuplicateGroupTable>[] = [];
      for (const [offset, { ids, probability, isAsked }] of groups.entries()) {
        const records = await recordsOf(ids);
        // Removed while it was searched.
        if (records.length < 2) continue;
        rows.push({
          id: this.seams.id(),
          search_id: id,
          at: from + offset,
          probability,
          is_asked: isAsked ? 1 : 0,
          records: JSON.stringify(records),
          state: 'open',
          settled: null,
          message: null,
          settled_at: null,
        });
      }
      if (rows.length > 0) await this.db.insertInto('duplicate_group').values(rows).execute();
      await setImmediate();
    }
    await this.db
      .updateTable('duplicate_search')
      .set({ figures: JSON.stringify(figures) })
      .where('id', '=', id)
      .execute();
  }

  /** A group is one and the same: the golden record is written to the one that stays. */
  async mergeGroup(groupId: string, settlement: Settlement): Promise<void> {
    const { group, search } = await this.group(groupId);
    if (group.state === 'merged') throw new CannotMerge('These are merged already.');
    if (search.connection === null || search.place === null)
      throw new CannotMerge('Records of a file are merged where the file comes from. Export the list.');
    this.merges.expectAccount(search.connection, search.account);
    const place = { connection: search.connection, path: JSON.parse(search.place) as string[] };
    const records = await this.readAfresh(place, JSON.parse(group.records) as SearchedRecord[]);
    const fields = await this.mergedFields(place);
    const { values } = goldenRecord(records, fields, settlement.choices, settlement.usual);
    await this.mark(groupId, { state: 'merging', settled: JSON.stringify(settlement) });
    try {
      await this.merges.merge({
        groupId,
        place,
        survivor: settlement.survivor,
        others: records.map(({ id }) => id).filter((id) => id !== settlement.survivor),
        values,
      });
    } catch (error) {
      // Where nothing was begun yet, it is open as before; a merge that broke off says itself that it needs a look.
      const message = error instanceof Error ? error.message : 'It could not be merged.';
      await this.reopen(message, groupId);
      throw error;
    }
  }

  /** Groups that were about to be merged when something came between, before their merge was stored. */
  private async reopen(message: string | null, groupId?: string): Promise<void> {
    await this.db
      .updateTable('duplicate_group')
      .set({ state: 'open', message })
      .where('state', '=', 'merging')
      .where(({ not, exists, selectFrom }) =>
        not(
          exists(
            selectFrom('merge')
              .select('merge.id')
              .whereRef('merge.group_id', '=', 'duplicate_group.id')
              .where('merge.state', '=', 'merging'),
          ),
        ),
      )
      .$if(groupId !== undefined, (query) => query.where('id', '=', groupId ?? ''))
      .execute();
    this.events.tell({ topic: 'duplicates' });
  }

  private async golden(place: PlaceKey, ids: readonly string[]): Promise<GoldenRecord> {
    const records = await this.readAfresh(
      place,
      ids.map((id) => ({ id, record: {} })),
    );
    return goldenRecord(records, await this.mergedFields(place));
  }

  /** What merging records would make of them by the usual choices: each filled field with the record it comes from. */
  async goldenOf(
    place: PlaceKey,
    survivor: string,
    others: readonly string[],
  ): Promise<{ path: string; label: string; value: string; from: string | null }[]> {
    const { values, from } = await this.golden(place, [survivor, ...others]);
    return (await this.mergedFields(place)).flatMap(({ path, label }) => {
      const value = toText(values[path as Pointer]);
      return value === '' ? [] : [{ path, label, value, from: from[path as Pointer] ?? null }];
    });
  }

  /** Records that a person says are one, without a search: the golden record by the usual choices. */
  async mergeRecords(place: PlaceKey, survivor: string, others: readonly string[]): Promise<string> {
    const { values } = await this.golden(place, [survivor, ...others]);
    return this.merges.merge({ groupId: '', place, survivor, others, values });
  }

  /** The fields of which a golden record is made. */
  private async mergedFields(place: PlaceKey): Promise<readonly Field[]> {
    const connector = await this.connections.connector(place.connection);
    const retired = connector.retiredField?.(place.path);
    const { fields } = await connector.describe(place.path);
    return fields.filter((field) => !field.readOnly && field.path !== retired);
  }

  private async readAfresh(place: PlaceKey, records: readonly SearchedRecord[]): Promise<Contributor[]> {
    const connector = await this.connections.connector(place.connection);
    const read = await Promise.all(records.map(({ id }) => connector.fetch(place.path, id)));
    const there = read.filter((one) => one !== null);
    if (there.length < records.length)
      throw new CannotMerge('One of the records isn’t there any more. Search for duplicates again.');
    return there.map(({ id, record, updated }) => ({ id, record, ...(updated && { updated }) }));
  }

  /** A group is not one: its records are never put together again. */
  async keepApart(groupId: string): Promise<void> {
    const { group, search } = await this.group(groupId);
    const ids = (JSON.parse(group.records) as SearchedRecord[]).map(({ id }) => id).sort();
    const { account, place } = search;
    if (account !== null && place !== null) {
      const pairs = ids.flatMap((one, at) => ids.slice(at + 1).map((other) => [one, other] as const));
      await keepApart(this.db, { account, path: JSON.parse(place) as string[] }, pairs, this.seams.now());
    }
    await this.mark(groupId, { state: 'different' });
  }

  /** Takes back how a group was settled: a merge is undone, “different” is forgotten. */
  async undo(groupId: string): Promise<void> {
    const { group, search } = await this.group(groupId);
    if (group.state === 'different') {
      const ids = (JSON.parse(group.records) as SearchedRecord[]).map(({ id }) => id);
      if (search.account !== null && search.place !== null)
        await this.db
          .deleteFrom('not_same')
          .where('account', '=', search.account)
          .where('place', '=', search.place)
          .where('one', 'in', ids)
          .where('other', 'in', ids)
          .execute();
      await this.mark(groupId, { state: 'open', settled: null });
      return;
    }
    const merge = await this.db
      .selectFrom('merge')
      .select('id')
      .where('group_id', '=', groupId)
      .orderBy('made_at', 'desc')
      .executeTakeFirst();
    if (!merge) throw new CannotMerge('There is nothing to undo.');
    await this.merges.undo(merge.id);
  }

  /** Merges every open group that is at least so sure, by the usual choices; gives what became of each. */
  async mergeAbove(searchId: string, line: number, usual: SurvivorRule): Promise<{ merged: number; left: number }> {
    const groups = await this.db
      .selectFrom('duplicate_group')
      .selectAll()
      .where('search_id', '=', searchId)
      .where('state', '=', 'open')
      .where('is_asked', '=', 0)
      .where('probability', '>=', line)
      .orderBy('at')
      .execute();
    let merged = 0;
    for (const group of groups) {
      const survivor = this.proposedSurvivor(
        JSON.parse(group.records) as SearchedRecord[],
        await this.linkCounts(group.id),
      );
      try {
        await this.mergeGroup(group.id, { survivor: survivor ?? '', choices: {}, usual });
        merged += 1;
      } catch (error) {
        // One that can't be merged is left as it is, with its reason; the others go on.
        await this.mark(group.id, {
          state: 'open',
          message: error instanceof Error ? error.message : 'It could not be merged.',
        });
      }
    }
    return { merged, left: groups.length - merged };
  }

  proposedSurvivor(records: readonly SearchedRecord[], linked: ReadonlyMap<string, number>): string | undefined {
    const paths = [...new Set(records.flatMap(({ record }) => Object.keys(record)))].map((name) => ({
      path: `/${name}`,
    }));
    return survivorOf(records, paths, (id) => linked.get(id) ?? 0);
  }

  /** The ids of a group's records. */
  async idsOf(groupId: string): Promise<string[]> {
    const { group } = await this.group(groupId);
    return (JSON.parse(group.records) as SearchedRecord[]).map(({ id }) => id);
  }

  /** How many links lead to each record of a group. */
  async linkCounts(groupId: string): Promise<ReadonlyMap<string, number>> {
    const { group, search } = await this.group(groupId);
    if (search.account === null || search.place === null) return new Map();
    const ids = (JSON.parse(group.records) as SearchedRecord[]).map(({ id }) => id);
    const rows = await this.db
      .selectFrom('link')
      .select(['to_id', (eb) => eb.fn.countAll<number>().as('count')])
      .where('to_account', '=', search.account)
      .where('to_place', '=', search.place)
      .where('to_id', 'in', ids)
      .groupBy('to_id')
      .execute();
    return new Map(rows.map((row) => [row.to_id, row.count]));
  }

  private async mark(id: string, change: Partial<DuplicateGroupTable>): Promise<void> {
    await this.db
      .updateTable('duplicate_group')
      .set({ message: null, settled_at: this.seams.now(), ...change })
      .where('id', '=', id)
      .execute();
    this.events.tell({ topic: 'duplicates' });
  }

  private async group(id: string): Promise<{ group: DuplicateGroupTable; search: DuplicateSearchTable }> {
    const group = await this.db.selectFrom('duplicate_group').selectAll().where('id', '=', id).executeTakeFirst();
    if (!group) throw new CannotMerge('This group isn’t there any more. Search for duplicates again.');
    const search = await this.db
      .selectFrom('duplicate_search')
      .selectAll()
      .where('id', '=', group.search_id)
      .executeTakeFirstOrThrow();
    return { group, search };
  }
}
