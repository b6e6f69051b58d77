import { evaluate } from '../conditions/evaluate.ts';
import { evaluateFormula } from '../formula/formula.ts';
import { FormulaError, toValue } from '../formula/values.ts';
import { mapRecord } from '../mapping/map-record.ts';
import type { Surroundings } from '../mapping/surroundings.ts';
import { isEmpty, toText } from '../values/value.ts';
import { nameOfRef, refsOfStep, surroundingsOf } from '../workflow/references.ts';
import { type ConditionStep, isPlaced, type Place, type PlacedStep, type WorkflowVersion } from '../workflow/schema.ts';
import { type LaidOutStep, layOut, scopeAt, type Turn, withinOf } from './lay-out.ts';
import { isSourceNewer, knownOf, ladderOf, linkSubject, permitted } from './matching-step.ts';
import { changesFor, type Found, type Target } from './plan.ts';
import type { Advance, ItemState, StepResult } from './state.ts';

// What a step is given and what it leaves behind: the item’s state read and changed, without going on.

/** The write or lookup that stands here, under the id of its turn. */
export function placedHere({ step, id }: LaidOutStep): PlacedStep | undefined {
  if (!isPlaced(step)) return undefined;
  return step.id === id ? step : { ...step, id };
}

/** True when an earlier condition of the same turn has left its item out. */
export function isTurnOver(content: WorkflowVersion['content'], state: ItemState, { turn }: LaidOutStep): boolean {
  if (!turn) return false;
  return content.steps.some(
    (step) =>
      (step.kind === 'condition' || step.kind === 'lookup') &&
      step.within === turn.each &&
      state.steps[`${step.id}#${turn.number}`]?.kind === 'left_out',
  );
}

/** The step that this one needs and that isn't settled. */
export function blockerOf(
  content: WorkflowVersion['content'],
  state: ItemState,
  { step, turn }: LaidOutStep,
): string | undefined {
  const needed = refsOfStep(step).flatMap((ref) => {
    const within = content.steps.find((one) => one.id === ref.step);
    const each = within && withinOf(within);
    if (each === undefined) return [ref.step];
    if (turn?.each === each) return [`${ref.step}#${turn.number}`];
    // From outside, what was found for each line: all of it has to be there.
    return Object.keys(state.steps).filter((id) => id.startsWith(`${ref.step}#`));
  });
  const guards = turn
    ? content.steps
        .filter((one) => one.kind === 'condition' && one.within === turn.each)
        .map((one) => `${one.id}#${turn.number}`)
    : [];
  return [...needed, ...guards, ...(turn ? [turn.each] : [])].find((id) => isOpen(state.steps[id]));
}

export function aroundTurn(version: WorkflowVersion, state: ItemState, turn: Turn | undefined): Surroundings {
  const around = surroundingsOf(version, state.takenAt);
  return turn ? { ...around, lineNumber: turn.number } : around;
}

/** The turn that a step's id bears. */
export function turnOf(version: WorkflowVersion, state: ItemState, id: string): Turn | undefined {
  return id.includes('#') ? layOut(version.content, state.values).find((one) => one.id === id)?.turn : undefined;
}

