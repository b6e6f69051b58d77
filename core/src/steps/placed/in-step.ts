import { refsOf } from '../../mapping/filling.ts';
import { type Mapped, mapRecord } from '../../mapping/map-record.ts';
import { startId } from '../../mapping/refs.ts';
import type { KeptField, KeptWhy } from '../../run/outcome.ts';
import type { Found, MadeOf, Settled } from '../../run/plan.ts';
import { sentFields } from '../../run/plan.ts';
import type { ItemState } from '../../run/state.ts';
import { isSameValue } from '../../values/coerce.ts';
import { type FieldType, fieldAt } from '../../values/field.ts';
import { type Pointer, readPointer, writePointer } from '../../values/pointer.ts';
import { isEmpty, type JsonRecord } from '../../values/value.ts';
import type { Place } from '../../workflow/place.ts';
import { done, type Move } from '../move.ts';
import type { WriteStep } from '../write/schema.ts';
import type { At } from './at.ts';
import { fieldsToFill } from './fields.ts';

// Two places in step, both ways. Each direction writes into the other place what changed here, and brings back what
// changed there: so one item leaves its pair in step, whichever side it began on. What both sides held when they last
// agreed (the base) is kept for each side as that which its own direction would send it, beside what it holds.

/** The write into the other place, and the one that brings back, where a step is one of the two. */
interface Pair {
  readonly there: WriteStep;
  readonly back: WriteStep;
  readonly emptied: 'empties' | 'refills';
}

/** The two writes of a direction that a step belongs to; undefined for a step of any other workflow. */
export function pairOf({ version, step }: Pick<At, 'version' | 'step'>): Pair | undefined {
  const { inStep, steps } = version.content;
  if (!inStep || (step.id !== inStep.step && step.id !== inStep.back)) return undefined;
  const [there, back] = [inStep.step, inStep.back].map((id) => steps.find((one) => one.id === id));
  return there?.kind === 'write' && back?.kind === 'write' ? { there, back, emptied: inStep.emptied } : undefined;
}

/** Whether a step brings back what changed in the other place. */
export const bringsBack = ({ version, step }: Pick<At, 'version' | 'step'>): boolean =>
  version.content.inStep?.back === step.id;

/** Why a field of the other place was left as it is there, where what is there comes back. */
const comesBack: ReadonlySet<KeptWhy> = new Set(['changed_there', 'first', 'newer_there', 'policy', 'empty']);

/** Two pointers of which one lies within the other. */
const touches = (one: Pointer, other: Pointer): boolean =>
  one === other || one.startsWith(`${other}/`) || other.startsWith(`${one}/`);

const refsInto = (step: WriteStep, path: Pointer, from: string): Pointer[] => {
  const filling = step.mapping[path];
  return filling ? refsOf(filling).flatMap((ref) => (ref.step === from ? [ref.path] : [])) : [];
};

/** How a field here stands to what the other place has now. */
type Standing =
  /** Both hold the same, each in its own writing. */
  | 'agreed'
  /** What is there comes back. */
  | 'comes_back'
  /** Neither goes over to the other now. */
  | 'held';

/** What is known once the write into the other place is done: how each field here stands to it. */
function standings(
  at: Pick<At, 'version' | 'scope' | 'evaluation'>,
  { there, back }: Pair,
  state: ItemState,
  kept: readonly KeptField[],
): Map<Pointer, Standing> {
  const place = there.target as Place;
  const plain = mapRecord(there.mapping, place.described.fields, at.scope, at.evaluation);
  const set = state.overrides[there.id] ?? {};
  const isEmptyHere = (ref: Pointer): boolean =>
    refsInto(there, ref, startId).every((own) => isEmpty(readPointer(at.scope[startId] ?? {}, own)));
  const standingOf = (path: Pointer, ref: Pointer): Standing => {
    const why = kept.find((one) => one.path === ref);
    // What can't be translated isn't empty: it says nothing, and nothing is said against it.
    if (why?.why === 'empty' && !isEmptyHere(ref)) return 'held';
    if (why) return why.why === 'same_written_otherwise' ? 'agreed' : goesBack(why) ? 'comes_back' : 'held';
    const isWritten = there.mapping[ref] !== undefined && Object.hasOwn(plain.values, ref);
    if (!isWritten || !refsInto(there, ref, startId).some((one) => touches(one, path))) return 'comes_back';
    const isSetOtherwise =
      Object.hasOwn(set, ref) && !isSameValue(plain.values[ref] ?? null, set[ref] ?? null, plain.types[ref] ?? 'text');
    return isSetOtherwise ? 'comes_back' : 'agreed';
  };
  const found = new Map<Pointer, Standing>();
  for (const path of Object.keys(back.mapping)) {
    const all = refsInto(back, path, there.id).map((ref) => standingOf(path, ref));
    // A field here that nothing there fills is written only when its record is made.
    if (all.length > 0)
      found.set(path, all.includes('held') ? 'held' : all.includes('comes_back') ? 'comes_back' : 'agreed');
  }
  return found;
}

