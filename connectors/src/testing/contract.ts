import {
  type Field,
  FieldSchema,
  isSameValue,
  type PlannedWrite,
  type Pointer,
  readPointer,
  type Value,
} from '@golden/core';
import type { PracticeState } from '@golden/standins';
import type { Connector } from '../connector.ts';
import { AppError, type Changed, NotThere, Refused, Unsure } from '../errors.ts';
import { pagesOf } from '../paging.ts';

// What the engine relies on, whichever app stands behind a connector. A new connector passes this
// suite before anything else is built on it.

type Values = Readonly<Record<Pointer, Value>>;

/** An app as the suite tries it: new for each test. */
export interface Subject {
  readonly connector: Connector;
  /** A place to which may be written. */
  readonly path: readonly string[];
  /** The values of a record, different for each number. */
  values(number: number): Values;
  /** A field that finds a record, filled by `values`. */
  readonly key: Pointer;
  /** A change of one field. */
  readonly change: Values;
  /** Brings a record there by another way, where nothing can be written from here; gives its id. */
  bring?(number: number): Promise<string>;
  /** How many records stand there, where that can't be asked from here. */
  count?(): number;
  /** Values that the app itself refuses. */
  readonly refused?: Values;
  /** By which the app is told to misbehave. */
  readonly state?: PracticeState;
  close(): Promise<void>;
}

/** What an app can't be tried for. */
interface Without {
  /** It takes whatever is written. */
  readonly refusals?: true;
  /** It can't be told to misbehave. */
  readonly troubles?: true;
  /** What stands there can't be looked at: things are only sent to it. */
  readonly reads?: true;
  /** Nothing is written to it. */
  readonly writes?: true;
}

