import type { Answer, ItemState } from '../../run/state.ts';
import type { Doing } from '../definition.ts';
import { done, leaveOut, type Move, needsPerson } from '../move.ts';
import type { PlacedStep } from '../schemas.ts';
import { type At, placeHere } from './at.ts';
import { meetNone, takeMatched, takeRecord } from './find.ts';
import { backFor, bringsBack } from './in-step.ts';
import { finishWrite, takeRead, takeSettled, takeWritten } from './send.ts';

/** Begins a step at its place, or says why there is none. */
export function enterAt<S extends PlacedStep>(
  doing: Doing<S>,
  state: ItemState,
  enter: (at: At<S>, state: ItemState) => Move,
): Move {
  const place = placeHere(doing);
  if (typeof place === 'string') return needsPerson(state, 'value', `Where it is written: ${place}`);
  if (!place) return needsPerson(state, 'drift', 'No destination is chosen for this step.');
  return enter(backFor({ ...doing, place }, state), state);
}

/**
 * Goes on with what came from the place; undefined for an answer that isn't waited for.
 *
 * @param again - begins the step anew, where the record that a person chose is gone
 */
export function takeAt<S extends PlacedStep>(
  doing: Doing<S>,
  state: ItemState,
  answer: Answer,
  again: (doing: Doing<S>, state: ItemState) => Move,
): Move | undefined {
  const place = placeHere(doing);
  if (!place || typeof place === 'string') return undefined;
  const at: At<S> = backFor({ ...doing, place }, state);
  if (answer.kind === 'settled') return takeSettled(at, state, answer);
  switch (state.phase) {
    case 'finding':
      if (answer.kind === 'matched') return takeMatched(at, state, answer);
      if (answer.kind === 'fetched')
        return takeFetched(at, state, answer, () => again(doing, withoutChoice(at, state)));
      return undefined;
    case 'writing':
      if (answer.kind === 'not_sent')
        return answer.leavesOut ? leaveOut(state, answer.why) : done(state, { kind: 'not_sent', why: answer.why });
      return answer.kind === 'written' ? takeWritten(at, state, answer.id, answer.record) : undefined;
    case 'reading_back':
      if (answer.kind === 'read') return takeRead(at, state, answer.record);
      return answer.kind === 'not_readable' && state.pending ? finishWrite(at, state, undefined) : undefined;
    default:
      return undefined;
  }
}

/** What a person chose, or an id named, was fetched; where it is gone the ladder is gone through after all. */
function takeFetched(
  at: At,
  state: ItemState,
  { found }: Extract<Answer, { kind: 'fetched' }>,
  again: () => Move,
): Move | undefined {
  const isChosen = state.choices[at.id] !== undefined;
  if (found) return takeRecord(at, state, found, { how: isChosen ? 'chosen' : 'id' });
  if (isChosen) return again();
  if (bringsBack(at)) return done(state, { kind: 'not_found', why: 'The record isn’t there any more.' });
  return at.step.kind === 'lookup' ? meetNone(at, state, 'There is no record with this id.') : undefined;
}

function withoutChoice({ id }: At, state: ItemState): ItemState {
  const { [id]: _gone, ...choices } = state.choices;
  return { ...state, choices, phase: 'ready' };
}
