import {
  checkReadiness,
  type EvaluationContext,
  type Field,
  fieldAt,
  fillingText,
  type RowRemark,
  type WriteStep,
} from '@golden/core';
import { useCallback, useMemo, useState } from 'react';
import { useEditor } from '../draft/context.tsx';
import { useRemarks } from '../draft/use-remarks.ts';
import { useTaken } from '../lookup/use-taken.ts';
import type { SampleOnSheet } from '../samples/sample-run.ts';
import { type GridRow, gridRows, matching } from './sheet-rows.ts';

/** Which rows the sheet shows, and what is to be looked at in them. */
export interface SheetRows {
  readonly rows: readonly GridRow[];
  /** The fields with problems: how many of the samples that reach the sentence have one there. */
  readonly problems: ReadonlyMap<string, number>;
  readonly remarks: ReadonlyMap<string, readonly RowRemark[]>;
  readonly search: string;
  readonly setSearch: (search: string) => void;
  /** True while the rows with problems stand first. */
  readonly isFirst: boolean;
  readonly setProblemsFirst: (isFirst: boolean) => void;
  /** Opens or closes a group of fields. */
  readonly fold: (group: string) => void;
}

/** The rows of a write's sheet, as they are searched, folded and put in order. */
export function useSheetRows(
  step: WriteStep,
  fields: readonly Field[],
  reaching: readonly SampleOnSheet[],
  around: EvaluationContext,
): SheetRows {
  const { draft, version } = useEditor();
  const [isFirst, setProblemsFirst] = useState(false);
  const [search, setSearch] = useState('');
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const problems = useProblems(step, fields, reaching);
  const seen = useRemarks(step, fields, reaching, around);
  const taken = useTaken(step, reaching, around);
  const remarks = useMemo(() => withTaken(seen, taken), [seen, taken]);
  const rows = useMemo((): readonly GridRow[] => {
    const words = (field: Field): string => {
      const filling = step.mapping[field.path];
      return filling ? fillingText(draft.content, filling, version.locale) : '';
    };
    const found = matching(fields, search, words);
    const weight = (field: Field): number => troubled(problems, field) * 10 + (remarks.get(field.path)?.length ?? 0);
    if (isFirst)
      return [...found]
        .sort((one, other) => weight(other) - weight(one))
        .map((field) => ({ kind: 'field' as const, field }));
    return gridRows(found, step.mapping, search.trim() === '' ? folded : noGroups);
  }, [fields, search, isFirst, problems, remarks, step.mapping, folded, draft.content, version.locale]);
  const fold = useCallback(
    (group: string): void =>
      setFolded((now) => new Set(now.has(group) ? [...now].filter((one) => one !== group) : [...now, group])),
    [],
  );
  return { rows, problems, remarks, search, setSearch, isFirst, setProblemsFirst, fold };
}

const noGroups: ReadonlySet<string> = new Set();

const troubled = (problems: ReadonlyMap<string, number>, field: Field): number =>
  problems.has(field.path) ? 1 + (problems.get(field.path) ?? 0) : 0;

/** What all samples show of each row, with what the app said of numbers that are taken. */
function withTaken(
  seen: ReadonlyMap<string, readonly RowRemark[]>,
  taken: ReadonlyMap<string, RowRemark>,
): ReadonlyMap<string, readonly RowRemark[]> {
  if (taken.size === 0) return seen;
  return new Map([...seen, ...[...taken].map(([path, one]) => [path, [...(seen.get(path) ?? []), one]] as const)]);
}

/** The fields with problems: how many of the samples that reach the sentence have one there. */
function useProblems(
  step: WriteStep,
  fields: readonly Field[],
  reaching: readonly SampleOnSheet[],
): ReadonlyMap<string, number> {
  const { draft } = useEditor();
  return useMemo(() => {
    const counts = new Map<string, number>();
    for (const { results } of reaching) {
      const result = results[step.id];
      if (result?.kind !== 'unsettled') continue;
      for (const problem of result.fields) counts.set(problem.path, (counts.get(problem.path) ?? 0) + 1);
    }
    for (const problem of checkReadiness(draft.content)) {
      const isHere = problem.sentence === step.id && problem.severity === 'blocks' && problem.field;
      if (isHere && fieldAt(fields, problem.field ?? '') && !counts.has(problem.field ?? ''))
        counts.set(problem.field ?? '', 0);
    }
    return counts;
  }, [reaching, step.id, fields, draft.content]);
}