/** Tests that every connector passes. */
export function connectorContract(name: string, open: () => Promise<Subject>, without: Without = {}): void {
  describe(name, () => {
    let subject: Subject;
    let tokens = 0;
    beforeEach(async () => {
      subject = await open();
    });
    afterEach(() => subject.close());

    const typesOf = async (values: Values): Promise<PlannedWrite['types']> => {
      const { fields } = await subject.connector.describe(subject.path);
      return Object.fromEntries(Object.keys(values).map((path) => [path, typeAt(fields, path)]));
    };
    const planned = async (values: Values, more: Partial<PlannedWrite> = {}): Promise<PlannedWrite> => ({
      kind: 'create',
      target: { connection: 'c', path: [...subject.path], recordType: subject.path.at(-1) ?? '' },
      values,
      types: await typesOf(values),
      ...more,
    });
    const token = (): string => {
      tokens += 1;
      return `contract-${tokens}`;
    };
    const make = async (number: number): Promise<string> =>
      subject.bring?.(number) ??
      (await subject.connector.create({ write: await planned(subject.values(number)), token: token() })).id;
    const all = async () => {
      const records = [];
      for await (const page of pagesOf(subject.connector, { path: subject.path })) records.push(...page.records);
      return records;
    };
    const count = async (): Promise<number> => subject.count?.() ?? (await all()).length;
    const expectHolds = async (id: string, values: Values): Promise<void> => {
      const there = await subject.connector.fetch(subject.path, id);
      const { fields } = await subject.connector.describe(subject.path);
      for (const [path, value] of Object.entries(values))
        expect([
          path,
          isSameValue(readPointer(there?.record ?? {}, path) ?? null, value, typeAt(fields, path)),
        ]).toEqual([path, true]);
    };

    test('says who is signed in, the same each time', async () => {
      const [one, other] = [await subject.connector.health(), await subject.connector.health()];
      expect(one.signedInAs).not.toBe('');
      expect([one.mayRead, one.mayWrite]).toEqual([true, !without.writes]);
      expect(other.account).toBe(one.account);
    });

    if (without.reads) onlySentTo();
    else readAndWritten();
    if (without.writes) return;

    if (!without.refusals) {
      test('what it refuses is told as refused, and made nothing', async () => {
        const before = await count();
        const write = await planned(subject.refused ?? {});
        await expect(subject.connector.create({ write, token: token() })).rejects.toThrow(Refused);
        expect(await count()).toBe(before);
      });
    }

    if (without.troubles) return;

    const kinds = ['refuse_rights', 'sign_out', 'rate_limit', 'fault', 'html', 'redirect', 'down'] as const;
    // Of an address that nobody described but its user, a page may be the answer that is meant.
    test.each(kinds.filter((kind) => kind !== 'html' || !without.reads))(
      'the trouble “%s” is told by its kind; a write that failed so made nothing',
      async (kind) => {
        const { troubles } = subject.state as PracticeState;
        const before = await count();
        const write = await planned(subject.values(1));
        troubles.set(kind, 1000);
        const failed = subject.connector.create({ write, token: token() });
        await expect(failed).rejects.toBeInstanceOf(AppError);
        troubles.clear();
        expect(await count()).toBe(before);
      },
    );

    test('a write that broke off before its answer is unsure, and is found out about the way that it says', async () => {
      const { troubles } = subject.state as PracticeState;
      const before = await count();
      const write = await planned(subject.values(1));
      const named = token();
      troubles.set('break_off', 1);
      await expect(subject.connector.create({ write, token: named })).rejects.toThrow(Unsure);
      troubles.clear();
      const { settleBy } = subject.connector;
      if (settleBy === 'idempotency_key') await subject.connector.create({ write, token: named });
      else if (settleBy === 'reference')
        expect(await subject.connector.findByToken?.(subject.path, named)).toMatchObject({ id: expect.any(String) });
      else if (!without.reads) {
        const key = subject.values(1)[subject.key] ?? null;
        expect(await subject.connector.find(subject.path, { path: subject.key, value: key })).toHaveLength(1);
      }
      expect(await count()).toBe(before + 1);
    });

    function onlySentTo(): void {
      test('describes fields by their paths, each once, and that things are only sent to it', async () => {
        const { fields, can } = await subject.connector.describe(subject.path);
        for (const field of fields) expect(FieldSchema.safeParse(field).success).toBe(true);
        expect(new Set(fields.map(({ path }) => path)).size).toBe(fields.length);
        expect(can).toEqual({ list: false, find: false, create: true, update: false, readBack: false });
      });

      test('what is sent comes there once; what can’t be done is told, and does nothing', async () => {
        const before = await count();
        await make(1);
        expect(await count()).toBe(before + 1);
        const { connector, path } = subject;
        await expect(connector.list({ path })).rejects.toBeInstanceOf(AppError);
        await expect(connector.find(path, { path: subject.key, value: 'x' })).rejects.toBeInstanceOf(AppError);
        const write = await planned(subject.change, { kind: 'update', id: '1', before: {} });
        await expect(connector.update({ write, token: token() })).rejects.toBeInstanceOf(AppError);
        await expect(connector.remove(path, '1', undefined)).rejects.toBeInstanceOf(AppError);
        expect(await connector.fetch(path, '1')).toBeNull();
        expect(await count()).toBe(before + 1);
      });
    }

    function readAndWritten(): void {
      test('its place is found by going down its choices, and one that isn’t there is said not to be', async () => {
        for (const [depth, id] of subject.path.entries()) {
          const choices = await subject.connector.places(subject.path.slice(0, depth));
          const choice = choices.find((one) => one.id === id);
          expect(choice).toMatchObject({ id, isPlace: depth === subject.path.length - 1 });
          expect(new Set(choices.map((one) => one.id)).size).toBe(choices.length);
        }
        const nowhere = [...subject.path.slice(0, -1), 'nowhere'];
        await expect(subject.connector.describe(nowhere)).rejects.toThrow(NotThere);
      });

      test('describes fields by their paths, each once, and what can be done', async () => {
        const { fields, can } = await subject.connector.describe(subject.path);
        for (const field of fields) expect(FieldSchema.safeParse(field).success).toBe(true);
        expect(new Set(fields.map(({ path }) => path)).size).toBe(fields.length);
        const writes = !without.writes;
        expect(can).toEqual({ list: true, find: writes, create: writes, update: writes, readBack: true });
      });

      test('lists every record once, with the values that fetching it gives', async () => {
        const before = (await all()).length;
        const ids: string[] = [];
        for (let number = 1; number <= 12; number++) ids.push(await make(number));
        const listed = await all();
        expect(listed.length - before).toBe(12);
        expect(new Set(listed.map(({ id }) => id)).size).toBe(listed.length);
        expect(listed.every(({ id }) => id !== '')).toBe(true);
        for (const id of ids.slice(0, 3)) expect(await subject.connector.fetch(subject.path, id)).toMatchObject({ id });
      });

      if (without.writes) {
        test('nothing is written to it, and what stands there stays', async () => {
          const id = await make(1);
          const there = (await subject.connector.fetch(subject.path, id))?.record;
          const create = await planned(subject.values(2));
          await expect(subject.connector.create({ write: create, token: token() })).rejects.toThrow(Refused);
          const update = await planned(subject.change, { kind: 'update', id, before: there ?? {} });
          await expect(subject.connector.update({ write: update, token: token() })).rejects.toThrow(Refused);
          await expect(subject.connector.remove(subject.path, id, there)).rejects.toThrow(Refused);
          expect((await all()).map((one) => [one.id, one.record])).toEqual([[id, there]]);
        });
        return;
      }

      test('what was created is found by its key, whole, and what nobody made isn’t', async () => {
        await make(1);
        const id = await make(2);
        await expectHolds(id, subject.values(2));
        const key = subject.values(2)[subject.key] ?? null;
        const found = await subject.connector.find(subject.path, { path: subject.key, value: key });
        expect(found.map((one) => one.id)).toEqual([id]);
        const other = subject.values(99)[subject.key] ?? null;
        expect(await subject.connector.find(subject.path, { path: subject.key, value: other })).toEqual([]);
        expect(await subject.connector.fetch(subject.path, '999999')).toBeNull();
      });

      test('a change changes its own fields and no other', async () => {
        const [id, neighbour] = [await make(1), await make(2)];
        const before = (await subject.connector.fetch(subject.path, id))?.record ?? {};
        const write = await planned(subject.change, { kind: 'update', id, before });
        await subject.connector.update({ write, token: token() });
        await expectHolds(id, { ...subject.values(1), ...subject.change });
        await expectHolds(neighbour, subject.values(2));
      });

      test('what was removed is gone, and removing it again does no harm', async () => {
        const [id, neighbour] = [await make(1), await make(2)];
        const there = (await subject.connector.fetch(subject.path, id))?.record;
        await subject.connector.remove(subject.path, id, there);
        const key = subject.values(1)[subject.key] ?? null;
        expect(await subject.connector.find(subject.path, { path: subject.key, value: key })).toEqual([]);
        await subject.connector.remove(subject.path, id, there).catch((error: NotThere | Changed) => {
          expect(error).toBeInstanceOf(AppError);
        });
        const left = subject.values(2)[subject.key] ?? null;
        expect(await subject.connector.find(subject.path, { path: subject.key, value: left })).toHaveLength(1);
        expect(neighbour).not.toBe('');
      });
    }
  });
}

const typeAt = (fields: readonly Field[], path: Pointer): Field['type'] =>
  fields.find((field) => field.path === path)?.type ?? 'text';
