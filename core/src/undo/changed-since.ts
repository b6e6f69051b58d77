import type { PlannedWrite } from '../run/plan.ts';
import { isSameValue } from '../values/coerce.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import { isSameJson, type JsonRecord, type Value } from '../values/value.ts';

/** A field that holds something else than a write left there. */
export interface ChangedSince {
  readonly path: Pointer;
  readonly label: string;
  /** What stood there after the write. */
  readonly written: Value;
  readonly now: Value;
}

/**
 * The fields in which a record isn't any more as a write left it, in the order in which they were written; none where
 * nobody has touched it. A value counts as the same in every way of writing it that its type knows.
 *
 * @param read - the record as it was read back after the write; null where the app couldn't be asked
 * @param others - where the record is to be removed: all that would go with it, compared to the letter
 */
export function changedSince(
  written: PlannedWrite,
  there: JsonRecord,
  read: JsonRecord | null,
  fields: readonly Field[],
  others: readonly Field[] = [],
): ChangedSince[] {
  const labelOf = (path: Pointer): string => fieldAt(fields, path)?.label ?? path.slice(1);
  const own = Object.entries(written.values).flatMap(([path, sent]): ChangedSince[] => {
    const then = read ? (readPointer(read, path) ?? null) : sent;
    const now = readPointer(there, path) ?? null;
    if (isSameValue(now, then, written.types[path] ?? 'text')) return [];
    return [{ path, label: labelOf(path), written: then, now }];
  });
  if (!read) return own;
  const beside = others.flatMap(({ path, label }): ChangedSince[] => {
    if (own.some((one) => one.path === path)) return [];
    const [then, now] = [readPointer(read, path), readPointer(there, path)];
    return isSameJson(now, then) ? [] : [{ path, label, written: then ?? null, now: now ?? null }];
  });
  return [...own, ...beside];
}
