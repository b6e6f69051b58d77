import { plainStepId } from '../steps/turn.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { advance } from './advance.ts';
import { finishOnPaper } from './on-paper.ts';
import { type ItemState, skipped } from './state.ts';

/** One write of an item, and when it is done or would be. */
export interface Scheduled {
  /** The step, without the number of its turn. */
  readonly step: string;
  /** UTC, ISO 8601. */
  readonly at: string;
  readonly kind: 'done' | 'due' | 'asks';
  /** Why a person would be asked. */
  readonly message?: string;
}

/**
 * What is done for an item and when, in its order: what was written, and what comes after each of its waits. What lies
 * ahead is worked out on paper, as if nothing else happened; a rehearsed item gives what it would have come to.
 */
export function scheduleOf(version: WorkflowVersion, state: ItemState): Scheduled[] {
  const ahead = state.phase === 'parked' ? finishOnPaper(version, advance(version, state, skipped), {}).state : state;
  const isRehearsed = Object.values(state.steps).some((result) => result.kind === 'waited' && result.by === 'skipped');
  let at = state.takenAt;
  return version.content.steps.flatMap(({ id, kind }) => {
    const wait = ahead.steps[id];
    if (wait?.kind === 'waited' && wait.until > at) at = wait.until;
    if (kind !== 'write' && kind !== 'wait') return [];
    return Object.entries(ahead.steps)
      .filter(([step]) => plainStepId(step) === id)
      .flatMap(([step, result]): Scheduled[] => {
        if (result.kind === 'unsettled') return [{ step: id, at, kind: 'asks', message: result.message }];
        const isDone = state.steps[step] !== undefined && !isRehearsed;
        return result.kind === 'written' ? [{ step: id, at, kind: isDone ? 'done' : 'due' }] : [];
      });
  });
}
