import type { Mapped } from '../../mapping/map-record.ts';
import { judgeTries, type Ladder, type RungTry } from '../../matching/lookup/ladder.ts';
import type { Found } from '../../run/plan.ts';
import type { GoneLink, MatchedBy } from '../../run/recognised.ts';
import type { Answer, ItemState } from '../../run/state.ts';
import type { Pointer } from '../../values/pointer.ts';
import { recordTitle } from '../../values/title.ts';
import { isEmpty, type Value } from '../../values/value.ts';
import { done, leaveOut, type Move, needsPerson } from '../move.ts';
import { type At, targetOf } from './at.ts';
import { bringsBack, pairOf } from './in-step.ts';
import { ladderOf, linkSubject } from './link.ts';
import { nothingToRemove, removeFound, removes } from './remove.ts';
import { changeFound, create } from './send.ts';
import { knownOf, map, meetProblems } from './values.ts';

// How the record that a step is about is found, or isn't.

const noWays: Ladder = { rungs: [], atNone: 'ask', atUnclear: 'ask' };

/** Asks for the record by the ways of the step's ladder. */
export function askMatch(at: At, state: ItemState, known: Readonly<Record<Pointer, Value>>): Move {
  const link = linkSubject(at, state);
  return {
    kind: 'ask',
    state: { ...state, phase: 'finding' },
    effect: {
      kind: 'match',
      step: at.id,
      target: targetOf(at),
      ladder: ladderOf(at.step) ?? noWays,
      known,
      about: Object.keys(at.step.mapping),
      ...(link && { link }),
    },
  };
}

/** What the ways of a ladder came to. */
export function takeMatched(
  at: At,
  state: ItemState,
  { linked, gone, tries }: Extract<Answer, { kind: 'matched' }>,
): Move | undefined {
  const ladder = ladderOf(at.step);
  if (!ladder) return undefined;
  const outcome = outcomeOf(ladder, linked, tries);
  if (outcome.kind === 'found') return takeRecord(at, state, outcome.found, outcome.by);
  if (outcome.kind === 'none') return meetNone(at, state, outcome.why, gone);
  return needsPerson(state, 'unclear', outcome.why, {
    rung: outcome.rung,
    candidates: tries.find((one) => one.rung === outcome.rung)?.candidates ?? [],
    known: knownOf(at, state),
  });
}

/** What a ladder decides, with how the record was recognised. */
type MatchOutcome =
  | { readonly kind: 'found'; readonly found: Found; readonly by: MatchedBy }
  | { readonly kind: 'unclear'; readonly why: string; readonly rung: string }
  | { readonly kind: 'none'; readonly why: string };

/** The record that is remembered, else what the ways come to. */
function outcomeOf(ladder: Ladder, linked: Found | undefined, tries: readonly RungTry[]): MatchOutcome {
  if (linked) return { kind: 'found', found: linked, by: { how: 'link' } };
  const verdict = judgeTries(ladder, tries);
  switch (verdict.kind) {
    case 'found': {
      const { candidate, rung, probability } = verdict;
      const { probability: _own, evidence: _why, ...found } = candidate;
      const how = probability === 1 ? 'rule' : 'rung';
      return { kind: 'found', found, by: { how, rung, probability } };
    }
    case 'unclear':
      return { kind: 'unclear', why: verdict.why, rung: verdict.rung };
    case 'none':
      return {
        kind: 'none',
        why: verdict.isEmpty ? 'There is nothing to search by: the fields are empty.' : 'No match was found.',
      };
  }
}

/** The record that a step is about is known: a lookup gives it on, a write changes what differs. */
export function takeRecord(at: At, state: ItemState, found: Found, by: MatchedBy): Move {
  const other = by.how === 'link' || by.how === 'chosen' ? undefined : found.pairedWith;
  if (other !== undefined && other !== state.sourceId && pairOf(at) && !bringsBack(at)) {
    const { singular } = at.place.described;
    const message = `“${recordTitle(found.record)}” is in step with another record already (${other}). Choose the ${singular} that this one is in step with, or make a new one.`;
    return needsPerson(state, 'unclear', message, {
      candidates: [{ ...found, probability: 1, evidence: [] }],
      known: knownOf(at, state),
    });
  }
  if (removes(at)) return removeFound(at, { ...state, pendingBy: by }, found);
  if (at.step.kind !== 'lookup') return changeFound(at, { ...state, pendingBy: by }, asPaired(at, found, by));
  const link = linkSubject(at, state);
  return done(
    { ...state, values: { ...state.values, [at.id]: found.record } },
    { kind: 'found', id: found.id, title: recordTitle(found.record), by, ...(link && { link }) },
  );
}

/** What was agreed on with another partner says nothing of this one: two that meet now meet for the first time. */
function asPaired(at: At, found: Found, { how }: MatchedBy): Found {
  if (how === 'link' || !pairOf(at) || bringsBack(at)) return found;
  const { last: _ofAnother, ...there } = found;
  return there;
}

/** Nobody was found: what the ladder says for that. */
export function meetNone(at: At, state: ItemState, why: string, gone?: GoneLink): Move {
  if (removes(at)) return nothingToRemove(at, state, gone !== undefined);
  const isNew = state.choices[at.id] === '';
  const atNone = ladderOf(at.step)?.atNone ?? 'create';
  const then = isNew && atNone === 'ask' ? (at.step.kind === 'write' ? 'create' : 'empty') : atNone;
  if (then === 'create' && gone && !isNew && !makesGoneAnew(at, gone)) return meetGone(at, state, gone);
  switch (then) {
    case 'empty': {
      const { [at.id]: _none, ...values } = state.values;
      return done({ ...state, values }, { kind: 'not_found', why });
    }
    case 'leave_out':
      return leaveOut(state, why);
    case 'ask':
      return needsPerson(state, 'unclear', why, { candidates: [], known: knownOf(at, state) });
    case 'create': {
      const mapped = map(at, state);
      if (mapped.problems.length === 0) return create(at, state, mapped);
      return lacksOnly(at, mapped.problems)
        ? leaveOut(state, lackingWords(at, mapped.problems))
        : meetProblems(state, mapped.problems);
    }
  }
}

/** Somebody said beforehand that what is gone is made anew; not where a person said that it stays gone. */
const makesGoneAnew = ({ step }: At, { isLeft }: GoneLink): boolean => !isLeft && ladderOf(step)?.atGone === 'create';

/** Whom somebody deleted there isn't made again unasked: it may have been on purpose. */
function meetGone(at: At, state: ItemState, { id, isLeft }: GoneLink): Move {
  const { singular } = at.place.described;
  if (isLeft || state.leftGone?.[at.id] || ladderOf(at.step)?.atGone === 'leave')
    return leaveOut(state, `The ${singular} that it is linked to was deleted there, and stays deleted.`);
  const link = linkSubject(at, state);
  const message = `The ${singular} that it is linked to (${id}) was deleted there. Create it again, or leave it deleted?`;
  return needsPerson(state, 'gone', message, link ? { gone: { id, link } } : {});
}

/** Of two places in step: a record that only lacks what the other place requires isn't made there until it has that. */
const lacksOnly = (at: At, problems: Mapped['problems']): boolean =>
  pairOf(at) !== undefined && problems.every(({ given }) => isEmpty(given));

function lackingWords({ place }: At, problems: Mapped['problems']): string {
  const labels = problems.map(({ label }) => label).join(', ');
  return `No ${place.described.singular} is made there while it has no ${labels}.`;
}
