import { exactKey } from '../matching/lookup/exact-key.ts';
import { kindOfField } from '../matching/lookup/kind-of-field.ts';
import { type Contributor, goldenRecord } from '../matching/survivorship.ts';
import { fieldAt } from '../values/field.ts';
import { type Pointer, readPointer, writePointer } from '../values/pointer.ts';
import { recordTitle } from '../values/title.ts';
import { type JsonRecord, toText } from '../values/value.ts';
import type { Start } from '../workflow/schema.ts';
import type { ItemState } from './state.ts';

/** A record of one run, in the order it was taken in. */
export interface TakenRecord {
  readonly id: string;
  readonly record: JsonRecord;
  readonly updated?: string | undefined;
}

/** What a run makes of records that are the same person or firm. */
export interface Doubles {
  /** By the id of a record that isn't the first of its kind. */
  readonly later: ReadonlyMap<string, NonNullable<ItemState['double']>>;
  /** By the id of a first one: the golden record of all of them, where that was chosen. */
  readonly golden: ReadonlyMap<string, JsonRecord>;
}

/**
 * Which records of one run are the same person or firm: those that hold the same in any of the
 * fields chosen for it, normalised as their kinds are. The first stands for them all.
 *
 * Law: every record but the first of its kind is told exactly once; records of one source id, being
 * one record that changed twice, are never doubles of each other.
 */
export function doublesOf(records: readonly TakenRecord[], start: Start): Doubles {
  const { doubles, source } = start;
  const later = new Map<string, NonNullable<ItemState['double']>>();
  const golden = new Map<string, JsonRecord>();
  if (!doubles || !source) return { later, golden };
  const { fields, singular } = source.described;
  const kinds = doubles.by.map((path) => {
    const field = fieldAt(fields, path);
    return { path: path as Pointer, kind: field ? kindOfField(field, singular) : ('text' as const) };
  });
  const firstByKey = new Map<string, TakenRecord>();
  const members = new Map<string, TakenRecord[]>();
  for (const one of records) {
    const keys = kinds.flatMap(({ path, kind }) => {
      const key = exactKey(kind === 'ignore' ? 'code' : kind, toText(readPointer(one.record, path)));
      return key === '' ? [] : [`${path}\n${key}`];
    });
    const first = keys.map((key) => firstByKey.get(key)).find((known) => known !== undefined && known.id !== one.id);
    for (const key of keys) if (!firstByKey.has(key)) firstByKey.set(key, first ?? one);
    if (!first || later.has(one.id)) continue;
    later.set(one.id, { of: first.id, title: recordTitle(first.record), treat: doubles.treat });
    members.set(first.id, [...(members.get(first.id) ?? [first]), one]);
  }
  if (doubles.treat === 'golden') for (const [id, all] of members) golden.set(id, goldenOf(all, start));
  return { later, golden };
}

/** One record of several: the newest word in each field, ids and times of the first. */
function goldenOf(all: readonly TakenRecord[], start: Start): JsonRecord {
  const fields = (start.source?.described.fields ?? []).filter((field) => !field.readOnly && !field.fields);
  const first = all[0] as TakenRecord;
  const { values } = goldenRecord(
    all.map((one): Contributor => ({ id: one.id, record: one.record, updated: one.updated })),
    fields,
  );
  return Object.entries(values).reduce<JsonRecord>(
    (record, [path, value]) => writePointer(record, path as Pointer, value),
    first.record,
  );
}
