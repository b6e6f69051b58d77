import { chooseAwkward, type Field, type JsonRecord } from '@golden/core';
import { useMemo } from 'react';
import type { SampleOnSheet } from './sample-run.ts';

/** A sample that stands on the sheet as a column, and why. */
export interface SheetColumn {
  readonly id: string;
  readonly title: string;
  readonly record: JsonRecord;
  readonly why: string;
  readonly run: SampleOnSheet;
}

/** Columns on the sheet when nobody has chosen any. */
const usual = 6;

const originWords = { made_up: 'made up', list: 'from a list' } as const;

/** Those chosen for the sheet first, then the most awkward of the others until the usual number is there. */
export function chooseColumns(reaching: readonly SampleOnSheet[], fields: readonly Field[]): SheetColumn[] {
  const toColumn = (run: SampleOnSheet, why: string): SheetColumn => {
    const { origin } = run.sample;
    const said = origin === 'real' ? why : originWords[origin];
    return { id: run.id, title: run.title, record: run.record, why: said, run };
  };
  const chosen = reaching.filter((one) => one.sample.isOnSheet === true);
  const open = reaching.filter((one) => one.sample.isOnSheet === undefined);
  const room = Math.max(0, usual - chosen.length);
  const awkward = room > 0 ? chooseAwkward(open, (one) => one.record, fields, room) : [];
  return [
    ...chosen.map((one) => toColumn(one, 'chosen')),
    ...awkward.slice(0, room).map(({ sample, why }) => toColumn(sample, why)),
  ];
}

/** The columns of a sheet; which samples they are follows the samples, not every keystroke. */
export function useColumns(reaching: readonly SampleOnSheet[], fields: readonly Field[]): readonly SheetColumn[] {
  const key = reaching.map((one) => `${one.id}${one.sample.isOnSheet ?? ''}`).join('\n');
  // biome-ignore lint/correctness/useExhaustiveDependencies: the records change only with their ids
  return useMemo(() => chooseColumns(reaching, fields), [key, fields]);
}
