import { evaluate } from '../conditions/evaluate.ts';
import { businessId, startId, waitLinksId } from '../mapping/refs.ts';
import { handedProblems } from '../starts/handed/record.ts';
import { hopsOf, mostHops } from '../starts/hops.ts';
import { deniedBy, type ToBeAsked, toBeAsked } from '../steps/ask/approval.ts';
import type { Doing } from '../steps/definition.ts';
import type { Move } from '../steps/move.ts';
import { passedOverBy } from '../steps/placed/only-if.ts';
import { definitionOf } from '../steps/registry.ts';
import { isThrough } from '../steps/results.ts';
import type { JsonRecord } from '../values/value.ts';
import { aroundWorkflow, evaluationContextOf } from '../workflow/references.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { blockerOf, isTurnOver } from './blocking.ts';
import { decided } from './decision.ts';
import { clearPending, end, endLeftOut, next, withResult } from './ending.ts';
import { type LaidOutStep, layOut, scopeAt } from './lay-out.ts';
import type { FieldProblem } from './outcome.ts';
import type { Advance, Answer, ItemState, Outcome } from './state.ts';

/** The answer doesn't fit what the item is waiting for: a defect of the interpreter, not of the data. */
export class AdvanceError extends Error {
  override readonly name = 'AdvanceError';
  constructor(answer: Answer['kind'], state: ItemState) {
    super(`An item that is ${state.phase} at step ${state.at} can’t take the answer “${answer}”.`);
  }
}

/**
 * The state of an item before its first step.
 *
 * @param more - the record's id in its source, another record of the run that is the same one, what the business says
 *   of itself and the links of one that waits, where the workflow uses them
 */
export function beginItem(
  record: JsonRecord,
  takenAt: string,
  {
    business,
    links,
    ...more
  }: Pick<ItemState, 'sourceId' | 'double' | 'instead' | 'skipsWaits'> & {
    readonly business?: JsonRecord | undefined;
    readonly links?: JsonRecord | undefined;
  } = {},
): ItemState {
  return {
    shape: 1,
    at: 0,
    phase: 'ready',
    takenAt,
    values: { [startId]: record, ...(business && { [businessId]: business }), ...(links && { [waitLinksId]: links }) },
    steps: {},
    overrides: {},
    choices: {},
    ...more,
  };
}

/**
 * One item, one step on. The only description of what a workflow does: the real run, the
 * rehearsal and the tests all drive this function and differ in who answers. What a step does is
 * its kind's own matter; here is only the order of the steps, what blocks them, and where an item
 * parks or ends.
 *
 * Law: for every state, either an effect is asked for, the item is parked, or it has ended; the
 * number of steps with a result never falls except by a person's decision.
 * @throws AdvanceError when the answer isn't one the state waits for
 */
export function advance(version: WorkflowVersion, given: ItemState, answer: Answer): Advance {
  const state = answer.at !== undefined && countsTime(version.content) ? { ...given, now: answer.at } : given;
  if (answer.kind === 'decided') {
    const { decision } = answer;
    if (decision.kind !== 'dismiss') {
      const goesOn = decided(version.content, state, decision);
      return meetLacking(version, goesOn) ?? runSteps(version, goesOn);
    }
    return { state: { ...state, phase: 'ended' }, outcome: { kind: 'dismissed', reason: decision.reason } };
  }
  if (answer.kind === 'begin' && state.phase === 'ready')
    return meetCircle(state) ?? meetDouble(state) ?? meetLacking(version, state) ?? runSteps(version, state);
  const here = layOut(version.content, state.values)[state.at];
  const reread = here && answer.kind === 'woken' ? readAgain(version, here, state, answer) : state;
  if ('outcome' in reread) return reread;
  const move = here && take(version, here, reread, answer);
  if (!here || !move) throw new AdvanceError(answer.kind, state);
  const moved = apply(version, here, move);
  const onward = 'outcome' in moved || 'effect' in moved || 'park' in moved ? moved : runSteps(version, moved);
  return move.kind === 'done' && move.settled ? { ...onward, settled: move.settled } : onward;
}

