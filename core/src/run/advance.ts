import { evaluateFormula } from '../formula/formula.ts';
import { FormulaError, type FormulaValue, toValue } from '../formula/values.ts';
import type { Ladder } from '../matching/lookup/ladder.ts';
import { isSameValue } from '../values/coerce.ts';
import { fieldAt } from '../values/field.ts';
import { formatPointer, pointerLabel, readPointer } from '../values/pointer.ts';
import { isEmpty, type JsonRecord } from '../values/value.ts';
import { startId } from '../workflow/references.ts';
import type { ComputeStep, LookupStep, Place, PlacedStep, WorkflowVersion, WriteStep } from '../workflow/schema.ts';
import {
  acceptStanding,
  aroundTurn,
  blockerOf,
  clearPending,
  end,
  isOpen,
  isTurnOver,
  judge,
  knownTo,
  leaveOut,
  type MappedStep,
  map,
  matchOf,
  next,
  permittedChanges,
  placedHere,
  placeOf,
  settlingKey,
  targetOf,
  turnOf,
  withResult,
} from './around-step.ts';
import { type LaidOutStep, layOut, mostTurns, scopeAt, turnsOf } from './lay-out.ts';
import { fetchIdOf, knownOf, ladderOf, linkSubject, type MatchOutcome, outcomeOf, titleOf } from './matching-step.ts';
import { compareReadBack, type Found, type PlannedWrite } from './plan.ts';
import type { Advance, Answer, Decision, GoneLink, ItemState, MatchedBy, StepResult } from './state.ts';

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
 * @param more - the record's id in its source, and another record of the run that is the same one
 */
