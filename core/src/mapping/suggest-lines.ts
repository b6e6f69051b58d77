import type { Field } from '../values/field.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import { isRecord, type JsonRecord, toText } from '../values/value.ts';
import { nameLikeness } from './concepts.ts';
import { type Filling, type LinesFilling, lineId, type Ref } from './filling.ts';
import { lineRoleOf } from './money-roles.ts';

/** Names less alike than this aren't taken for the same. */
const enough = 0.5;

/**
 * Lines of a list with their fields filled from the source's: by what they mean in a sale, then by names
 * that are alike, the likest first; each source field is used once. What the trade has a usual value for
 * (pieces, the category of a rate of tax) is filled with it.
 *
 * @param records - samples of the source, for the rates of tax that occur
 */
export function suggestLines(list: Field, source: Field, ref: Ref, records: readonly JsonRecord[] = []): LinesFilling {
  const targets = (list.fields ?? []).filter((field) => !field.readOnly && !(field.type === 'id' && field.idOf));
  const mapping: Record<string, Filling> = {};
  const used = new Set<string>();
  const take = (field: Field, from: Field): void => {
    if (mapping[field.path] || used.has(from.path)) return;
    used.add(from.path);
    mapping[field.path] = { kind: 'field', ref: { step: lineId, path: from.path }, tidies: [] };
  };
  const sources = source.fields ?? [];
  for (const field of targets) {
    const role = lineRoleOf(field);
    const from = role && sources.find((one) => lineRoleOf(one) === role);
    if (from) take(field, from);
  }
  const pairs = targets
    .flatMap((field) => sources.map((from) => ({ field, from, likeness: nameLikeness(from.label, field.label) })))
    .filter(({ field, from, likeness }) => likeness >= enough && takes(field, from))
    .filter(({ field, from }) => lineRoleOf(field) === lineRoleOf(from))
    .sort((one, other) => other.likeness - one.likeness);
  for (const { field, from } of pairs) take(field, from);
  for (const field of targets) {
    const usual = mapping[field.path] ? undefined : usualValue(field, source, records);
    if (usual) mapping[field.path] = usual;
  }
  return { kind: 'lines', ref, mapping };
}

/** A text takes whatever is printed, and a number an amount. */
const takes = ({ type }: Field, from: Field): boolean =>
  type === from.type || type === 'text' || (type === 'decimal' && (from.type === 'money' || from.type === 'integer'));

/** Pieces (UN/ECE recommendation 20), and the categories of tax of EN 16931 by the rates that occur: S, and Z for none. */
function usualValue(field: Field, source: Field, records: readonly JsonRecord[]): Filling | undefined {
  const role = lineRoleOf(field);
  if (role === 'unit') return { kind: 'fixed', value: 'C62' };
  const rate = source.fields?.find((one) => lineRoleOf(one) === 'rate');
  const options = field.options?.map(({ value }) => value) ?? [];
  if (role !== 'category' || !rate || !options.includes('S')) return undefined;
  const rates = new Set<string>();
  for (const record of records) {
    const items = readPointer(record, source.path as Pointer);
    for (const item of Array.isArray(items) ? items : [])
      if (isRecord(item)) rates.add(toText(readPointer(item, rate.path as Pointer)));
  }
  rates.delete('');
  const table = [...rates]
    .sort()
    .map((from) => ({ from, to: Number(from) === 0 && options.includes('Z') ? 'Z' : 'S' }));
  if (table.length === 0) return undefined;
  return { kind: 'options', ref: { step: lineId, path: rate.path }, table, otherwise: { kind: 'problem' } };
}