/** Whether a content has a step for which it matters what time it is. */
const countsTime = (content: WorkflowVersion['content']): boolean =>
  content.steps.some(({ kind }) => kind === 'wait' || kind === 'ask');

/**
 * An item that was woken, with the start's record as it is now. The conditions before the wait are judged again: what
 * is no longer so ends it.
 */
function readAgain(
  version: WorkflowVersion,
  here: LaidOutStep,
  state: ItemState,
  { record, by, unread }: Extract<Answer, { kind: 'woken' }>,
): ItemState | Extract<Advance, { readonly outcome: Outcome }> {
  if (unread) {
    const asked = withResult(state, here.id, { kind: 'unsettled', ...unread, fields: [] });
    return end(asked) as Extract<Advance, { readonly outcome: Outcome }>;
  }
  if (record === undefined || by.kind === 'skipped') return state;
  const ends = (why: string) =>
    endLeftOut({ ...state, stopped: { ...state.stopped, [here.id]: why } }, here.id, why) as Extract<
      Advance,
      { readonly outcome: Outcome }
    >;
  if (record === null) return ends('The record isn’t there any more.');
  const now = { ...state, values: { ...state.values, [startId]: record } };
  for (const before of layOut(version.content, now.values).slice(0, state.at)) {
    const { step, turn, id } = before;
    if (step.kind !== 'condition' || step.isOff || turn || state.steps[id]?.kind !== 'kept') continue;
    const doing = doingOf(version, before, now);
    const { isKept, why } = evaluate(step.condition, doing.scope, doing.evaluation, doing.around.nameOf);
    if (!isKept) return ends(`It doesn’t fit any more: ${why}`);
  }
  return now;
}

function take(version: WorkflowVersion, here: LaidOutStep, state: ItemState, answer: Answer): Move | undefined {
  const { step } = here;
  const definition = definitionOf(step);
  // A step that never asks the outside waits for nothing.
  if (!definition.take) return undefined;
  const doing = doingOf(version, here, state);
  if (answer.kind === 'woken') return state.phase === 'parked' ? definition.take(doing, state, answer) : undefined;
  if (!asking.has(state.phase)) return undefined;
  if (answer.kind === 'refused') {
    const { cause, message, fields = [] } = answer;
    return { kind: 'done', state, result: { kind: 'unsettled', cause, message, fields } };
  }
  if (answer.kind === 'stale') return definition.enter(doing, clearPending(state));
  return definition.take(doing, state, answer);
}

/** What an item is while it waits for an answer from outside. */
const asking: ReadonlySet<ItemState['phase']> = new Set(['finding', 'writing', 'reading_back', 'handing']);

/** What a step is given. */
function doingOf(version: WorkflowVersion, { step, id, turn }: LaidOutStep, state: ItemState): Doing {
  const evaluation = evaluationContextOf(version, state.takenAt);
  return {
    version,
    step,
    id,
    turn,
    scope: scopeAt(version.content, state.values, turn),
    evaluation: turn ? { ...evaluation, lineNumber: turn.number } : evaluation,
    around: aroundWorkflow(version.content),
  };
}

/** Does steps until one needs the outside, or all have ended. */
function runSteps(version: WorkflowVersion, start: ItemState): Advance {
  let state: ItemState = { ...start, phase: 'ready' };
  // A "for each" lays its turns out when its list is known, so the steps are looked at anew each time.
  for (let steps = layOut(version.content, state.values); state.at < steps.length; ) {
    const here = steps[state.at] as LaidOutStep;
    if (isThrough(state.steps[here.id]) || isTurnOver(version.content, state, here)) {
      state = next(state);
      continue;
    }
    if (here.step.isOff) {
      state = next(withResult(state, here.id, { kind: 'off' }));
      continue;
    }
    const definition = definitionOf(here.step);
    const blocker = blockerOf(version.content, state, here);
    if (blocker !== undefined) {
      state = next(withResult(state, here.id, { kind: 'blocked', by: blocker }));
      // A condition that can't be judged yet guards all that stands after it.
      if (definition.guards && !here.turn) return end(state);
      continue;
    }
    const doing = doingOf(version, here, state);
    const passedOver = deniedBy(version.content, state, here.id) ?? passedOverBy(doing);
    if (passedOver) {
      state = next(withResult(state, here.id, passedOver));
      continue;
    }
    const moved = apply(version, here, definition.enter(doing, state));
    if ('effect' in moved || 'outcome' in moved || 'park' in moved) return moved;
    state = moved;
    steps = layOut(version.content, state.values);
  }
  return end(state);
}