export function beginItem(
  record: JsonRecord,
  takenAt: string,
  more: Pick<ItemState, 'sourceId' | 'double'> = {},
): ItemState {
  return {
    shape: 1,
    at: 0,
    phase: 'ready',
    takenAt,
    values: { [startId]: record },
    steps: {},
    overrides: {},
    choices: {},
    ...more,
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
  if (answer.kind === 'begin' && state.phase === 'ready') return meetDouble(state) ?? runSteps(version, state);
  const here = layOut(version.content, state.values)[state.at];
  const step = here && placedHere(here);
  if (!step?.target) throw new AdvanceError(answer.kind, state);
  const placed = placeOf(version, state, step, step.target);
  if (typeof placed === 'string') throw new AdvanceError(answer.kind, state);
  const target = placed;
  if (answer.kind === 'refused') {
    const { cause, message, fields = [] } = answer;
    return leaveUnsettled(version, state, step, { kind: 'unsettled', cause, message, fields });
  }
  if (answer.kind === 'stale') return enterPlaced(version, clearPending(state), step);
  if (answer.kind === 'settled') return takeSettled(version, state, step, target, answer);
  switch (state.phase) {
    case 'finding':
      if (answer.kind === 'found' && step.kind === 'write')
        return takeFound(version, state, step, target, answer.matches);
      if (answer.kind === 'matched') return takeMatched(version, state, step, target, answer);
      if (answer.kind === 'fetched') return takeFetched(version, state, step, target, answer.found);
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

/** Results after which a step isn't done again. */
const settledKinds: ReadonlySet<string> = new Set(['written', 'kept', 'off', 'computed', 'each', 'found', 'not_found']);

/** Does steps until one needs the outside, or all have ended. */
function runSteps(version: WorkflowVersion, start: ItemState): Advance {
  let state: ItemState = { ...start, phase: 'ready' };
  // A "for each" lays its turns out when its list is known, so the steps are looked at anew each time.
  for (let steps = layOut(version.content, state.values); state.at < steps.length; ) {
    const here = steps[state.at] as LaidOutStep;
    if (settledKinds.has(state.steps[here.id]?.kind ?? '') || isTurnOver(version.content, state, here)) {
      state = next(state);
      continue;
    }
    if (here.step.isOff) {
      state = next(withResult(state, here.id, { kind: 'off' }));
      continue;
    }
    const blocker = blockerOf(version.content, state, here);
    if (blocker !== undefined) {
      state = next(withResult(state, here.id, { kind: 'blocked', by: blocker }));
      // A condition that can't be judged yet guards all that stands after it.
      if (here.step.kind === 'condition' && !here.turn) return end(state);
      continue;
    }
    const done = doStep(version, state, here);
    if ('effect' in done || 'outcome' in done) return done;
    state = done;
    steps = layOut(version.content, state.values);
  }
  return end(state);
}

/** Does one step: gives the state after it, or what has to come from outside first. */
function doStep(version: WorkflowVersion, state: ItemState, here: LaidOutStep): ItemState | Advance {
  const { step, id, turn } = here;
  switch (step.kind) {
    case 'write':
    case 'lookup':
      return enterPlaced(version, state, placedHere(here) as PlacedStep);
    case 'condition': {
      const verdict = judge(version, state, step, turn);
      if (verdict.isKept) return next(withResult(state, id, { kind: 'kept', why: verdict.why }));
      // Within a "for each" only this one is left out.
      if (turn) return next(withResult(state, id, { kind: 'left_out', why: verdict.why }));
      return leaveOut(state, step.id, verdict.why);
    }
    case 'compute':
      return computeValues(version, state, step, here);
    case 'each': {
      const count = turnsOf(step, state.values).length;
      if (count <= mostTurns) return next(withResult(state, id, { kind: 'each', count }));
      const message = `The list has ${count} items, and at most ${mostTurns} are done for one record.`;
      return next(withResult(state, id, { kind: 'unsettled', cause: 'value', message, fields: [] }));
    }
  }
}

/** Two records of one run that are the same person or firm: what was chosen for that. */
function meetDouble(state: ItemState): Advance | undefined {
  const { double } = state;
  if (!double) return undefined;
  if (double.treat === 'ask') {
    const message = `Likely the same as “${double.title}”, which came in the same run.`;
    const result: StepResult = { kind: 'unsettled', cause: 'double', message, fields: [] };
    const asked = withResult({ ...state, phase: 'ended' }, startId, result);
    return { state: asked, outcome: { kind: 'unsettled', step: startId, cause: 'double', message } };
  }
  const why =
    double.treat === 'first'
      ? `The same as “${double.title}”, which came first in this run.`
      : `Part of the golden record of “${double.title}” in this run.`;
  const left = withResult({ ...state, phase: 'ended' }, startId, { kind: 'left_out', why });
  return { state: left, outcome: { kind: 'left_out', step: startId, why } };
}

/** Works the values of a step out, each with those above it; a value set by hand wins. */
function computeValues(version: WorkflowVersion, state: ItemState, step: ComputeStep, here: LaidOutStep): ItemState {
  const around = aroundTurn(version, state, here.turn);
  const scope = scopeAt(version.content, state.values, here.turn);
  let made: JsonRecord = {};
  for (const { name, text, refs } of step.values) {
    const path = formatPointer([name]);
    const given = state.overrides[here.id]?.[path];
    const value = given ?? evaluateFormula({ text, refs }, { ...scope, [step.id]: made }, around);
    if (value instanceof FormulaError) {
      const problem = { path, label: name, message: value.message };
      const message = `${name}: ${value.message}`;
      return next(withResult(state, here.id, { kind: 'unsettled', cause: 'value', message, fields: [problem] }));
    }
    made = { ...made, [name]: given === undefined ? toValue(value as FormulaValue) : given };
  }
  const known = { ...state, values: { ...state.values, [here.id]: made } };
  return next(withResult(known, here.id, { kind: 'computed', values: made }));
}

function enterPlaced(version: WorkflowVersion, state: ItemState, step: PlacedStep): Advance {
  const place = step.target && placeOf(version, state, step, step.target);
  if (typeof place === 'string')
    return leaveUnsettled(version, state, step, {
      kind: 'unsettled',
      cause: 'value',
      message: `Where it is written: ${place}`,
      fields: [],
    });
  if (!place) {
    const message = 'No destination is chosen for this step.';
    return leaveUnsettled(version, state, step, { kind: 'unsettled', cause: 'drift', message, fields: [] });
  }
  return step.kind === 'lookup' ? enterLookup(version, state, step, place) : enterWrite(version, state, step, place);
}

/** Begins a lookup: by what a person chose, by an id, or by the ways of its ladder. */
function enterLookup(version: WorkflowVersion, state: ItemState, step: LookupStep, place: Place): Advance {
  const turn = turnOf(version, state, step.id);
  const around = aroundTurn(version, state, turn);
  const chosen = state.choices[step.id];
  if (chosen === '') return meetNone(version, state, step, place, 'A person said: somebody new.');
  const id = chosen ?? (step.fetchId ? fetchIdOf(step, state, version.content, around, turn) : undefined);
  if (id === '') return meetNone(version, state, step, place, 'There is no id to fetch it by.');
  if (id !== undefined) return askFetch(state, step, place, id);
  const known = knownOf(step, place, state, version.content, around, turn);
  return askMatch(version, state, step, place, known);
}

function askFetch(state: ItemState, step: PlacedStep, place: Place, id: string): Advance {
  return {
    state: { ...state, phase: 'finding' },
    effect: { kind: 'fetch', step: step.id, target: targetOf(place), id },
  };
}

function askMatch(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  known: MappedStep['values'],
): Advance {
  const link = linkSubject(version.content, state, step, turnOf(version, state, step.id));
  const ladder = ladderOf(step) ?? noWays;
  return {
    state: { ...state, phase: 'finding' },
    effect: {
      kind: 'match',
      step: step.id,
      target: targetOf(place),
      ladder,
      known,
      about: Object.keys(step.mapping),
      ...(link && { link }),
    },
  };
}

const noWays: Ladder = { rungs: [], atNone: 'ask', atUnclear: 'ask' };

/** What a person chose, or an id named, was fetched; where it is gone the ladder is gone through after all. */
function takeFetched(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  found: Found | null,
): Advance {
  const isChosen = state.choices[step.id] !== undefined;
  if (found) return takeRecord(version, state, step, place, found, { how: isChosen ? 'chosen' : 'id' });
  if (isChosen) {
    const { [step.id]: _gone, ...choices } = state.choices;
    return enterPlaced(version, { ...state, choices, phase: 'ready' }, step);
  }
  if (step.kind === 'lookup') return meetNone(version, state, step, place, 'There is no record with this id.');
  throw new AdvanceError('fetched', state);
}

function takeMatched(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  { linked, gone, tries }: Extract<Answer, { kind: 'matched' }>,
): Advance {
  const ladder = ladderOf(step);
  if (!ladder) throw new AdvanceError('matched', state);
  const outcome: MatchOutcome = outcomeOf(ladder, linked, tries);
  if (outcome.kind === 'found') return takeRecord(version, state, step, place, outcome.found, outcome.by);
  if (outcome.kind === 'none') return meetNone(version, state, step, place, outcome.why, gone);
  return leaveUnsettled(version, state, step, {
    kind: 'unsettled',
    cause: 'unclear',
    message: outcome.why,
    fields: [],
    rung: outcome.rung,
    candidates: outcome.tries.find((one) => one.rung === outcome.rung)?.candidates ?? [],
    known: knownTo(version, state, step, place),
  });
}

/** The record that a step is about is known: a lookup gives it on, a write changes what differs. */
function takeRecord(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  found: Found,
  by: MatchedBy,
): Advance {
  const link = linkSubject(version.content, state, step, turnOf(version, state, step.id));
  if (step.kind === 'lookup') {
    const known = { ...state, values: { ...state.values, [step.id]: found.record } };
    const result: StepResult = { kind: 'found', id: found.id, title: titleOf(found), by, ...(link && { link }) };
    return runSteps(version, next(withResult(clearPending(known), step.id, result)));
  }
  return changeFound(version, { ...state, pendingBy: by }, step, place, found);
}

/** Nobody was found: what the ladder says for that. */
function meetNone(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  why: string,
  gone?: GoneLink,
): Advance {
  const isNew = state.choices[step.id] === '';
  const atNone = ladderOf(step)?.atNone ?? 'create';
  const then = isNew && atNone === 'ask' ? (step.kind === 'write' ? 'create' : 'empty') : atNone;
  if (then === 'create' && gone && !isNew) return meetGone(version, state, step, place, gone);
  switch (then) {
    case 'empty': {
      const { [step.id]: _none, ...values } = state.values;
      const without = clearPending({ ...state, values });
      return runSteps(version, next(withResult(without, step.id, { kind: 'not_found', why })));
    }
    case 'leave_out': {
      const turn = turnOf(version, state, step.id);
      if (!turn) return leaveOut(clearPending(state), step.id, why);
      return runSteps(version, next(withResult(clearPending(state), step.id, { kind: 'left_out', why })));
    }
    case 'ask':
      return leaveUnsettled(version, state, step, {
        kind: 'unsettled',
        cause: 'unclear',
        message: why,
        fields: [],
        candidates: [],
        known: knownTo(version, state, step, place),
      });
    case 'create': {
      const mapped = map(version, state, step, place);
      if (mapped.problems.length > 0) return leaveProblems(version, state, step, mapped.problems);
      return plan(version, state, step, place, mapped, undefined);
    }
  }
}

/** Whom somebody deleted there isn't made again unasked: it may have been on purpose. */
function meetGone(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  { id, isLeft }: GoneLink,
): Advance {
  const turn = turnOf(version, state, step.id);
  const { singular } = place.described;
  if (isLeft || state.leftGone?.[step.id]) {
    const why = `The ${singular} that it is linked to was deleted there, and is left so.`;
    if (!turn) return leaveOut(clearPending(state), step.id, why);
    return runSteps(version, next(withResult(clearPending(state), step.id, { kind: 'left_out', why })));
  }
  const link = linkSubject(version.content, state, step, turn);
  return leaveUnsettled(version, state, step, {
    kind: 'unsettled',
    cause: 'gone',
    message: `The ${singular} that it is linked to (${id}) isn’t there any more. Create it again, or leave it so?`,
    fields: [],
    ...(link && { gone: { id, link } }),
  });
}

function leaveProblems(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  problems: MappedStep['problems'],
): Advance {
  const [first] = problems;
  const more = problems.length > 1 ? `, and ${problems.length - 1} more` : '';
  const message = `${first?.label}: ${first?.message}${more}`;
  return leaveUnsettled(version, state, step, { kind: 'unsettled', cause: 'value', message, fields: problems });
}

function enterWrite(version: WorkflowVersion, state: ItemState, step: WriteStep, place: Place): Advance {
  const mapped = map(version, state, step, place);
  if (mapped.problems.length > 0) return leaveProblems(version, state, step, mapped.problems);
  if (ladderOf(step)) {
    const chosen = state.choices[step.id];
    if (chosen === '') return meetNone(version, state, step, place, 'A person said: somebody new.');
    if (chosen !== undefined) return askFetch(state, step, place, chosen);
    return askMatch(version, state, step, place, mapped.values);
  }
  const key = step.mode === 'create_or_update' && step.key ? step.key : undefined;
  if (!key) return plan(version, state, step, place, mapped, undefined);
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

function plan(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  mapped: MappedStep,
  found: Found | undefined,
): Advance {
  const keyPath = settlingKey(step, place, mapped.values);
  const changes = found ? permittedChanges(version, state, step, place, mapped, found) : [];
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
  if (!found) return plan(version, state, step, place, map(version, state, step, place), undefined);
  return changeFound(version, state, step, place, found);
}

/** Changes what differs in a found record; where nothing does, it is the same and nothing is written. */
function changeFound(version: WorkflowVersion, state: ItemState, step: WriteStep, place: Place, found: Found): Advance {
  const planned = plan(version, state, step, place, map(version, state, step, place), found);
  if (Object.keys(planned.state.pending?.values ?? {}).length > 0) return planned;
  const result: StepResult = {
    kind: 'written',
    outcome: 'same',
    id: found.id,
    changes: [],
    readBack: 'as_sent',
    differences: [],
    ...matchOf(version, state, step),
  };
  return settle(version, { ...state, values: { ...state.values, [step.id]: found.record } }, step, result);
}

function takeWritten(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  id: string,
  record: JsonRecord | undefined,
): Advance {
  const known = record ? { ...state.values, [step.id]: record } : state.values;
  const written: ItemState = { ...state, phase: 'reading_back', pendingId: id, values: known };
  if (!place.described.can.readBack) return finishWrite(version, written, step, undefined);
  return { state: written, effect: { kind: 'readBack', step: step.id, target: targetOf(place), id } };
}

/**
 * What this step sent earlier stands. It goes on as if its answer had just come; where a person has
 * set other values meanwhile, the record that stands is changed to them instead of making another.
 */
function takeSettled(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  { write, id, record }: Extract<Answer, { kind: 'settled' }>,
): Advance {
  const isSetAnew = Object.entries(state.overrides[step.id] ?? {}).some(
    ([path, value]) => !isSameValue(write.values[path] ?? readPointer(write.before ?? {}, path), value, 'any'),
  );
  if (isSetAnew && step.kind === 'write' && place.described.can.update && place.described.can.readBack && id !== '')
    return askFetch({ ...state, choices: { ...state.choices, [step.id]: id } }, step, place, id);
  const changes = Object.entries(write.values).map(([path, after]) => ({
    path,
    label: fieldAt(place.described.fields, path)?.label ?? pointerLabel(path),
    before: readPointer(write.before ?? {}, path) ?? null,
    after,
  }));
  const pending = { ...state, pending: write, pendingChanges: write.kind === 'update' ? changes : [] };
  return takeWritten(version, pending, step, place, id, record);
}

function takeRead(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
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
      stands: { id, differences: [], outcome, readBack: 'not_read' },
    });
  }
  const { outcome: readBack, differences } = compareReadBack(pending, record, place.described.fields);
  const known = { ...state, values: { ...state.values, [step.id]: record } };
  if (readBack === 'cut' || readBack === 'different') {
    const labels = differences.map((one) => one.label).join(', ');
    const what = readBack === 'cut' ? 'Less came back than was sent' : 'Something else came back than was sent';
    return leaveUnsettled(version, known, step, {
      kind: 'unsettled',
      cause: 'altered',
      message: `${what}, in ${labels}.`,
      fields: differences.map(({ path, label, sent }) => ({ path, label, message: readBack, given: sent })),
      stands: { id, differences, outcome, readBack },
    });
  }
  return finishWrite(version, known, step, { readBack, differences });
}

function finishWrite(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
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
    ...matchOf(version, state, step),
  };
  return settle(version, state, step, result);
}

function settle(version: WorkflowVersion, state: ItemState, step: PlacedStep, result: StepResult): Advance {
  return runSteps(version, next(withResult(clearPending(state), step.id, result)));
}

/** The step needs a person; steps that don't depend on it still go on. */
function leaveUnsettled(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  result: Extract<StepResult, { kind: 'unsettled' }>,
): Advance {
  return runSteps(version, next(withResult(clearPending(state), step.id, result)));
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
  if (decision.kind === 'leave_gone')
    decided = { ...decided, leftGone: { ...decided.leftGone, [decision.step]: true } };
  if (decision.kind === 'new') decided = { ...decided, choices: { ...decided.choices, [decision.step]: '' } };
  if (decided.double && decision.kind !== 'set') {
    const { double: _told, ...plain } = decided;
    decided = plain;
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
