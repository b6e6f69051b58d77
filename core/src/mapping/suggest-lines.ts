import type { Field } from '../values/field.ts';
import { nameLikeness } from './concepts.ts';
import { type Filling, type LinesFilling, lineId, type Ref } from './filling.ts';

/** Names less alike than this aren't taken for the same. */
const enough = 0.5;

/**
 * Lines of a list with the fields that are called alike filled from the source's; each source field
 * is used once, the likest first.
 */
export function suggestLines(list: Field, source: Field, ref: Ref): LinesFilling {
  const pairs = (list.fields ?? [])
    .filter((field) => !field.readOnly)
    .flatMap((field) =>
      (source.fields ?? []).map((from) => ({ field, from, likeness: nameLikeness(from.label, field.label) })),
    )
    .filter(({ field, from, likeness }) => likeness >= enough && (field.type === from.type || field.type === 'text'))
    .sort((one, other) => other.likeness - one.likeness);
  const mapping: Record<string, Filling> = {};
  const used = new Set<string>();
  for (const { field, from } of pairs) {
    if (mapping[field.path] || used.has(from.path)) continue;
    used.add(from.path);
    mapping[field.path] = { kind: 'field', ref: { step: lineId, path: from.path }, tidies: [] };
  }
  return { kind: 'lines', ref, mapping };
}
