import { chooseAwkward, type Field, type JsonRecord } from '@golden/core';
import { useMemo } from 'react';
import type { Sample } from '../../api/queries.ts';
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

/** What a sample is said to be; nothing where it is a record of the source. */
export const originWords: Record<Sample['origin'], string> = { real: '', made_up: 'made up', list: 'from a list' };

/** Samples with a problem that come onto the sheet by themselves. */
const mostTroubled = 2;

/**
 * Those chosen for the sheet first, then some that the sentence can't be done for, then the most
 * awkward of the others until the usual number is there.
 */
export function chooseColumns(
  reaching: readonly SampleOnSheet[],
  fields: readonly Field[],
  stepId: string,
): SheetColumn[] {
  const toColumn = (run: SampleOnSheet, why: string): SheetColumn => {
    const { origin } = run.sample;
    return { id: run.id, title: run.title, record: run.record, why: originWords[origin] || why, run };
  };
  const chosen = reaching.filter((one) => one.sample.isOnSheet === true);
  const open = reaching.filter((one) => one.sample.isOnSheet === undefined);
  const room = Math.max(0, usual - chosen.length);
  const troubled = open
    .filter((one) => one.results[stepId]?.kind === 'unsettled')
    .slice(0, Math.min(mostTroubled, room));
  const rest = open.filter((one) => !troubled.includes(one));
  const left = room - troubled.length;
  const awkward = left > 0 ? chooseAwkward(rest, (one) => one.record, fields, left) : [];
  return [
    ...chosen.map((one) => toColumn(one, 'chosen')),
    ...troubled.map((one) => toColumn(one, problemWords(one, stepId))),
    ...awkward.slice(0, left).map(({ sample, why }) => toColumn(sample, why)),
  ];
}

/** Which of its fields has the problem. */
function problemWords(run: SampleOnSheet, stepId: string): string {
  const result = run.results[stepId];
  const label = result?.kind === 'unsettled' ? result.fields[0]?.label : undefined;
  return label ? `problem in ${label}` : 'has a problem';
}

/** The columns of a sheet; which samples they are follows the samples, not every keystroke. */
export function useColumns(
  reaching: readonly SampleOnSheet[],
  fields: readonly Field[],
  stepId: string,
): readonly SheetColumn[] {
  const key = reaching.map((one) => `${one.id}${one.sample.isOnSheet ?? ''}`).join('\n');
  // biome-ignore lint/correctness/useExhaustiveDependencies: the records change only with their ids
  return useMemo(() => chooseColumns(reaching, fields, stepId), [key, fields, stepId]);
}
