import { isSameValue } from '../values/coerce.ts';
import { type Field, type FieldType, fieldAt } from '../values/field.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import { isEmpty, type JsonRecord, toText, type Value } from '../values/value.ts';
import type { Difference, FieldChange, ReadBackOutcome } from './outcome.ts';

/** Where a write goes. */
export interface Target {
  readonly connection: string;
  readonly path: readonly string[];
  readonly recordType: string;
}

/**
 * A write as a value: shown in a rehearsal, stored before it is sent, compared with what is read
 * back, and undone by its `before`.
 */
export interface PlannedWrite {
  readonly kind: 'create' | 'update';
  readonly target: Target;
  /** The record to change; absent for a create. */
  readonly id?: string;
  readonly values: Readonly<Record<Pointer, Value>>;
  readonly types: Readonly<Record<Pointer, FieldType>>;
  /** The record as it was, for an update. */
  readonly before?: JsonRecord;
  /** What recognises the record: how it is looked for when it is unclear whether the write was done. */
  readonly key?: { readonly path: Pointer; readonly value: Value };
}

/** A record found in the destination. `last` is our own last write to it: what was sent and what the app made of it. */
export interface Found {
  readonly id: string;
  readonly record: JsonRecord;
  readonly last?: { readonly sent: Readonly<Record<Pointer, Value>>; readonly read: JsonRecord };
}

/**
 * The fields in which the destination would change. A field that holds what the app itself made of
 * the very value we sent last is the same: an app that reformats what it is given isn't updated for ever.
 */
export function changesFor(
  values: Readonly<Record<Pointer, Value>>,
  types: Readonly<Record<Pointer, FieldType>>,
  found: Found,
  fields: readonly Field[],
): FieldChange[] {
  return Object.entries(values).flatMap(([path, after]) => {
    const before = readPointer(found.record, path) ?? null;
    const type = types[path] ?? 'text';
    if (isSameValue(before, after, type)) return [];
    if (found.last && isSameValue(found.last.sent[path], after, type)) {
      const made = readPointer(found.last.read, path) ?? null;
      if (isSameValue(made, before, type)) return [];
    }
    return [{ path, label: fieldAt(fields, path)?.label ?? path.slice(1), before, after }];
  });
}

/** What was read back beside what was sent, field by field. */
export function compareReadBack(
  write: PlannedWrite,
  read: JsonRecord,
  fields: readonly Field[],
): { readonly outcome: ReadBackOutcome; readonly differences: readonly Difference[] } {
  const differences = Object.entries(write.values).flatMap(([path, sent]) => {
    const there = readPointer(read, path) ?? null;
    if (isSameValue(sent, there, write.types[path] ?? 'text')) return [];
    return [{ path, label: fieldAt(fields, path)?.label ?? path.slice(1), sent, read: there }];
  });
  if (differences.length === 0) return { outcome: 'as_sent', differences };
  return { outcome: differences.some(isCut) ? 'cut' : 'altered', differences };
}

/** True when less came back than was sent: a shorter beginning of it, or nothing. */
function isCut({ sent, read }: Difference): boolean {
  if (isEmpty(read)) return true;
  const [before, after] = [toText(sent), toText(read).replace(/(…|\.\.\.)$/, '')];
  return after.length < before.length && before.startsWith(after);
}