const goesBack = ({ why, isNews }: KeptField): boolean => comesBack.has(why) || (why === 'no_stays' && isNews === true);

/** What the write into the other place left as it is there; undefined where it came to nothing. */
function keptThere({ there }: Pair, state: ItemState): readonly KeptField[] | undefined {
  const result = state.steps[there.id];
  return result?.kind === 'written' ? (result.kept ?? []) : undefined;
}

/**
 * The step that brings back, as it is for one record: of its fields only those of which something comes back, each as
 * the other place has it.
 */
export function backFor<S extends At>(at: S, state: ItemState): S {
  const pair = pairOf(at);
  const kept = pair && keptThere(pair, state);
  if (!pair || !kept || !bringsBack(at)) return at;
  const { back, emptied } = pair;
  const plain = mappedBack(at, pair);
  const paths = [...standings(at, pair, state, kept)].flatMap(([path, standing]) =>
    standing === 'comes_back' && (emptied === 'empties' || !isEmpty(plain.values[path])) ? [path] : [],
  );
  const mapping = Object.fromEntries(paths.flatMap((path) => [[path, back.mapping[path]]]));
  const step: WriteStep = {
    ...back,
    mapping: mapping as WriteStep['mapping'],
    policies: Object.fromEntries(paths.map((path) => [path, 'always' as const])),
    ...(emptied === 'empties' && { empties: 'all' as const }),
  };
  return { ...at, step };
}

const mappedBack = ({ scope, evaluation }: Pick<At, 'scope' | 'evaluation'>, { back }: Pair): Mapped =>
  mapRecord(back.mapping, fieldsToFill(back, (back.target as Place).described.fields), scope, evaluation);

/** Begins to bring back: nothing is asked where both sides agree already. `fetch` asks for the record here. */
export function enterBack(at: At, state: ItemState, fetch: (id: string) => Move): Move {
  const { mapping } = backFor(at, state).step;
  const pair = pairOf(at);
  const id = state.sourceId ?? '';
  if (!pair || keptThere(pair, state) === undefined || id === '')
    return done(state, { kind: 'not_found', why: 'Nothing was written there, so nothing comes back.' });
  if (Object.keys(mapping).length > 0) return fetch(id);
  const nothing = { outcome: 'same' as const, id, changes: [], readBack: 'as_sent' as const, differences: [] };
  return done(state, { kind: 'written', ...nothing });
}

/** A field here that somebody changed since it was taken in isn't written over: that change comes by itself. */
export const isChangedSince = (
  { values }: ItemState,
  { record }: Found,
  path: Pointer,
  type: FieldType | undefined,
): boolean => !isSameValue(readPointer(values[startId] ?? {}, path), readPointer(record, path), type ?? 'text');

/** A base of one side: what it would be sent, beside what it holds. */
const baseOf = (mapped: Mapped, paths: readonly Pointer[], record: JsonRecord): Readonly<Record<Pointer, MadeOf>> =>
  sentFields(
    Object.fromEntries(paths.flatMap((path) => (path in mapped.values ? [[path, mapped.values[path] ?? null]] : []))),
    mapped.types,
    record,
  );

/**
 * What both sides agree on once the write into the other place is done, for the side here. Where nothing was read back
 * it isn't known.
 */
