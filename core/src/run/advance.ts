import { evaluate } from '../conditions/evaluate.ts';
import { mapRecord } from '../mapping/map-record.ts';
import { pointerLabel } from '../values/pointer.ts';
import { isEmpty, type JsonRecord } from '../values/value.ts';
import { nameOfRef, refsOfStep, startId, surroundingsOf } from '../workflow/references.ts';
import type { ConditionStep, Place, WorkflowVersion, WriteStep } from '../workflow/schema.ts';
import { changesFor, compareReadBack, type Found, type PlannedWrite, type Target } from './plan.ts';
import type { Advance, Answer, Decision, ItemState, StepResult } from './state.ts';

/** The answer doesn't fit what the item is waiting for: a defect of the interpreter, not of the data. */
export class AdvanceError extends Error {
  override readonly name = 'AdvanceError';
  constructor(answer: Answer['kind'], state: ItemState) {
    super(`An item that is ${state.phase} at step ${state.at} can’t take the answer “${answer}”.`);
  }
}

/** The state of an item before its first step. */
export function beginItem(record: JsonRecord, takenAt: string): ItemState {
  return {
    shape: 1,
    at: 0,
    phase: 'ready',
    takenAt,
    values: { [startId]: record },
    steps: {},
    overrides: {},
    choices: {},
  };
}

/**
 * One item, one step on. The only description of what a workflow does: the real run, the
 * rehearsal and the tests all drive this function and differ in who answers.
 *
 * Law: for every state, either an effect is asked for or the item has ended; the number of steps
 * with a result never falls except by a person's decision.
 * @throws AdvanceError when the answer isn't one the state waits for
 */
export function advance(version: WorkflowVersion, state: ItemState, answer: Answer): Advance {
  if (answer.kind === 'decided') return takeDecision(version, state, answer.decision);
  if (answer.kind === 'begin' && state.phase === 'ready') return runSteps(version, state);
  const step = version.content.steps[state.at];
  if (step?.kind !== 'write' || !step.target) throw new AdvanceError(answer.kind, state);
  const target = step.target;
  if (answer.kind === 'refused') {
    const { cause, message, fields = [] } = answer;
    return leaveUnsettled(version, state, step, { kind: 'unsettled', cause, message, fields });
  }
  if (answer.kind === 'stale') return enterWrite(version, clearPending(state), step, target);
  switch (state.phase) {
    case 'finding':
      if (answer.kind === 'found') return takeFound(version, state, step, target, answer.matches);
      break;
    case 'writing':
      if (answer.kind === 'written') return takeWritten(version, state, step, target, answer.id, answer.record);
      break;
    case 'reading_back':
      if (answer.kind === 'read') return takeRead(version, state, step, target, answer.record);
      if (answer.kind === 'not_readable') return finishWrite(version, state, step, undefined);
      break;
  }
  throw new AdvanceError(answer.kind, state);
}

/** Does steps until one needs the outside, or all have ended. */
function runSteps(version: WorkflowVersion, start: ItemState): Advance {
  let state: ItemState = { ...start, phase: 'ready' };
  for (const step of version.content.steps.slice(state.at)) {
    const isSettled = ['written', 'kept', 'off'].includes(state.steps[step.id]?.kind ?? '');
    if (isSettled) {
      state = { ...state, at: state.at + 1 };
      continue;
    }
    if (step.isOff) {
      state = next(withResult(state, step.id, { kind: 'off' }));
      continue;
    }
    const blocker = refsOfStep(step).find((ref) => isOpen(state.steps[ref.step]));
    if (blocker) {
      state = next(withResult(state, step.id, { kind: 'blocked', by: blocker.step }));
      // A condition that can't be judged yet guards all that stands after it.
      if (step.kind === 'condition') return end(state);
      continue;
    }
    if (step.kind === 'write') return enterWrite(version, state, step, step.target);
    const verdict = judge(version, state, step);
    if (!verdict.isKept) return leaveOut(state, step, verdict.why);
    state = next(withResult(state, step.id, { kind: 'kept', why: verdict.why }));
  }
  return end(state);
}

const isOpen = (result: StepResult | undefined): boolean => result?.kind === 'unsettled' || result?.kind === 'blocked';

function judge(version: WorkflowVersion, state: ItemState, step: ConditionStep): { isKept: boolean; why: string } {
  return evaluate(step.condition, state.values, version.locale, (ref) => nameOfRef(version.content, ref));
}

/** A record that was written before this condition stays delivered: the steps that apply to it have ended. */
function leaveOut(state: ItemState, step: ConditionStep, why: string): Advance {
  const left = withResult({ ...state, phase: 'ended' }, step.id, { kind: 'left_out', why });
  const isWritten = Object.values(state.steps).some((result) => result.kind === 'written');
  const open = firstOpen(left);
  if (open) return { state: left, outcome: open };
  return { state: left, outcome: isWritten ? { kind: 'delivered' } : { kind: 'left_out', step: step.id, why } };
}

