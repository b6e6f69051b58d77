import { type ItemState, type ItemStateName, type Mark, marks, marksOf, plainStepId } from '@golden/core';
import { z } from 'zod';

const number = z.int().nonnegative();

const noMarks = () => Object.fromEntries(marks.map((mark) => [mark, 0])) as Record<Mark, number>;

/** What rehearsed records came to, counted as they come, so that nobody who asks counts them all anew. */
export const rehearsalCounts = z.object({
  /** Records by where they ended. */
  states: z.record(z.string(), number),
  /** Outcomes of each step, those of its turns together. */
  steps: z.record(z.string(), z.record(z.string(), number)),
  /** Records by what they can be looked for; none of what an earlier release didn't know. */
  marks: z.partialRecord(z.enum(marks), number).transform((known) => ({ ...noMarks(), ...known })),
});
export type RehearsalCounts = z.infer<typeof rehearsalCounts>;

export const noCounts = (): RehearsalCounts => ({
  states: {},
  steps: {},
  marks: noMarks(),
});

/** Adds one record to the counts, which are changed. */
export function countRehearsed(counts: RehearsalCounts, state: ItemStateName, reached: ItemState): void {
  counts.states[state] = (counts.states[state] ?? 0) + 1;
  for (const [id, result] of Object.entries(reached.steps)) {
    const step = plainStepId(id);
    const came = 'outcome' in result ? result.outcome : result.kind;
    counts.steps[step] ??= {};
    const own = counts.steps[step];
    const count = result.kind === 'handed' ? result.count : 1;
    own[came] = (own[came] ?? 0) + count;
    for (const { state: there } of result.kind === 'handed' ? (result.would ?? []) : [])
      own[`would_${there}`] = (own[`would_${there}`] ?? 0) + 1;
  }
  for (const mark of marksOf(reached)) counts.marks[mark] += 1;
}
