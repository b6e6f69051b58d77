import type { Mapped } from '../../mapping/map-record.ts';
import { startId } from '../../mapping/refs.ts';
import type { WriteOutcome } from '../../run/outcome.ts';
import type { Overwritten } from '../../run/overwrite.ts';
import { compareReadBack, type Found, type PlannedWrite } from '../../run/plan.ts';
import type { Answer, ItemState } from '../../run/state.ts';
import { isSameValue } from '../../values/coerce.ts';
import { fieldAt, type RecordType } from '../../values/field.ts';
import { pointerLabel, readPointer } from '../../values/pointer.ts';
import { type JsonRecord, toText } from '../../values/value.ts';
import { type Move, needsPerson } from '../move.ts';
import { type At, targetOf } from './at.ts';
import { bringsBack, isChangedSince, withoutStale } from './in-step.ts';
import { matchOf } from './link.ts';
import { messageMark, whyNotSent, withUnsubscribe } from './message.ts';
import type { WrittenResult } from './result.ts';
import { map, overwriteBy, settledWith, settlingKey } from './values.ts';

// A write from its plan to what was read back.

/** Asks for one record by its id. */
export function askFetch(at: At, state: ItemState, id: string): Move {
  return {
    kind: 'ask',
    state: { ...state, phase: 'finding' },
    effect: { kind: 'fetch', step: at.id, target: targetOf(at), id },
  };
}

/** A write as it would be sent: a new record, or what is to change in the one that was found. */
function planned(
  at: At,
  state: ItemState,
  mapped: Mapped,
  over?: { readonly found: Found; readonly by: Overwritten },
): ItemState {
  const keyPath = settlingKey(at, mapped.values);
  const changes = over?.by.changes ?? [];
  const values = over
    ? Object.fromEntries(changes.map(({ path, after }) => [path, after]))
    : redirected(at.place.described, withUnsubscribe(at, state, mapped.values), state.instead);
  const message = over ? undefined : messageMark(at, state, values);
  const pending: PlannedWrite = {
    kind: over ? 'update' : 'create',
    target: targetOf(at),
    values,
    types: Object.fromEntries(Object.keys(values).map((path) => [path, mapped.types[path] ?? 'text'])),
    ...(over && { id: over.found.id, before: over.found.record }),
    ...(message && { message }),
    ...(keyPath && { key: { path: keyPath, value: mapped.values[keyPath] ?? null } }),
  };
  const kept = over && over.by.kept.length > 0 ? { pendingKept: over.by.kept } : {};
  return { ...state, phase: 'writing', pending, pendingChanges: changes, ...kept };
}

/** In a trial what goes out to somebody goes to another address, which is told for whom it was. */
export function redirected(
  { sentTo }: Pick<RecordType, 'sentTo'>,
  values: Mapped['values'],
  instead: string | undefined,
): Mapped['values'] {
  if (!sentTo || instead === undefined) return values;
  const { to, copies, subject } = sentTo;
  const others = Object.fromEntries(Object.entries(values).filter(([path]) => !copies.includes(path)));
  const whom = [to, ...copies].map((path) => toText(values[path])).filter((one) => one !== '');
  const first = `For ${whom.join(', ')}: ${toText(values[subject])}`;
  return { ...others, [to]: instead, [subject]: first.slice(0, mostOfSubject) };
}

/** Mail servers break longer lines up. */
const mostOfSubject = 300;

/** Sends a new record. */
export function create(at: At, state: ItemState, mapped: Mapped): Move {
  return whyNotSent(at, state, mapped) ?? send(at, planned(at, state, mapped));
}

/** Sends the write that is planned. */
export function send(at: At, state: ItemState): Move {
  return { kind: 'ask', state, effect: { kind: 'write', step: at.id, write: state.pending as PlannedWrite } };
}

/** Changes what is to change in a found record; where nothing is, it is the same and nothing is written. */
export function changeFound(at: At, given: ItemState, found: Found): Move {
  const state = withoutStale(at, given, found);
  const mapped = map(at, state);
  const by = withoutNews(at, state, overwriteBy(at, state, mapped, found), found);
  if (by.asked.length > 0) return askWhoseCounts(at, state, by, found);
  if (by.changes.length > 0) return send(at, planned(at, state, mapped, { found, by }));
  return {
    kind: 'done',
    state: { ...state, values: { ...state.values, [at.id]: found.record } },
    result: {
      kind: 'written',
      outcome: 'same',
      id: found.id,
      changes: [],
      ...(by.kept.length > 0 && { kept: by.kept }),
      readBack: 'as_sent',
      differences: [],
      ...matchOf(at, state),
    },
    settled: settledWith(at, state, found, by.kept),
  };
}

/** The destination holds something else, and no rule says whose value counts: nothing is written until a person says. */
function askWhoseCounts(at: At, state: ItemState, { asked }: Overwritten, found: Found): Move {
  const fields = asked.map((field) => ({ ...field, ...changedWhen(at, state, found) }));
  const labels = asked.map(({ label }) => label).join(', ');
  const message = `${labels}: ${asked.length === 1 ? asked[0]?.message : 'what is there differs from what the source has, and no rule says which counts.'}`;
  return needsPerson(state, 'differs', message, { fields });
}

