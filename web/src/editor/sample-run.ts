import {
  type Advance,
  advance,
  beginItem,
  type ItemState,
  type JsonRecord,
  recordTitle,
  type StepResult,
  type WorkflowVersion,
} from '@golden/core';
import type { Sample } from '../api/queries.ts';

/** A sample taken through the draft as far as it can be told without asking the destination. */
export interface SampleOnSheet {
  readonly id: string;
  readonly title: string;
  readonly record: JsonRecord;
  readonly results: Readonly<Record<string, StepResult>>;
  /** The steps that the sample reaches. */
  readonly reached: ReadonlySet<string>;
}

/**
 * Takes a sample through the draft in the browser with the same `advance` that runs it. Lookups are
 * answered with "nobody" here: what a destination holds is only known in a rehearsal.
 */
export function runSample(version: WorkflowVersion, sample: Sample): SampleOnSheet {
  const record = sample.record as JsonRecord;
  let step: Advance = advance(version, beginItem(record, ''), { kind: 'begin' });
  for (let guard = 0; step.effect && guard < 200; guard++) {
    const { effect } = step;
    const answer =
      effect.kind === 'find'
        ? { kind: 'found' as const, matches: [] }
        : effect.kind === 'write'
          ? { kind: 'written' as const, id: '', record: {} }
          : { kind: 'not_readable' as const };
    step = advance(version, step.state, answer);
  }
  return {
    id: sample.id,
    title: recordTitle(record),
    record,
    results: step.state.steps,
    reached: reachedIn(version, step.state),
  };
}

function reachedIn({ content }: WorkflowVersion, state: ItemState): ReadonlySet<string> {
  const reached = new Set<string>();
  for (const step of content.steps) {
    const result = state.steps[step.id];
    if (result === undefined) break;
    reached.add(step.id);
    if (result.kind === 'left_out') break;
  }
  return reached;
}
