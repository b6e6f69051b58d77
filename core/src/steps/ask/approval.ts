import type { PlannedWrite } from '../../run/plan.ts';
import type { ItemState } from '../../run/state.ts';
import type { WorkflowContent } from '../../workflow/schema.ts';
import type { AnyStepResult } from '../results.ts';
import type { WriteStep } from '../write/schema.ts';
import type { AskStep } from './schema.ts';
import { otherThanApproved, shownWrite } from './shown.ts';

// What a write may do by what people have said to it.

/** A step that has to ask before a write is done, and why it asks once more. */
export interface ToBeAsked {
  readonly step: string;
  readonly why?: string;
}

/** The steps that ask about a write. */
const asksAbout = ({ steps }: WorkflowContent, write: string): AskStep[] =>
  steps.filter(
    (step): step is AskStep =>
      step.kind === 'ask' && !step.isOff && step.what.kind === 'approval' && step.what.write === write,
  );

/**
 * The first step whose yes a write doesn't have as it is now; undefined where each has said yes to exactly this, and
 * where nobody has to be asked.
 */
export function toBeAsked(
  content: WorkflowContent,
  { steps }: Pick<ItemState, 'steps'>,
  step: WriteStep,
  write: PlannedWrite,
): ToBeAsked | undefined {
  if (!step.target) return undefined;
  for (const { id } of asksAbout(content, step.id)) {
    const said = steps[id];
    if (said?.kind === 'would_ask') continue;
    if (said?.kind !== 'approved') return { step: id };
    const other = otherThanApproved(said.shown, said.changes, shownWrite(write, step.target));
    if (other.length > 0)
      return { step: id, why: `It has changed since it was approved: ${other.slice(0, 5).join(', ')}.` };
  }
  return undefined;
}

/** What a write comes to that a person has said no to, or nothing in time. */
export function deniedBy(
  content: WorkflowContent,
  { steps }: Pick<ItemState, 'steps'>,
  write: string,
): AnyStepResult | undefined {
  for (const { id } of asksAbout(content, write)) {
    const said = steps[id];
    if (said?.kind === 'denied') return { kind: 'passed_over', why: said.why };
  }
  return undefined;
}