function enterWrite(version: WorkflowVersion, state: ItemState, step: WriteStep, place: Place | null): Advance {
  if (!place) {
    const message = 'No destination is chosen for this step.';
    return leaveUnsettled(version, state, step, { kind: 'unsettled', cause: 'drift', message, fields: [] });
  }
  const mapped = map(version, state, step, place);
  if (mapped.problems.length > 0) {
    const [first] = mapped.problems;
    const more = mapped.problems.length > 1 ? `, and ${mapped.problems.length - 1} more` : '';
    const message = `${first?.label}: ${first?.message}${more}`;
    return leaveUnsettled(version, state, step, {
      kind: 'unsettled',
      cause: 'value',
      message,
      fields: mapped.problems,
    });
  }
  const key = step.mode === 'create_or_update' && step.key ? step.key : undefined;
  if (!key) return plan(state, step, place, mapped, undefined);
  const value = mapped.values[key] ?? null;
  if (isEmpty(value)) {
    const label = place.described.fields.find((field) => field.path === key)?.label ?? pointerLabel(key);
    const problem = { path: key, label, message: 'Empty here, and the record is recognised by it.' };
    return leaveUnsettled(version, state, step, {
      kind: 'unsettled',
      cause: 'value',
      message: `${label}: ${problem.message}`,
      fields: [problem],
    });
  }
  return {
    state: { ...state, phase: 'finding' },
    effect: { kind: 'find', step: step.id, target: targetOf(place), by: { path: key, value } },
  };
}

type MappedStep = ReturnType<typeof mapRecord>;

function map(version: WorkflowVersion, state: ItemState, step: WriteStep, place: Place): MappedStep {
  const around = surroundingsOf(version, state.takenAt);
  return mapRecord(step.mapping, place.described.fields, state.values, around, state.overrides[step.id]);
}

function plan(state: ItemState, step: WriteStep, place: Place, mapped: MappedStep, found: Found | undefined): Advance {
  const keyPath = step.mode === 'create_or_update' ? step.key : undefined;
  const changes = found ? changesFor(mapped.values, mapped.types, found, place.described.fields) : [];
  const values = found ? Object.fromEntries(changes.map(({ path, after }) => [path, after])) : mapped.values;
  const pending: PlannedWrite = {
    kind: found ? 'update' : 'create',
    target: targetOf(place),
    values,
    types: Object.fromEntries(Object.keys(values).map((path) => [path, mapped.types[path] ?? 'text'])),
    ...(found && { id: found.id, before: found.record }),
    ...(keyPath && { key: { path: keyPath, value: mapped.values[keyPath] ?? null } }),
  };
  return {
    state: { ...state, phase: 'writing', pending, pendingChanges: changes },
    effect: { kind: 'write', step: step.id, write: pending },
  };
}

function takeFound(
  version: WorkflowVersion,
  state: ItemState,
  step: WriteStep,
  place: Place,
  matches: readonly Found[],
): Advance {
  const chosenId = state.choices[step.id];
  const found = matches.find((match) => match.id === chosenId) ?? matches[0];
  if (matches.length > 1 && found?.id !== chosenId) {
    const message = `${matches.length} records have the same ${pointerLabel(step.key ?? '')}.`;
    return leaveUnsettled(version, state, step, {
      kind: 'unsettled',
      cause: 'several',
      message,
      fields: [],
      candidates: matches,
    });
  }
  const mapped = map(version, state, step, place);
  const planned = plan(state, step, place, mapped, found);
  if (!found || Object.keys(planned.state.pending?.values ?? {}).length > 0) return planned;
  const result: StepResult = {
    kind: 'written',
    outcome: 'same',
    id: found.id,
    changes: [],
    readBack: 'as_sent',
    differences: [],
  };
  return settle(version, { ...state, values: { ...state.values, [step.id]: found.record } }, step, result);
}

function takeWritten(
  version: WorkflowVersion,
  state: ItemState,
  step: WriteStep,
  place: Place,
  id: string,
  record: JsonRecord | undefined,
): Advance {
  const known = record ? { ...state.values, [step.id]: record } : state.values;
  const written: ItemState = { ...state, phase: 'reading_back', pendingId: id, values: known };
  if (!place.described.can.readBack) return finishWrite(version, written, step, undefined);
  return { state: written, effect: { kind: 'readBack', step: step.id, target: targetOf(place), id } };
}

