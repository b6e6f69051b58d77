import { type Mapped, mapRecord } from '../../mapping/map-record.ts';
import { startId } from '../../mapping/refs.ts';
import type { KeptField, KeptWhy } from '../../run/outcome.ts';
import { type Overwritten, overwrite } from '../../run/overwrite.ts';
import { type Found, type Settled, sentFields } from '../../run/plan.ts';
import type { ItemState } from '../../run/state.ts';
import { readInstant } from '../../values/dates.ts';
import type { Pointer } from '../../values/pointer.ts';
import { readPointer } from '../../values/pointer.ts';
import { isEmpty, type JsonRecord, toText, type Value } from '../../values/value.ts';
import { type Move, needsPerson } from '../move.ts';
import { type At, targetOf } from './at.ts';
import { fieldsToFill } from './fields.ts';
import { agreedBoth, agreedHere, bringsBack, isAskedAlready, pairOf, saidThere } from './in-step.ts';
import { ladderOf } from './link.ts';

/** What a step makes of what is known: values by the fields of its place, with what keeps them from being right. */
export function map(at: At, state: ItemState): Mapped {
  const overrides = state.overrides[at.id];
  if (overrides) return mapAnew(at, overrides);
  // A step comes by here several times with the same values: looking, writing, settling.
  const byStep = mapped.get(state.values) ?? new Map<string, { readonly step: At['step']; readonly made: Mapped }>();
  mapped.set(state.values, byStep);
  const known = byStep.get(at.id);
  if (known?.step === at.step) return known.made;
  const made = mapAnew(at, undefined);
  byStep.set(at.id, { step: at.step, made });
  return made;
}

/** What steps made of an item's values, kept as long as those are. */
const mapped = new WeakMap<object, Map<string, { readonly step: At['step']; readonly made: Mapped }>>();

function mapAnew(
  { step, place, scope, evaluation }: At,
  overrides: ItemState['overrides'][string] | undefined,
): Mapped {
  const formulaTexts = step.kind === 'write' ? step.formulaTexts : undefined;
  const fields = fieldsToFill(step, place.described.fields);
  return mapRecord(step.mapping, fields, scope, { ...evaluation, formulaTexts }, overrides);
}

/** The step needs a person because of its values. */
export function meetProblems(state: ItemState, problems: Mapped['problems']): Move {
  const [first] = problems;
  const more = problems.length > 1 ? `, and ${problems.length - 1} more` : '';
  return needsPerson(state, 'value', `${first?.label}: ${first?.message}${more}`, { fields: problems });
}

/**
 * What is known of the record that a step looks for. For a lookup a value that can't be read isn't
 * known: another way may find the record all the same.
 */
export function knownOf(at: At, state: ItemState): Readonly<Record<Pointer, Value>> {
  const { step, id, place, scope, evaluation } = at;
  if (step.kind !== 'lookup') return map(at, state).values;
  const fields = place.described.fields.flatMap((field) =>
    step.mapping[field.path] ? [{ ...field, required: undefined, readOnly: undefined }] : [],
  );
  return mapRecord(step.mapping, fields, scope, evaluation, state.overrides[id]).values;
}

/** The field by which a write that may have been done is looked for: the key, or a ladder's first exact way with one field. */
export function settlingKey({ step, place }: At, values: Mapped['values']): string | undefined {
  const ladder = ladderOf(step);
  if (!ladder) return step.kind === 'write' && step.mode === 'create_or_update' ? step.key : undefined;
  const { findBy } = place.described;
  return ladder.rungs
    .flatMap((rung) => (rung.kind === 'exact' && rung.fields.length === 1 ? rung.fields : []))
    .find((path) => (!findBy || findBy.includes(path)) && !isEmpty(values[path]));
}

/** What would become of a found record, field by field, by the step's own rules. */
export function overwriteBy(at: At, state: ItemState, mapped: Mapped, found: Found): Overwritten {
  const step = at.step.kind === 'write' ? at.step : undefined;
  const { policies = {}, empties = [], firstDifference = 'ask', otherwise = 'changed' } = step ?? {};
  const pair = bringsBack(at) ? undefined : pairOf(at);
  // What was never filled hasn't been emptied either.
  const isEmptied = (path: Pointer): boolean => pair?.emptied === 'empties' && !isEmpty(found.last?.[path]?.sent);
  return overwrite(mapped.values, mapped.types, found, at.place.described.fields, {
    policyOf: (path) => policies[path] ?? otherwise,
    writesEmpty: (path) => empties === 'all' || empties.includes(path) || isEmptied(path),
    refills: pair?.emptied === 'refills',
    isAskedAlready: (path) => isAskedAlready(at, found, path),
    firstDifference,
    recognisedBy: new Set(recognisingFields(at.step)),
    setByHand: new Set([...Object.keys(state.overrides[at.id] ?? {}), ...saidThere(at, state)]),
    isSourceNewer: () => isSourceNewer(at, state, found),
  });
}

/** The fields by which a step knows its record again by what they hold. */
export function recognisingFields(step: At['step']): readonly Pointer[] {
  const ladder = ladderOf(step);
  if (ladder) return ladder.rungs.flatMap((rung) => (rung.kind === 'exact' ? rung.fields : []));
  return step.kind === 'write' && step.mode === 'create_or_update' && step.key ? [step.key] : [];
}

/** Fields left as they are there for these reasons are measured by what was sent before, also the next time. */
const leavesLast: ReadonlySet<KeptWhy> = new Set([
  'changed_there',
  'empty',
  'policy',
  'newer_there',
  'no_stays',
  'asked_already',
]);

/**
 * What source and destination have now that the step is done with the record. What a person set by hand
 * answers the source's value, so that this one isn't asked about once more.
 */
export function settledWith(
  at: At,
  state: ItemState,
  there: { readonly id: string; readonly record: JsonRecord | undefined },
  kept: readonly KeptField[] = [],
): Settled {
  if (bringsBack(at)) {
    const both = agreedBoth(at, state, there, kept);
    if (both) return both;
  }
  const { pending } = state;
  const { step, evaluation, place, scope } = at;
  const plain = mapRecord(step.mapping, place.described.fields, scope, evaluation);
  const values = { ...pending?.values, ...plain.values };
  const fields = sentFields(values, { ...pending?.types, ...plain.types }, there.record);
  for (const { path, why } of kept) {
    if (leavesLast.has(why)) delete fields[path];
    else if (why === 'first') fields[path] = { sent: values[path] ?? null };
  }
  const also = agreedHere(at, state, there.record, kept);
  return { step: at.id, target: targetOf(at), id: there.id, fields, ...(also && { also }) };
}

/**
 * Whether the source's record is newer than the one it would change. Where only our own last write
 * has touched that one since, or either keeps no times, the source counts as newer.
 */
function isSourceNewer({ version, step }: At, state: ItemState, found: Found): boolean {
  const here = version.content.start.source?.described.updated;
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
