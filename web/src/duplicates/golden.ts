import { goldenRecord, type SurvivorRule, toText, type Value } from '@golden/core';
import type { DuplicateGroup, DuplicateSearch } from '../api/queries.ts';

/** A field's value in a record, as a text. */
export const valueAt = (record: Readonly<Record<string, unknown>>, path: string): string =>
  toText(
    path
      .split('/')
      .slice(1)
      .reduce<unknown>(
        (part, name) =>
          (part as Record<string, unknown> | undefined)?.[name.replaceAll('~1', '/').replaceAll('~0', '~')],
        record,
      ) as Value,
  );

/** By field: which value wins, and the record that it is from. */
export type Golden = Readonly<Record<string, { readonly value: string; readonly from: string }>>;

/** What the golden record would hold, by the same rules the server merges by. */
export function chooseGolden(
  group: DuplicateGroup,
  fields: DuplicateSearch['fields'],
  usual: SurvivorRule,
  byHand: Readonly<Record<string, string>>,
): Golden {
  const updated = (record: Readonly<Record<string, unknown>>): string => {
    const at = Object.entries(record).find(([name]) => /^(updated|modified)_?at$/i.test(name));
    return at ? String(at[1]) : '';
  };
  const { from, values } = goldenRecord(
    group.records.map(({ id, record }) => ({ id, record: record as never, updated: updated(record) })),
    fields,
    Object.fromEntries(Object.entries(byHand).map(([path, id]) => [path, { from: id }])),
    usual,
  );
  return Object.fromEntries(
    fields.flatMap(({ path }) =>
      from[path] === undefined ? [] : [[path, { value: toText(values[path]), from: from[path] }]],
    ),
  );
}