/** Where a write goes: as chosen, or with its last choice worked out for this record. A text says why it can't be told. */
export function placeOf(version: WorkflowVersion, state: ItemState, step: PlacedStep, place: Place): Place | string {
  if (step.kind !== 'write' || !step.placeBy) return place;
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

export const isOpen = (result: StepResult | undefined): boolean =>
  result?.kind === 'unsettled' || result?.kind === 'blocked';

export function judge(
  version: WorkflowVersion,
  state: ItemState,
  step: ConditionStep,
  turn: Turn | undefined,
): { isKept: boolean; why: string } {
  const scope = scopeAt(version.content, state.values, turn);
  return evaluate(step.condition, scope, version.locale, (ref) => nameOfRef(version.content, ref));
}

/** A record that was written before this condition stays delivered: the steps that apply to it have ended. */
export function leaveOut(state: ItemState, step: string, why: string): Advance {
  const left = withResult({ ...state, phase: 'ended' }, step, { kind: 'left_out', why });
  const isWritten = Object.values(state.steps).some((result) => result.kind === 'written');
  const open = firstOpen(left);
  if (open) return { state: left, outcome: open };
  return { state: left, outcome: isWritten ? { kind: 'delivered' } : { kind: 'left_out', step, why } };
}

/** What is known of the record that a step looks for. */
export function knownTo(
  version: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
): MappedStep['values'] {
  const turn = turnOf(version, state, step.id);
  if (step.kind === 'lookup')
    return knownOf(step, place, state, version.content, aroundTurn(version, state, turn), turn);
  return map(version, state, step, place).values;
}

const formulaTextsOf = (step: PlacedStep): 'harmless' | undefined =>
  step.kind === 'write' ? step.formulaTexts : undefined;

export type MappedStep = ReturnType<typeof mapRecord>;

export function map(version: WorkflowVersion, state: ItemState, step: PlacedStep, place: Place): MappedStep {
  const turn = turnOf(version, state, step.id);
  const scope = scopeAt(version.content, state.values, turn);
  const around = { ...aroundTurn(version, state, turn), formulaTexts: formulaTextsOf(step) };
  return mapRecord(step.mapping, place.described.fields, scope, around, state.overrides[step.id]);
}

export function permittedChanges(
  { content }: WorkflowVersion,
  state: ItemState,
  step: PlacedStep,
  place: Place,
  mapped: MappedStep,
  found: Found,
) {
  const changes = changesFor(mapped.values, mapped.types, found, place.described.fields);
  return step.kind === 'write'
    ? permitted(changes, step.policies, () => isSourceNewer(content, state, step, found))
    : changes;
}

/** The field by which a write that may have been done is looked for: the key, or a ladder's first exact way with one field. */
export function settlingKey(step: PlacedStep, place: Place, values: MappedStep['values']): string | undefined {
  const ladder = ladderOf(step);
  if (!ladder) return step.kind === 'write' && step.mode === 'create_or_update' ? step.key : undefined;
  const { findBy } = place.described;
  return ladder.rungs
    .flatMap((rung) => (rung.kind === 'exact' && rung.fields.length === 1 ? rung.fields : []))
    .find((path) => (!findBy || findBy.includes(path)) && !isEmpty(values[path]));
}

/** How the record was recognised, and whose match is remembered, where a ladder did it. */
export function matchOf(version: WorkflowVersion, state: ItemState, step: PlacedStep) {
  if (!ladderOf(step)) return {};
  const link = linkSubject(version.content, state, step, turnOf(version, state, step.id));
  return { ...(state.pendingBy && { by: state.pendingBy }), ...(link && { link }) };
}

export function end(state: ItemState): Advance {
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

export function acceptStanding(state: ItemState, step: string): ItemState {
  const result = state.steps[step];
  if (result?.kind !== 'unsettled' || (!result.stands && result.cause !== 'unsure')) return state;
  const { id, differences, outcome, readBack } = result.stands ?? {
    id: '',
    differences: [],
    outcome: 'new' as const,
    readBack: 'not_read' as const,
  };
  return withResult(state, step, { kind: 'written', outcome, id, changes: [], readBack, differences });
}

export function withResult(state: ItemState, step: string, result: StepResult): ItemState {
  return { ...state, steps: { ...state.steps, [step]: result } };
}

export const next = (state: ItemState): ItemState => ({ ...state, at: state.at + 1 });

export function clearPending(state: ItemState): ItemState {
  const { pending: _write, pendingId: _id, pendingChanges: _changes, pendingBy: _by, ...rest } = state;
  return { ...rest, phase: 'ready' };
}

export function targetOf(place: Place): Target {
  return { connection: place.connection, path: place.path, recordType: place.described.name };
}