/** When each of two records was changed last, where their apps say so. */
function changedWhen({ version, place }: At, { values }: ItemState, { record }: Found) {
  const here = version.content.start.source?.described.updated;
  const there = place.described.updated;
  const givenAt = here && values[startId] ? readPointer(values[startId], here) : undefined;
  const thereAt = there ? readPointer(record, there) : undefined;
  return { ...(givenAt !== undefined && { givenAt }), ...(thereAt !== undefined && { thereAt }) };
}

/** What somebody has changed here since it was taken in stays, where something is brought back. */
function withoutNews(at: At, state: ItemState, by: Overwritten, found: Found): Overwritten {
  if (!bringsBack(at)) return by;
  const types = new Map(at.place.described.fields.map(({ path, type }) => [path, type]));
  const isNews = ({ path }: { readonly path: string }): boolean => isChangedSince(state, found, path, types.get(path));
  const stays = by.changes.filter(isNews).map((change) => ({ ...change, why: 'changed_there' as const }));
  return {
    changes: by.changes.filter((change) => !isNews(change)),
    asked: by.asked.filter((field) => !isNews(field)),
    kept: [...by.kept, ...stays],
  };
}

/** The app has confirmed the write: it is read back, where that can be. */
export function takeWritten(at: At, state: ItemState, id: string, record: JsonRecord | undefined): Move {
  const known = record ? { ...state.values, [at.id]: record } : state.values;
  const written: ItemState = { ...state, phase: 'reading_back', pendingId: id, values: known };
  if (!at.place.described.can.readBack) return finishWrite(at, written, undefined);
  return { kind: 'ask', state: written, effect: { kind: 'readBack', step: at.id, target: targetOf(at), id } };
}

/**
 * What this step sent earlier stands. It goes on as if its answer had just come; where a person has
 * set other values meanwhile, the record that stands is changed to them instead of making another.
 */
export function takeSettled(
  at: At,
  state: ItemState,
  { write, id, record }: Extract<Answer, { kind: 'settled' }>,
): Move {
  const { described } = at.place;
  const isSetAnew = Object.entries(state.overrides[at.id] ?? {}).some(
    ([path, value]) => !isSameValue(write.values[path] ?? readPointer(write.before ?? {}, path), value, 'any'),
  );
  if (isSetAnew && at.step.kind === 'write' && described.can.update && described.can.readBack && id !== '')
    return askFetch(at, { ...state, choices: { ...state.choices, [at.id]: id } }, id);
  const changes = Object.entries(write.values).map(([path, after]) => ({
    path,
    label: fieldAt(described.fields, path)?.label ?? pointerLabel(path),
    before: readPointer(write.before ?? {}, path) ?? null,
    after,
  }));
  const pending = { ...state, pending: write, pendingChanges: write.kind === 'update' ? changes : [] };
  return takeWritten(at, pending, id, record);
}

/** What was read back, beside what was sent. */
export function takeRead(at: At, state: ItemState, record: JsonRecord | null): Move | undefined {
  const { pending } = state;
  if (!pending) return undefined;
  const id = state.pendingId ?? '';
  const outcome = outcomeOf[pending.kind];
  if (pending.kind === 'remove') return record ? stillThere(state, id) : finishWrite(at, state, asSent);
  if (!record)
    return needsPerson(state, 'altered', 'The app said it was done, but the record could not be read back.', {
      stands: { id, differences: [], outcome, readBack: 'not_read' },
    });
  const { outcome: readBack, differences } = compareReadBack(pending, record, at.place.described.fields);
  const known = { ...state, values: { ...state.values, [at.id]: record } };
  if (readBack !== 'cut' && readBack !== 'different') return finishWrite(at, known, { readBack, differences });
  const labels = differences.map((one) => one.label).join(', ');
  const what =
    readBack === 'cut'
      ? 'What came back is shorter than what was sent'
      : 'What came back is different from what was sent';
  return needsPerson(known, 'altered', `${what}, in ${labels}.`, {
    fields: differences.map(({ path, label, sent }) => ({ path, label, message: readBack, given: sent })),
    stands: { id, differences, outcome, readBack },
  });
}

const outcomeOf: Readonly<Record<PlannedWrite['kind'], WriteOutcome>> = {
  create: 'new',
  update: 'changed',
  remove: 'removed',
};

const asSent = { readBack: 'as_sent', differences: [] } as const;

/** What was to be removed can be read all the same. */
const stillThere = (state: ItemState, id: string): Move =>
  needsPerson(state, 'altered', 'The app said that it was removed, but it is still there.', {
    stands: { id, differences: [], outcome: 'removed', readBack: 'different' },
  });

/** The write is done, with what reading back showed; undefined where the app can't be asked. */
export function finishWrite(
  at: At,
  state: ItemState,
  read: Pick<WrittenResult, 'readBack' | 'differences'> | undefined,
): Move {
  const pending = state.pending as PlannedWrite;
  const id = state.pendingId ?? '';
  return {
    kind: 'done',
    state,
    result: {
      kind: 'written',
      outcome: outcomeOf[pending.kind],
      id,
      changes: state.pendingChanges ?? [],
      ...(state.pendingKept && { kept: state.pendingKept }),
      readBack: read?.readBack ?? 'not_read',
      differences: read?.differences ?? [],
      ...(pending.before && { before: pending.before }),
      ...matchOf(at, state),
    },
    ...(id !== '' &&
      pending.kind !== 'remove' && {
        settled: settledWith(at, state, { id, record: read && state.values[at.id] }, state.pendingKept),
      }),
  };
}