function takeRead(
  version: WorkflowVersion,
  state: ItemState,
  step: WriteStep,
  place: Place,
  record: JsonRecord | null,
): Advance {
  const pending = state.pending;
  if (!pending) throw new AdvanceError('read', state);
  const id = state.pendingId ?? '';
  const outcome = pending.kind === 'create' ? 'new' : 'changed';
  if (!record) {
    return leaveUnsettled(version, state, step, {
      kind: 'unsettled',
      cause: 'altered',
      message: 'The app said it was done, but the record could not be read back.',
      fields: [],
      stands: { id, differences: [], outcome },
    });
  }
  const { outcome: readBack, differences } = compareReadBack(pending, record, place.described.fields);
  const known = { ...state, values: { ...state.values, [step.id]: record } };
  if (readBack === 'cut') {
    const labels = differences.map((one) => one.label).join(', ');
    return leaveUnsettled(version, known, step, {
      kind: 'unsettled',
      cause: 'altered',
      message: `Less came back than was sent, in ${labels}.`,
      fields: differences.map(({ path, label, sent }) => ({ path, label, message: 'cut', given: sent })),
      stands: { id, differences, outcome },
    });
  }
  return finishWrite(version, known, step, { readBack, differences });
}

function finishWrite(
  version: WorkflowVersion,
  state: ItemState,
  step: WriteStep,
  read: Pick<Extract<StepResult, { kind: 'written' }>, 'readBack' | 'differences'> | undefined,
): Advance {
  const pending = state.pending;
  if (!pending) throw new AdvanceError('not_readable', state);
  const result: StepResult = {
    kind: 'written',
    outcome: pending.kind === 'create' ? 'new' : 'changed',
    id: state.pendingId ?? '',
    changes: state.pendingChanges ?? [],
    readBack: read?.readBack ?? 'not_read',
    differences: read?.differences ?? [],
    ...(pending.before && { before: pending.before }),
  };
  return settle(version, state, step, result);
}

function settle(version: WorkflowVersion, state: ItemState, step: WriteStep, result: StepResult): Advance {
  return runSteps(version, next(withResult(clearPending(state), step.id, result)));
}

/** The step needs a person; steps that don't depend on it still go on. */
function leaveUnsettled(
  version: WorkflowVersion,
  state: ItemState,
  step: WriteStep,
  result: Extract<StepResult, { kind: 'unsettled' }>,
): Advance {
  return runSteps(version, next(withResult(clearPending(state), step.id, result)));
}

function end(state: ItemState): Advance {
  const ended: ItemState = { ...state, phase: 'ended' };
  return { state: ended, outcome: firstOpen(ended) ?? { kind: 'delivered' } };
}

/** The first unsettled step as the item's outcome. */
function firstOpen(state: ItemState): Advance['outcome'] {
  for (const [step, result] of Object.entries(state.steps)) {
    if (result.kind === 'unsettled') return { kind: 'unsettled', step, cause: result.cause, message: result.message };
  }
  return undefined;
}

/**
 * Carries out a person's decision. What was written stands; only the steps that are unsettled or
 * blocked are done again, with the lookup read anew.
 */
function takeDecision(version: WorkflowVersion, state: ItemState, decision: Decision): Advance {
  if (decision.kind === 'dismiss') {
    return { state: { ...state, phase: 'ended' }, outcome: { kind: 'dismissed', reason: decision.reason } };
  }
  let decided = clearPending(state);
  if (decision.kind === 'set') {
    const before = decided.overrides[decision.step] ?? {};
    decided = { ...decided, overrides: { ...decided.overrides, [decision.step]: { ...before, ...decision.values } } };
  }
  if (decision.kind === 'choose') {
    decided = { ...decided, choices: { ...decided.choices, [decision.step]: decision.id } };
  }
  if (decision.kind === 'accept') decided = acceptStanding(decided, decision.step);
  const steps = Object.fromEntries(
    Object.entries(decided.steps).filter(([, result]) => !isOpen(result) && result.kind !== 'left_out'),
  );
  return runSteps(version, { ...decided, steps, at: 0 });
}

function acceptStanding(state: ItemState, step: string): ItemState {
  const result = state.steps[step];
  if (result?.kind !== 'unsettled' || (!result.stands && result.cause !== 'unsure')) return state;
  const { id, differences, outcome } = result.stands ?? { id: '', differences: [], outcome: 'new' as const };
  const readBack = differences.length > 0 ? 'cut' : 'not_read';
  return withResult(state, step, { kind: 'written', outcome, id, changes: [], readBack, differences });
}

function withResult(state: ItemState, step: string, result: StepResult): ItemState {
  return { ...state, steps: { ...state.steps, [step]: result } };
}

const next = (state: ItemState): ItemState => ({ ...state, at: state.at + 1 });

function clearPending(state: ItemState): ItemState {
  const { pending: _write, pendingId: _id, pendingChanges: _changes, ...rest } = state;
  return { ...rest, phase: 'ready' };
}

function targetOf(place: Place): Target {
  return { connection: place.connection, path: place.path, recordType: place.described.name };
}