export function agreedHere(
  at: At,
  state: ItemState,
  there: JsonRecord | undefined,
  kept: readonly KeptField[],
): Settled['also'] | undefined {
  const pair = pairOf(at);
  const here = state.values[startId];
  if (!pair?.back.target || bringsBack(at) || !there || !here || state.sourceId === undefined) return undefined;
  const scope = { ...at.scope, [pair.there.id]: there };
  const agreed = [...standings({ ...at, scope }, pair, state, kept)].flatMap(([path, standing]) =>
    standing === 'agreed' ? [path] : [],
  );
  const fields = baseOf(mappedBack({ ...at, scope }, pair), agreed, here);
  return { target: asTarget(pair.back.target), id: state.sourceId, fields };
}

/** What both sides agree on once something has come back: the side here by what was written, and the other one. */
export function agreedBoth(
  at: At,
  state: ItemState,
  here: { readonly id: string; readonly record: JsonRecord | undefined },
  kept: readonly KeptField[],
): Settled | undefined {
  const pair = pairOf(at);
  const result = pair && state.steps[pair.there.id];
  const before = state.values[startId];
  const there = pair && state.values[pair.there.id];
  if (!pair?.there.target || !pair.back.target || result?.kind !== 'written' || !there || !before || !here.record)
    return undefined;
  const left = new Set(kept.map(({ path }) => path));
  const paths = Object.keys(backFor(at, state).step.mapping).filter((path) => !left.has(path));
  // What was taken in, with what came back in it: anything else that changed here since then is news.
  const now = paths.reduce(
    (record, path) => writePointer(record, path, readPointer(here.record as JsonRecord, path) ?? null),
    before,
  );
  const fieldsThere = pair.there.target.described.fields;
  const wouldSend = mapRecord(pair.there.mapping, fieldsThere, { ...at.scope, [startId]: now }, at.evaluation);
  const fromThere = new Set(paths.flatMap((path) => refsInto(pair.back, path, pair.there.id)));
  const settled = Object.keys(pair.there.mapping).filter((path) => fromThere.has(path) && fieldAt(fieldsThere, path));
  return {
    step: at.id,
    target: asTarget(pair.back.target),
    id: here.id,
    fields: baseOf(mappedBack(at, pair), paths, now),
    also: { target: asTarget(pair.there.target), id: result.id, fields: baseOf(wouldSend, settled, there) },
  };
}

const asTarget = ({ connection, path, described }: Place): Settled['target'] => ({
  connection,
  path,
  recordType: described.name,
});

/** What a person set over a value that isn't there any more doesn't hold: the new one is looked at anew. */
export function withoutStale({ id, place }: At, state: ItemState, { record }: Found): ItemState {
  const over = state.setOver?.[id];
  const set = state.overrides[id];
  if (!over || !set) return state;
  const typeOf = (path: Pointer): FieldType => fieldAt(place.described.fields, path)?.type ?? 'text';
  const isAsItWas = (path: Pointer): boolean =>
    !Object.hasOwn(over, path) || isSameValue(over[path], readPointer(record, path) ?? null, typeOf(path));
  const held = Object.entries(set).filter(([path]) => isAsItWas(path));
  return held.length === Object.keys(set).length
    ? state
    : { ...state, overrides: { ...state.overrides, [id]: Object.fromEntries(held) } };
}

/** The fields here of which a person has said what holds, by what they said of the other place. */
export function saidThere(at: At, state: ItemState): Pointer[] {
  const pair = bringsBack(at) ? pairOf(at) : undefined;
  if (!pair) return [];
  const said = Object.keys(state.overrides[pair.there.id] ?? {});
  return Object.keys(pair.back.mapping).filter((path) =>
    refsInto(pair.back, path, pair.there.id).some((ref) => said.includes(ref)),
  );
}

/** Whether a field goes by fields of the record here about which the other direction asks a person. */
export const isAskedAlready = (at: At, { askedAbout }: Found, path: Pointer): boolean =>
  askedAbout !== undefined &&
  at.step.kind === 'write' &&
  refsInto(at.step, path, startId).some((ref) => askedAbout.some((asked) => touches(ref, asked)));
