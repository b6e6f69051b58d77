import { type Field, fieldsOfPage, type Page } from '@golden/core';

/** The names that can stand in braces on a page: what the source holds, and what the page names already. */
export interface PageNames {
  readonly values: readonly string[];
  readonly lists: readonly string[];
  /** Within a line of that list: its own values, then those of the record. */
  inLine(list: string): readonly string[];
}

/** @param source - what the workflow takes in; empty where none is known */
export function namesOf(page: Page, source: readonly Field[]): PageNames {
  const all = [...source, ...fieldsSoFar(page)];
  const values = called(all.filter(({ type }) => type !== 'list' && type !== 'record'));
  return {
    values,
    lists: called(all.filter(({ type }) => type === 'list')),
    inLine: (list) => [
      ...new Set([
        ...called(all.filter(({ label }) => label === list).flatMap(({ fields = [] }) => fields)),
        ...values,
      ]),
    ],
  };
}

const called = (fields: readonly Field[]): string[] => [...new Set(fields.map(({ label }) => label))];

/** What the page names so far; nothing while something in it is half typed. */
function fieldsSoFar(page: Page): Field[] {
  try {
    return fieldsOfPage(page);
  } catch {
    return [];
  }
}
