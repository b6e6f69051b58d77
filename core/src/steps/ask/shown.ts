import type { EvaluationContext } from '../../mapping/evaluation-context.ts';
import { type Cell, mapField } from '../../mapping/map-record.ts';
import type { PlannedWrite } from '../../run/plan.ts';
import { isSameValue } from '../../values/coerce.ts';
import { type Field, type FieldType, fieldAt } from '../../values/field.ts';
import { type Pointer, pointerLabel, readPointer } from '../../values/pointer.ts';
import { isRecord, type Value } from '../../values/value.ts';
import type { Place } from '../../workflow/place.ts';

/** One field of a write, as it is shown to whoever approves it. */
export interface ShownField {
  readonly path: Pointer;
  readonly label: string;
  readonly type: FieldType;
  /** What stands there now; absent in a new record. */
  readonly before?: Value;
  readonly after: Value;
  readonly options?: readonly { readonly value: string; readonly label: string }[];
  readonly isLong?: boolean;
  /** True where whoever approves it can write another value. */
  readonly canChange: boolean;
}

/** A write as it is shown to whoever approves it: all that their yes is bound to. */
export interface ShownWrite {
  readonly kind: PlannedWrite['kind'];
  /** "Ledger → Trade → customers", without the name of its connection. */
  readonly place: string;
  readonly singular: string;
  readonly connection: string;
  readonly path: readonly string[];
  /** The record that is changed; absent for a new one. */
  readonly id?: string;
  /** It goes out to somebody. */
  readonly isMessage?: true;
  readonly fields: readonly ShownField[];
}

/** A write as a person sees it before it is done. */
export function shownWrite(write: PlannedWrite, { labels, described }: Place): ShownWrite {
  const { kind, target, id, before, values, types } = write;
  const fields = Object.entries(values).map(([path, after]): ShownField => {
    const field = fieldAt(described.fields, path);
    const type = types[path] ?? field?.type ?? 'text';
    return {
      path,
      label: field?.label ?? pointerLabel(path),
      type,
      ...(before && { before: readPointer(before, path) ?? null }),
      after,
      ...(field?.options && { options: field.options }),
      ...(field?.isLong && { isLong: true }),
      canChange: !unchangeable.has(type) && field?.type !== 'id',
    };
  });
  return {
    kind,
    place: labels.join(' → '),
    singular: described.singular,
    connection: target.connection,
    path: target.path,
    ...(id !== undefined && { id }),
    ...(described.sentTo && { isMessage: true as const }),
    fields,
  };
}

/** Ids, and what isn't one value: nobody types those. */
const unchangeable: ReadonlySet<FieldType> = new Set(['id', 'record', 'list']);

/** Other values that a person has written into what they were shown, or what is wrong with them. */
export type CheckedChanges =
  | { readonly ok: true; readonly changes: Readonly<Record<Pointer, Value>> }
  | {
      readonly ok: false;
      readonly problems: readonly { readonly path: Pointer; readonly label: string; readonly message: string }[];
    };

/** Reads what a person has typed into a shown write, as the destination's fields have it. */
export function checkChanges(
  shown: ShownWrite,
  given: Readonly<Record<Pointer, Value>>,
  fields: readonly Field[],
  around: EvaluationContext,
): CheckedChanges {
  const changes: Record<Pointer, Value> = {};
  const problems: { path: Pointer; label: string; message: string }[] = [];
  for (const one of shown.fields) {
    if (!one.canChange || !Object.hasOwn(given, one.path)) continue;
    const field = fieldAt(fields, one.path) ?? { path: one.path, label: one.label, type: one.type };
    const cell: Cell = mapField(field, undefined, {}, around, given[one.path] ?? null);
    if (cell.state === 'problem') problems.push({ path: one.path, label: one.label, message: cell.message });
    else {
      const value = cell.state === 'filled' ? cell.value : null;
      if (!isSameValue(value, one.after, one.type)) changes[one.path] = value;
    }
  }
  return problems.length > 0 ? { ok: false, problems } : { ok: true, changes };
}

/**
 * What differs between a write and what a person said yes to: in words, each a field; none where it is exactly that. A
 * field that they changed has their value, or is left alone because it stands there already.
 */
export function otherThanApproved(
  shown: ShownWrite,
  changes: Readonly<Record<Pointer, Value>>,
  write: ShownWrite,
): string[] {
  if (shown.connection !== write.connection || shown.path.join('\n') !== write.path.join('\n'))
    return ['where it is written'];
  if (shown.kind !== write.kind || shown.id !== write.id)
    return [write.kind === 'create' ? `a new ${write.singular} is made` : `another ${write.singular} is changed`];
  const was = new Map(shown.fields.map((field) => [field.path, field]));
  const is = new Map(write.fields.map((field) => [field.path, field]));
  return [...new Set([...was.keys(), ...is.keys()])].flatMap((path) => {
    const [one, other] = [was.get(path), is.get(path)];
    const label = other?.label ?? one?.label ?? path;
    if (Object.hasOwn(changes, path)) {
      const isAsChanged = !other || isSame(other.after, changes[path] ?? null, other.type);
      return isAsChanged && (!one || !other || isSameBefore(one, other)) ? [] : [label];
    }
    if (!one || !other) return [label];
    return isSame(one.after, other.after, one.type) && isSameBefore(one, other) ? [] : [label];
  });
}

const isSameBefore = (one: ShownField, other: ShownField): boolean =>
  isSame(one.before ?? null, other.before ?? null, one.type);

/** To the letter for lists and records: lines that say more than was seen are others. */
const isSame = (one: Value, other: Value, type: FieldType): boolean =>
  Array.isArray(one) || Array.isArray(other) || isRecord(one) || isRecord(other)
    ? JSON.stringify(one) === JSON.stringify(other)
    : isSameValue(one, other, type);

/** Whether a write moves money: an amount of it, or lines with amounts. */
export const writesMoney = (fields: readonly Field[], paths: readonly Pointer[]): boolean =>
  paths.some((path) => {
    const field = fieldAt(fields, path);
    return field?.type === 'money' || (field?.fields ?? []).some(({ type }) => type === 'money');
  });
