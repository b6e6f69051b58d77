import { definitionOf } from '../steps/registry.ts';
import { type Step, type StepKind, withinOf } from '../steps/schemas.ts';
import type { ReadinessProblem } from './problem.ts';
import { checkReadiness } from './readiness.ts';
import { refsOfStep } from './references.ts';
import type { WorkflowContent } from './schema.ts';

/**
 * The workflow with a sentence at another place among the steps, counted from 0. A "for each" takes
 * along what stands within it; anything else belongs afterwards to the one it comes to stand within.
 */
export function moveStep(content: WorkflowContent, id: string, to: number): WorkflowContent {
  const step = content.steps.find((one) => one.id === id);
  if (!step) return content;
  const block = content.steps.filter((one) => one.id === id || withinOf(one) === id);
  const from = content.steps.indexOf(step);
  const rest = content.steps.filter((one) => !block.includes(one));
  // Down, a block moves past the next step; up, before the one that stood there.
  const place = to > from ? Math.min(rest.length, to) : Math.max(0, to);
  const before = rest[place - 1];
  if (definitionOf(step).over) {
    // It can't stand within another: it goes behind all of that one's steps.
    let at = place;
    while (rest[at] && withinOf(rest[at] as Step) !== undefined) at += 1;
    return { ...content, steps: rest.toSpliced(at, 0, ...block) };
  }
  return { ...content, steps: rest.toSpliced(place, 0, standingWithin(step, before && withinAfter(before))) };
}

/** The "for each" that a sentence belongs to which comes after another: that one's, or that one itself. */
export function withinAfter(step: Step): string | undefined {
  return definitionOf(step).over ? step.id : withinOf(step);
}

/** A step within a "for each", or within none; one that holds others stands within none. */
export function standingWithin(step: Step, within: string | undefined): Step {
  if (definitionOf(step).over) return step;
  const { within: _old, ...plain } = step as Extract<Step, { within?: unknown }>;
  const isInside = within !== undefined && !definitionOf(step).onlyOutside;
  return (isInside ? { ...plain, within } : plain) as Step;
}

/** What a change would break: problems that stand in the way afterwards and didn't before. */
export function newProblems(before: WorkflowContent, after: WorkflowContent): ReadinessProblem[] {
  const name = (one: ReadinessProblem): string => `${one.sentence}\n${one.field ?? ''}\n${one.message}`;
  const known = new Set(checkReadiness(before).map(name));
  return checkReadiness(after).filter((one) => one.severity === 'blocks' && !known.has(name(one)));
}

/** An id for a new step that no other step has. */
export function newStepId(content: WorkflowContent, kind: StepKind): string {
  let number = content.steps.length + 1;
  while (content.steps.some((step) => step.id === `${kind}-${number}`)) number += 1;
  return `${kind}-${number}`;
}

/** The workflow with a second one of a sentence right after it; gives its id as well. */
export function duplicateStep(content: WorkflowContent, id: string): { content: WorkflowContent; id: string } {
  const at = content.steps.findIndex((step) => step.id === id);
  const step = content.steps[at];
  if (!step) return { content, id };
  const made = newStepId(content, step.kind);
  const copy: Step = { ...step, id: made, ...(step.name && { name: `${step.name} (2)` }) };
  return { content: { ...content, steps: content.steps.toSpliced(at + 1, 0, copy) }, id: made };
}

/** Only what a sentence needs to be tried alone: it, and the writes whose results it reads. */
export function onlyStep(content: WorkflowContent, id: string): WorkflowContent {
  const needed = new Set([id]);
  for (const step of [...content.steps].reverse()) {
    if (!needed.has(step.id)) continue;
    for (const ref of refsOfStep(step)) needed.add(ref.step);
    const within = withinOf(step);
    if (within !== undefined) needed.add(within);
  }
  const steps = content.steps.filter((step) => needed.has(step.id)).map((step) => ({ ...step, isOff: false }));
  return { ...content, steps };
}
