import { fill } from '../mapping/filling.ts';
import { mapRecord } from '../mapping/map-record.ts';
import type { Surroundings } from '../mapping/surroundings.ts';
import { judgeTries, type Ladder, type LadderVerdict, type RungTry } from '../matching/lookup/ladder.ts';
import { readInstant } from '../values/dates.ts';
import type { Pointer } from '../values/pointer.ts';
import { readPointer } from '../values/pointer.ts';
import { recordTitle } from '../values/title.ts';
import { isEmpty, toText, type Value } from '../values/value.ts';
import { fieldOfRef, startId } from '../workflow/references.ts';
import type { FieldPolicy, LookupStep, Place, PlacedStep, WorkflowContent, WriteStep } from '../workflow/schema.ts';
import { scopeAt, type Turn } from './lay-out.ts';
import type { FieldChange } from './outcome.ts';
import type { Found } from './plan.ts';
import type { ItemState, LinkSubject, MatchedBy } from './state.ts';

/** The ways by which a step recognises its record, where it has any. */
export function ladderOf(step: PlacedStep): Ladder | undefined {
  if (step.kind === 'lookup') return step.ladder;
  return step.mode === 'create_or_update' ? step.ladder : undefined;
}

/** Whose match a step remembers: the record that starts the item, or the one whose id stands in a field. */
export function linkSubject(content: WorkflowContent, state: ItemState, step: PlacedStep, turn: Turn | undefined) {
  const remembers = ladderOf(step)?.remembers;
  const source = content.start.source;
  if (!remembers || remembers === 'nothing' || !source) return undefined;
  if (remembers === 'start') {
    const id = state.sourceId;
    return id === undefined ? undefined : { connection: source.connection, place: source.path, id };
  }
  const field = fieldOfRef(content, remembers);
  const record = scopeAt(content, state.values, turn)[remembers.step];
  const id = record === undefined ? '' : toText(readPointer(record, remembers.path as Pointer));
  const there = placeOfStep(content, remembers.step);
  if (!field?.idOf || !there || id === '') return undefined;
  return { connection: there.connection, place: [...there.path.slice(0, -1), field.idOf], id } satisfies LinkSubject;
}

/** The place that a step's record stands in. */
export function placeOfStep(content: WorkflowContent, stepId: string): Place | null {
  if (stepId === startId) return content.start.source;
  const step = content.steps.find((one) => one.id === stepId);
  if (step?.kind === 'each') return step.over ? placeOfStep(content, step.over.step) : null;
  return step?.kind === 'write' || step?.kind === 'lookup' ? step.target : null;
}

/**
 * What is known of a record that is looked for. A value that can't be read isn't known: another way
 * may find the record all the same.
 */
export function knownOf(
  step: LookupStep,
  place: Place,
  state: ItemState,
  content: WorkflowContent,
  around: Surroundings,
  turn: Turn | undefined,
): Readonly<Record<Pointer, Value>> {
  const fields = place.described.fields.flatMap((field) =>
    step.mapping[field.path] ? [{ ...field, required: undefined, readOnly: undefined }] : [],
  );
  const scope = scopeAt(content, state.values, turn);
  return mapRecord(step.mapping, fields, scope, around, state.overrides[step.id]).values;
}

/** The id by which a record is fetched; '' where there is none. */
export function fetchIdOf(
  step: LookupStep,
  state: ItemState,
  content: WorkflowContent,
  around: Surroundings,
  turn: Turn | undefined,
): string {
  const { fetchId } = step;
  if (!fetchId || fetchId.kind === 'lines') return '';
  const filled = fill(fetchId, scopeAt(content, state.values, turn), around);
  return filled.ok && !isEmpty(filled.value) ? toText(filled.value).trim() : '';
}

/** What a ladder decides, with how the record was recognised. */
export type MatchOutcome =
  | { readonly kind: 'found'; readonly found: Found; readonly by: MatchedBy }
  | { readonly kind: 'unclear'; readonly why: string; readonly rung: string; readonly tries: readonly RungTry[] }
  | { readonly kind: 'none'; readonly why: string };

/** The record that is remembered, else what the ways come to. */
export function outcomeOf(ladder: Ladder, linked: Found | undefined, tries: readonly RungTry[]): MatchOutcome {
  if (linked) return { kind: 'found', found: linked, by: { how: 'link' } };
  const verdict: LadderVerdict = judgeTries(ladder, tries);
  switch (verdict.kind) {
    case 'found': {
      const { candidate, rung, probability } = verdict;
      const { probability: _own, evidence: _why, ...found } = candidate;
      const how = probability === 1 ? 'rule' : 'rung';
      return { kind: 'found', found, by: { how, rung, probability } };
    }
    case 'unclear':
      return { kind: 'unclear', why: verdict.why, rung: verdict.rung, tries };
    case 'none':
      return { kind: 'none', why: verdict.isEmpty ? 'Nothing is known to look for it by.' : 'None was found.' };
  }
}

/** A found record's name for people. */
export const titleOf = (found: Found): string => recordTitle(found.record);

/** The changes that the fields' policies let through. */
export function permitted(
  changes: readonly FieldChange[],
  policies: Readonly<Record<Pointer, FieldPolicy>> | undefined,
  isNewer: () => boolean,
): FieldChange[] {
  if (!policies) return [...changes];
  const mayChange: Record<FieldPolicy, (before: Value) => boolean> = {
    always: () => true,
    if_empty: isEmpty,
    never: () => false,
    newest: isNewer,
  };
  return changes.filter(({ path, before }) => mayChange[policies[path] ?? 'always'](before));
}

/**
 * Whether the source's record is newer than the one it would change. Where only our own last write
 * has touched that one since, or either keeps no times, the source counts as newer.
 */
export function isSourceNewer(content: WorkflowContent, state: ItemState, step: WriteStep, found: Found): boolean {
  const here = content.start.source?.described.updated;
  const there = step.target?.described.updated;
  const record = state.values[startId];
  if (!here || !there || !record) return true;
  const last = found.last?.[there]?.read;
  const changed = readPointer(found.record, there as Pointer);
  if (last !== undefined && toText(last) === toText(changed)) return true;
  const [mine, theirs] = [instantOf(readPointer(record, here as Pointer)), instantOf(changed)];
  return mine === undefined || theirs === undefined || mine >= theirs;
}

function instantOf(value: Value | undefined): string | undefined {
  return isEmpty(value) ? undefined : readInstant(toText(value), 'utc');
}
