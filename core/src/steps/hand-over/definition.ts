import { mapConditionRefs, refsOfCondition } from '../../conditions/condition.ts';
import { refsOf } from '../../mapping/filling.ts';
import type { Answer, ItemState } from '../../run/state.ts';
import type { Field } from '../../values/field.ts';
import { isSameJson, type JsonRecord } from '../../values/value.ts';
import { changed } from '../../workflow/change.ts';
import { article, missing, type Phrase, setting, strong, words } from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem } from '../../workflow/problem.ts';
import { conditionProblems } from '../condition/definition.ts';
import type { Around, AroundHere, Doing, Given, StepDefinition } from '../definition.ts';
import { done, type Move, needsPerson, stopFor } from '../move.ts';
import { type At, targetOf } from '../placed/at.ts';
import { mappingChanges, renamedPlace, usesOfPlaced } from '../placed/building.ts';
import { onlyIfPhrases } from '../placed/only-if.ts';
import { mappingProblems } from '../placed/problems.ts';
import { enterAt } from '../placed/run.ts';
import { meetProblems } from '../placed/values.ts';
import { usesByRefs } from '../uses.ts';
import { handedOne, itemsHanded } from './handed.ts';
import type { HandedCounts, HandedResult, HandOverStep } from './schema.ts';
import { handsOverAlone, mostHanded } from './whole-list.ts';

/**
 * Hands a record, or each item of a list, to another workflow. What is handed over is stored in one transaction with
 * the state that follows, each known by (record, step, turn), so that it comes there once; from then on it is an item
 * of that workflow.
 */
export const handOver: StepDefinition<HandOverStep> = {
  kind: 'hand_over',
  delivers: true,
  joined: ['mapping', 'suggested'],
  make: (id) => ({ id, kind: 'hand_over', target: null, mapping: {} }),
  alias: (step) => step.target?.described.singular ?? 'handed over',
  refs: (step) => [
    ...Object.values(step.mapping).flatMap(refsOf),
    ...(step.onlyIf ? refsOfCondition(step.onlyIf) : []),
  ],
  gives,
  problems,
  sentence,
  changes: (before, after, around, locale) => [
    ...mappingChanges(before, after, around, locale),
    ...(isSameJson(before.back, after.back) ? [] : [changed('What comes back of what is handed over is otherwise.')]),
  ],
  uses: (step, id) => [...usesOfPlaced(step, id), ...usesByRefs(handOver.refs(step), id, 'what is handed over')],
  renamed: (step, how) => {
    const { mapping, target } = renamedPlace(step, how);
    return { ...step, mapping, target, ...(step.onlyIf && { onlyIf: mapConditionRefs(step.onlyIf, how.ref) }) };
  },
  deed: (_step, where) => `hands over to ${where}`,
  withoutMarks: ({ suggested: _suggested, ...step }) => step,
  enter: (doing, state) => enterAt(doing, state, (at) => enter(at, state)),
  take,
};

const nameOf = (step: HandOverStep): string => step.target?.labels.at(-1) ?? 'another workflow';

/** What comes back: of one its fields, of a list how many came to what, and each with its fields. */
function gives(step: HandOverStep, around: Around): Given | undefined {
  if (!step.awaits || !step.target) return undefined;
  const from = step.name ?? `what ${nameOf(step)} made of it`;
  const back = step.back ?? [];
  if (step.within === undefined || !handsOverAlone(around.content, step.within))
    return { from, fields: [{ path: '/state', label: 'what became of it', type: 'text' }, ...back] };
  const count = (path: string, label: string): Field => ({ path, label, type: 'integer' });
  const each: Field[] = [
    count('/number', 'number'),
    { path: '/state', label: 'what became of it', type: 'text' },
    ...back,
  ];
  return {
    from,
    fields: [
      count('/handed', 'handed over'),
      count('/delivered', 'delivered'),
      count('/leftOut', 'left out'),
      { path: '/each', label: 'each of them', type: 'list', fields: each },
    ],
  };
}

function problems(step: HandOverStep, around: AroundHere): ReadinessProblem[] {
  const { target } = step;
  if (!target) return [blocks(step.id, 'Choose the workflow that it is handed over to.')];
  const { source } = around.content.start;
  if (source?.connection === target.connection && source.path[0] === target.path[0])
    return [blocks(step.id, 'A workflow can’t hand over to itself. Choose another one.')];
  const unsaid = step.onlyIf ? conditionProblems(step.id, step.onlyIf, around) : [];
  return unsaid.length > 0 ? unsaid : mappingProblems(step, around);
}