/** What a step's move makes of the item: the state after it, or what has to come from outside first. */
function apply(version: WorkflowVersion, here: LaidOutStep, move: Move): ItemState | Advance {
  const { step, id, turn } = here;
  switch (move.kind) {
    case 'ask': {
      const { state, effect } = move;
      // Nothing that a person has to approve leaves here without their yes to exactly this.
      const again =
        effect.kind === 'write' && step.kind === 'write' && toBeAsked(version.content, state, step, effect.write);
      return again ? askAgain(version.content, state, again) : { state, effect };
    }
    case 'park':
      return { state: { ...move.state, phase: 'parked' }, park: move.park };
    case 'done': {
      const state = next(withResult(clearPending(move.state), id, move.result));
      // What a guard couldn't come to, nothing after it goes on without.
      return move.result.kind === 'unsettled' && definitionOf(step).guards && !turn ? end(state) : state;
    }
    case 'leave_out': {
      const state = clearPending(move.state);
      // Within a "for each" only this one is left out.
      return turn ? next(withResult(state, id, { kind: 'left_out', why: move.why })) : endLeftOut(state, id, move.why);
    }
  }
}

/** The state at the step that asks, as if it hadn't been asked yet. */
function askAgain(content: WorkflowVersion['content'], given: ItemState, { step, why }: ToBeAsked): ItemState {
  const state = clearPending(given);
  const { [step]: _answer, ...steps } = state.steps;
  const { [step]: _reached, ...reached } = state.reached ?? {};
  const at = layOut(content, state.values).findIndex(({ id }) => id === step);
  return { ...state, steps, reached, at, ...(why !== undefined && { asksAgain: { ...state.asksAgain, [step]: why } }) };
}

/** What has gone through so many workflows that they may go round in a circle goes on only when a person says so. */
function meetCircle(state: ItemState): Advance | undefined {
  const hops = hopsOf(state.values[startId]);
  if (hops < mostHops) return undefined;
  const message = `It has gone through ${hops} workflows, one after another. Look whether they go round in a circle; Retry lets it go on.`;
  return asksAtStart(state, 'circle', message);
}

/** What was handed over without all that this workflow needs: a person is asked for it. */
function meetLacking({ content }: WorkflowVersion, state: ItemState): Advance | undefined {
  const { start } = content;
  if (start.trigger.kind !== 'handed') return undefined;
  const fields = handedProblems(start, state.values[startId] ?? {}, state.overrides[startId] ?? {});
  const [first] = fields;
  if (!first) return undefined;
  const more = fields.length > 1 ? `, and ${fields.length - 1} more` : '';
  return asksAtStart(state, 'value', `${first.label}: ${first.message}${more}`, fields);
}

/** An item that a person has to look at before its first step. */
function asksAtStart(
  state: ItemState,
  cause: 'circle' | 'double' | 'value',
  message: string,
  fields: readonly FieldProblem[] = [],
): Advance {
  const asked = withResult({ ...state, phase: 'ended' }, startId, { kind: 'unsettled', cause, message, fields });
  return { state: asked, outcome: { kind: 'unsettled', step: startId, cause, message } };
}

/** Two records of one run that are the same person or firm: what was chosen for that. */
function meetDouble(state: ItemState): Advance | undefined {
  const { double } = state;
  if (!double) return undefined;
  if (double.treat === 'ask')
    return asksAtStart(state, 'double', `Probably the same as “${double.title}”, which came in the same run.`);
  const why =
    double.treat === 'first'
      ? `The same as “${double.title}”, which came first in this run.`
      : `Part of the golden record of “${double.title}” in this run.`;
  const left = withResult({ ...state, phase: 'ended' }, startId, { kind: 'left_out', why });
  return { state: left, outcome: { kind: 'left_out', step: startId, why } };
}
