import { type FieldDifference, harmless, type JsonRecord, toText } from '@golden/core';
import type { ReconcileRowTable } from '../db/schema.ts';

/** What a row holds. */
export interface FoundRecords {
  readonly left: readonly { readonly id: string; readonly record: JsonRecord }[];
  readonly right: readonly { readonly id: string; readonly record: JsonRecord }[];
  readonly differences: readonly FieldDifference[];
}

export const foundOf = (row: Pick<ReconcileRowTable, 'found'>): FoundRecords => JSON.parse(row.found) as FoundRecords;

const kinds: Readonly<Record<ReconcileRowTable['kind'], string>> = {
  differ: 'differs',
  only_left: 'only here',
  only_right: 'only there',
  doubled: 'doubled',
  unclear: 'unclear',
};

/** What was found as a table: a line for each field that differs, one for each record of the rest. */
export function reconcileTable(rows: readonly ReconcileRowTable[], left: string, right: string) {
  const head = ['Record', 'What', 'Field', left, right, `id in ${left}`, `id in ${right}`];
  const lines = rows.flatMap((row) => {
    const found = foundOf(row);
    const ids = (['left', 'right'] as const).map((side) => found[side].map(({ id }) => id).join(', '));
    const line = (label: string, one: string, other: string): string[] =>
      [row.title, kinds[row.kind], label, one, other, ...ids].map(harmless);
    if (row.kind !== 'differ') return [line('', '', '')];
    return found.differences.map((one) => line(one.label, toText(one.left), toText(one.right)));
  });
  return { head, lines };
}
