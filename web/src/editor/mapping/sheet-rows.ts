import { type Field, type Filling, parsePointer } from '@golden/core';

/** A row of the grid: a field, or the head of nested ones that can be folded away. */
export type GridRow =
  | { readonly kind: 'field'; readonly field: Field }
  | {
      readonly kind: 'group';
      readonly name: string;
      readonly label: string;
      readonly count: number;
      readonly filled: number;
      readonly isFolded: boolean;
    };

/** Fewer nested fields need no head of their own. */
const fewest = 2;

const groupOf = (field: Field): string => {
  const tokens = parsePointer(field.path);
  return tokens.length > 1 ? (tokens[0] ?? '') : '';
};

/** Fields with a head before those that are nested in one part of the record; folded parts show only their head. */
export function gridRows(
  fields: readonly Field[],
  mapping: Readonly<Record<string, Filling>>,
  folded: ReadonlySet<string>,
): GridRow[] {
  const members = new Map<string, Field[]>();
  for (const field of fields) {
    const group = groupOf(field);
    if (group) members.set(group, [...(members.get(group) ?? []), field]);
  }
  const done = new Set<string>();
  return fields.flatMap((field): GridRow[] => {
    const group = groupOf(field);
    const all = members.get(group) ?? [];
    if (!group || all.length < fewest) return [{ kind: 'field', field }];
    if (done.has(group)) return [];
    done.add(group);
    const isFolded = folded.has(group);
    const label = (all[0]?.label ?? group).split(' · ')[0] ?? group;
    const filled = all.filter((one) => mapping[one.path]).length;
    const head: GridRow = { kind: 'group', name: group, label, count: all.length, filled, isFolded };
    return isFolded ? [head] : [head, ...all.map((one) => ({ kind: 'field' as const, field: one }))];
  });
}

/** The fields whose name, or what fills them, has the text. */
export function matching(fields: readonly Field[], search: string, words: (field: Field) => string): readonly Field[] {
  const wanted = search.trim().toLowerCase();
  if (wanted === '') return fields;
  return fields.filter(
    (field) => field.label.toLowerCase().includes(wanted) || words(field).toLowerCase().includes(wanted),
  );
}