function sentence(step: HandOverStep, around: Around): Phrase[] {
  if (!step.target) return [words('Hand it over to '), missing('a workflow'), words('.')];
  const { singular } = step.target.described;
  return [
    ...onlyIfPhrases(step, around),
    words(`Hand ${article(singular)} `),
    strong(singular),
    words(' over to '),
    setting(nameOf(step)),
    ...(step.awaits ? [words(' and '), setting('wait until it is done there')] : []),
    words('.'),
  ];
}

function enter(at: At<HandOverStep>, state: ItemState): Move {
  const stopped = state.stopped?.[at.id];
  if (stopped !== undefined) return stopFor(at.id, state, stopped);
  const items = itemsHanded(at);
  if (items && items.length > mostHanded)
    return needsPerson(
      state,
      'value',
      `The list has ${items.length} items, and at most ${mostHanded} are handed over for one record.`,
    );
  if (!items) {
    const { problems: found } = handedOne(at, state);
    if (found.length > 0) return meetProblems(state, found);
  }
  const count = items ? items.length : 1;
  if (count === 0) return handedDone(at, state, { kind: 'handed', count: 0 });
  return {
    kind: 'ask',
    state: { ...state, phase: 'handing' },
    effect: { kind: 'handOver', step: at.id, target: targetOf(at), count },
  };
}

function take(doing: Doing<HandOverStep>, state: ItemState, answer: Answer): Move | undefined {
  const { id, step } = doing;
  switch (answer.kind) {
    case 'handed': {
      if (state.phase !== 'handing') return undefined;
      const { count, passedOver = 0, would } = answer;
      const result: HandedResult = {
        kind: 'handed',
        count,
        ...(passedOver > 0 && { passedOver }),
        ...(would && { would }),
      };
      if (!step.awaits || count === 0) return handedDone(doing, state, result);
      return askBack(doing, { ...state, handed: { ...state.handed, [id]: result } });
    }
    case 'woken': {
      const { by } = answer;
      if ('told' in by && typeof by.told?.['stops'] === 'string') return stopFor(id, state, by.told['stops']);
      // Whatever woke it: it goes on once all that was handed over has come to its end.
      return askBack(doing, state);
    }
    case 'handed_back': {
      const before = state.handed?.[id];
      if (state.phase !== 'handing' || !before) return undefined;
      if (answer.open > 0) {
        const { message, unsettled } = answer;
        return { kind: 'park', state, park: { step: id, holdsLater: true, awaitsHanded: { unsettled }, message } };
      }
      return handedDone(doing, state, { ...before, back: answer.counts }, answer);
    }
    default:
      return undefined;
  }
}

function askBack(doing: Doing<HandOverStep>, state: ItemState): Move {
  const { id, step } = doing;
  if (!step.target)
    return needsPerson(state, 'drift', 'The workflow that it was handed over to isn’t chosen any more.');
  const target = targetOf({ place: step.target, step });
  const items = itemsHanded(doing);
  const wants = items ? (items.length <= mostBack ? 'each' : 'counts') : 'one';
  return {
    kind: 'ask',
    state: { ...state, phase: 'handing' },
    effect: { kind: 'handedBack', step: id, target, wants },
  };
}

/** Of more than so many only the counts come back: a record doesn't carry thousands of others along. */
const mostBack = 1000;

const noCounts: HandedCounts = { delivered: 0, leftOut: 0, dropped: 0 };

/** The step is through; what came back of it is known to those after it. */
function handedDone(
  doing: Doing<HandOverStep>,
  given: ItemState,
  result: HandedResult,
  told?: Pick<Extract<Answer, { kind: 'handed_back' }>, 'each' | 'one'>,
): Move {
  const { id, step } = doing;
  const { [id]: _told, ...handed } = given.handed ?? {};
  const { handed: _before, ...rest } = given;
  const state: ItemState = Object.keys(handed).length > 0 ? { ...rest, handed } : rest;
  if (!step.awaits) return done(state, result);
  const { delivered, leftOut } = result.back ?? noCounts;
  const list: JsonRecord = { handed: result.count, delivered, leftOut, ...(told?.each && { each: [...told.each] }) };
  const record = itemsHanded(doing) ? list : (told?.one ?? {});
  return done({ ...state, values: { ...state.values, [id]: record } }, result);
}
