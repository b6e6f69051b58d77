import type { FieldPolicy, FirstDifference, WorkflowContent, WriteStep } from '@golden/core';
import { withStep } from './edits.ts';

/** The words people read for what happens to a field of a record that is there already. */
export const policyWords: Readonly<Record<FieldPolicy, string>> = {
  changed: 'write what changed in the source',
  changed_newest: 'what changed; the later change wins',
  always: 'always as the source has it',
  if_empty: 'only where it is empty there',
  newest: 'the newer record wins',
  never: 'never write over it',
  ask: 'ask me each time',
};

/** What happens to a field of a record that is there already. */
export const policyOf = ({ policies, otherwise }: WriteStep, path: string): FieldPolicy =>
  policies?.[path] ?? otherwise ?? 'changed';

/** The words for whose value counts where nothing was sent yet. */
export const firstWords: Readonly<Record<FirstDifference, string>> = {
  ask: 'ask me',
  source: 'write the source’s value',
  there: 'keep what is there',
  newest: 'the newer record’s value',
};

type Edit = (content: WorkflowContent) => WorkflowContent;

/** The draft with one policy for these fields. */
export const withPolicy = (id: string, paths: readonly string[], policy: FieldPolicy): Edit =>
  withStep<WriteStep>(id, ({ policies, ...step }) => {
    const others = Object.entries(policies ?? {}).filter(([path]) => !paths.includes(path));
    const chosen = policy === (step.otherwise ?? 'changed') ? [] : paths.map((path) => [path, policy] as const);
    const next = Object.fromEntries([...others, ...chosen]);
    return Object.keys(next).length > 0 ? { ...step, policies: next } : step;
  });

/** Whether an empty value empties this field of a record that is there. */
export const isEmptied = ({ empties }: WriteStep, path: string): boolean =>
  empties === 'all' || (empties?.includes(path) ?? false);

/** The draft in which empty values of these fields are written as well, or aren't. */
export const withEmpties = (id: string, paths: readonly string[], isWritten: boolean): Edit =>
  withStep<WriteStep>(id, ({ empties, ...step }) => {
    const before = empties === 'all' ? Object.keys(step.mapping) : (empties ?? []);
    const others = before.filter((path) => !paths.includes(path));
    const next = isWritten ? [...others, ...paths] : others;
    return next.length > 0 ? { ...step, empties: next } : step;
  });

/** The draft with whose value counts where a record holds something else and nothing was sent to it yet. */
export const withFirstDifference = (id: string, rule: FirstDifference): Edit =>
  withStep<WriteStep>(id, ({ firstDifference: _before, ...step }) =>
    rule === 'ask' ? step : { ...step, firstDifference: rule },
  );
