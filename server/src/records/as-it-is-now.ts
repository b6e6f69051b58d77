import { AppError } from '@golden/connectors';
import {
  conceptOf,
  type Field,
  formOf,
  isEmpty,
  type JsonRecord,
  proposeEquality,
  readPointer,
  type Value,
} from '@golden/core';
import type { Services } from '../services.ts';
import { loadSettings } from '../settings.ts';
import type { RecordKey } from './identities.ts';

/** A record as one app has it now. */
export interface RecordThere {
  readonly key: RecordKey;
  readonly app: string;
  readonly kind: string;
  readonly url: string | null;
  /** Why it can't be shown: it is gone, or its app doesn't answer. */
  readonly problem: string | null;
}

/** A field of the record with its value in each app; the same field is called otherwise from app to app. */
export interface FieldNow {
  readonly label: string;
  /** In the order of the apps: null where the app has no such field. */
  readonly cells: readonly ({ readonly value: Value; readonly differs: boolean } | null)[];
}

/** More apps than these side by side can't be read. */
const mostShown = 8;

interface Read extends RecordThere {
  readonly fields: readonly Field[];
  readonly record: JsonRecord | undefined;
}

type Parts = Pick<Services, 'db' | 'connections'>;

/** A record as it is now in each of its apps, field by field; what differs from the first app that has it is marked. */
export async function asItIsNow(services: Parts, identities: readonly RecordKey[]) {
  const read: Read[] = [];
  for (const key of identities.slice(0, mostShown)) read.push(await readNow(services, key));
  const { country, zone } = await loadSettings(services.db);
  const rows = new Map<string, { label: string; at: (Field | undefined)[] }>();
  for (const [at, one] of read.entries()) {
    if (!one.record) continue;
    for (const field of one.fields) {
      // An id of another record says nothing beside that record's name.
      if (['list', 'record', 'id'].includes(field.type) || field.readOnly) continue;
      const name = sameField(field);
      const row = rows.get(name) ?? { label: field.label, at: [] };
      // Two fields of one record that mean the same: the first tells.
      row.at[at] ??= field;
      rows.set(name, row);
    }
  }
  const fields = [...rows.values()].flatMap(({ label, at }): FieldNow[] => {
    const values = read.map((one, index) => {
      const field = at[index];
      return field && one.record ? { field, value: readPointer(one.record, field.path) ?? null } : undefined;
    });
    if (values.every((one) => one === undefined || isEmpty(one.value))) return [];
    const first = values.find((one) => one !== undefined);
    return [
      {
        label,
        cells: values.map((one) => {
          if (!one || !first) return null;
          const as = proposeEquality(first.field, one.field);
          const loose = as === 'spaces' ? 'case' : as;
          const form = (value: Value): string => formOf(value, loose, { country, zone });
          return { value: one.value, differs: form(one.value) !== form(first.value) };
        }),
      },
    ];
  });
  const isShared = ({ cells }: FieldNow): boolean => cells.filter((cell) => cell !== null).length > 1;
  return {
    there: read.map(({ fields: _fields, record: _record, ...one }): RecordThere => one),
    // What several have is compared first; what one alone has follows.
    fields: [...fields.filter(isShared), ...fields.filter((row) => !isShared(row))],
    isMore: identities.length > mostShown,
  };
}

/** What a field is about, so that `postcode` stands beside `postal address · postcode`. */
function sameField({ label, type }: Field): string {
  const own = label.split(' · ').at(-1) ?? label;
  return conceptOf(own) ?? (type === 'email' || type === 'phone' ? type : own.toLowerCase().replaceAll('_', ' '));
}

async function readNow({ connections }: Parts, key: RecordKey): Promise<Read> {
  const path = JSON.parse(key.place) as string[];
  const by = connections.leadingTo(key.account);
  const nothing = { key, fields: [], record: undefined, url: null };
  if (by === undefined)
    return {
      ...nothing,
      app: 'An app that isn’t connected',
      kind: path.at(-1) ?? '',
      problem: 'No connection leads there any more.',
    };
  const { name: app } = await connections.get(by);
  try {
    const connector = await connections.connector(by);
    const { fields, plural: kind } = await connector.describe(path);
    const found = await connector.fetch(path, key.id);
    const url = found ? (connector.linkTo(path, key.id) ?? null) : null;
    return { key, app, kind, url, fields, record: found?.record, problem: found ? null : 'It isn’t there any more.' };
  } catch (error) {
    const said = error instanceof AppError ? error.message : 'It can’t be read from here.';
    return { ...nothing, app, kind: path.at(-1) ?? '', problem: said };
  }
}
