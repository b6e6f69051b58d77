import { evaluate } from '../conditions/evaluate.ts';
import { evaluateFormula } from '../formula/formula.ts';
import { FormulaError, type FormulaValue, toValue } from '../formula/values.ts';
import { mapRecord } from '../mapping/map-record.ts';
import type { Surroundings } from '../mapping/surroundings.ts';
import { formatPointer, pointerLabel } from '../values/pointer.ts';
import { isEmpty, type JsonRecord, toText } from '../values/value.ts';
import { nameOfRef, refsOfStep, startId, surroundingsOf } from '../workflow/references.ts';
import type { ComputeStep, ConditionStep, Place, WorkflowVersion, WriteStep } from '../workflow/schema.ts';
import { type LaidOutStep, layOut, mostTurns, scopeAt, type Turn, turnsOf, withinOf } from './lay-out.ts';
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
  const here = layOut(version.content, state.values)[state.at];
  const step = here && writeHere(here);
  if (!step?.target) throw new AdvanceError(answer.kind, state);
  const placed = placeOf(version, state, step, step.target);
  if (typeof placed === 'string') throw new AdvanceError(answer.kind, state);
  const target = placed;
  if (answer.kind === 'refused') {
    const { cause, message, fields = [] } = answer;
    return leaveUnsettled(version, state, step, { kind: 'unsettled', cause, message, fields });
  }
  if (answer.kind === 'stale') return enterWrite(version, clearPending(state), step, step.target);
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

/** Results after which a step isn't done again. */
const settledKinds: ReadonlySet<string> = new Set(['written', 'kept', 'off', 'computed', 'each']);

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
    case 'write': {
      const written = writeHere(here) as WriteStep;
      return enterWrite(version, state, written, written.target);
    }
    case 'condition': {
      const verdict = judge(version, state, step, turn);
      if (verdict.isKept) return next(withResult(state, id, { kind: 'kept', why: verdict.why }));
      // Within a "for each" only this one is left out.
      if (turn) return next(withResult(state, id, { kind: 'left_out', why: verdict.why }));
      return leaveOut(state, step, verdict.why);
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

/** The write that stands here, under the id of its turn. */
function writeHere({ step, id }: LaidOutStep): WriteStep | undefined {
  if (step.kind !== 'write') return undefined;
  return step.id === id ? step : { ...step, id };
}

/** True when an earlier condition of the same turn has left its item out. */
function isTurnOver(content: WorkflowVersion['content'], state: ItemState, { turn }: LaidOutStep): boolean {
  if (!turn) return false;
  return content.steps.some(
    (step) =>
      step.kind === 'condition' &&
      step.within === turn.each &&
      state.steps[`${step.id}#${turn.number}`]?.kind === 'left_out',
  );
}

/** The step that this one needs and that isn't settled. */
function blockerOf(
  content: WorkflowVersion['content'],
  state: ItemState,
  { step, turn }: LaidOutStep,
): string | undefined {
  const needed = refsOfStep(step).map((ref) => {
    const isOfTurn = turn && content.steps.some((one) => one.id === ref.step && withinOf(one) === turn.each);
    return isOfTurn ? `${ref.step}#${turn.number}` : ref.step;
  });
  const guards = turn
    ? content.steps
        .filter((one) => one.kind === 'condition' && one.within === turn.each)
        .map((one) => `${one.id}#${turn.number}`)
    : [];
  return [...needed, ...guards, ...(turn ? [turn.each] : [])].find((id) => isOpen(state.steps[id]));
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

function aroundTurn(version: WorkflowVersion, state: ItemState, turn: Turn | undefined): Surroundings {
  const around = surroundingsOf(version, state.takenAt);
  return turn ? { ...around, lineNumber: turn.number } : around;
}

/** The turn that a step's id bears. */
function turnOf(version: WorkflowVersion, state: ItemState, id: string): Turn | undefined {
  return id.includes('#') ? layOut(version.content, state.values).find((one) => one.id === id)?.turn : undefined;
}

/** Where a write goes: as chosen, or with its last choice worked out for this record. A text says why it can't be told. */
function placeOf(version: WorkflowVersion, state: ItemState, step: WriteStep, place: Place): Place | string {
  if (!step.placeBy) return place;
  const turn = turnOf(version, state, step.id);
  const value = evaluateFormula(
    step.placeBy,
    scopeAt(version.content, state.values, turn),
    aroundTurn(version, state, turn),
  );
  if (value instanceof FormulaError) return value.message;
  const name = toText(toValue(value)).trim();
  if (name === '') return 'The place comes out empty.';
  return { ...place, path: [...place.path.slice(0, -1), name], labels: [...place.labels.slice(0, -1), name] };
}

const isOpen = (result: StepResult | undefined): boolean => result?.kind === 'unsettled' || result?.kind === 'blocked';

function judge(
  version: WorkflowVersion,
  state: ItemState,
  step: ConditionStep,
  turn: Turn | undefined,
): { isKept: boolean; why: string } {
  const scope = scopeAt(version.content, state.values, turn);
  return evaluate(step.condition, scope, version.locale, (ref) => nameOfRef(version.content, ref));
}

/** A record that was written before this condition stays delivered: the steps that apply to it have ended. */
function leaveOut(state: ItemState, step: ConditionStep, why: string): Advance {
  const left = withResult({ ...state, phase: 'ended' }, step.id, { kind: 'left_out', why });
  const isWritten = Object.values(state.steps).some((result) => result.kind === 'written');
  const open = firstOpen(left);
  if (open) return { state: left, outcome: open };
  return { state: left, outcome: isWritten ? { kind: 'delivered' } : { kind: 'left_out', step: step.id, why } };
}

function enterWrite(version: WorkflowVersion, state: ItemState, step: WriteStep, chosen: Place | null): Advance {
  const place = chosen && placeOf(version, state, step, chosen);
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
  const turn = turnOf(version, state, step.id);
  const scope = scopeAt(version.content, state.values, turn);
  const around = aroundTurn(version, state, turn);
  return mapRecord(step.mapping, place.described.fields, scope, around, state.overrides[step.id]);
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
