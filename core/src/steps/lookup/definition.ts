import { mapConditionRefs, refsOfCondition } from '../../conditions/condition.ts';
import { fill, mapRefs, refsOf } from '../../mapping/filling.ts';
import type { ItemState } from '../../run/state.ts';
import { fieldAt } from '../../values/field.ts';
import { isEmpty, toText } from '../../values/value.ts';
import { missing, type Phrase, placePhrases, setting, strong, words } from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem } from '../../workflow/problem.ts';
import { conditionProblems } from '../condition/definition.ts';
import type { Around, AroundHere, Doing, StepDefinition } from '../definition.ts';
import type { Move } from '../move.ts';
import type { At } from '../placed/at.ts';
import { givenBy, ladderChanges, mappingChanges, renamedPlace, usesOfPlaced } from '../placed/building.ts';
import { askMatch, meetNone } from '../placed/find.ts';
import { onlyIfPhrases } from '../placed/only-if.ts';
import { fillingProblems, ladderProblems, mappingProblems } from '../placed/problems.ts';
import { enterAt, takeAt } from '../placed/run.ts';
import { nonePhrases, renamedLadder, rungPhrases } from '../placed/rungs.ts';
import { askFetch } from '../placed/send.ts';
import { knownOf } from '../placed/values.ts';
import { usesByRefs } from '../uses.ts';
import { allPhrases, allProblems, askAll, givenByAll, takeAll } from './all.ts';
import type { LookupStep } from './schema.ts';

/** Finds the matching record of another place, or fetches it by its id. */
export const lookup: StepDefinition<LookupStep> = {
  kind: 'lookup',
  comesFirst: true,
  make: (id) => ({
    id,
    kind: 'lookup',
    target: null,
    mapping: {},
    ladder: { rungs: [], atNone: 'ask', atUnclear: 'best' },
  }),
  alias: ({ target, all }) => (all ? target?.described.plural : target?.described.singular) ?? 'record',
  refs: (step) => {
    const { remembers } = step.ladder;
    return [
      ...Object.values(step.mapping).flatMap(refsOf),
      ...(step.fetchId ? refsOf(step.fetchId) : []),
      ...(step.all ? refsOf(step.all.value) : []),
      ...(typeof remembers === 'object' ? [remembers] : []),
      ...(step.onlyIf ? refsOfCondition(step.onlyIf) : []),
    ];
  },
  gives: (step) => (step.all ? givenByAll(step) : givenBy(step, 'found in')),
  problems,
  sentence: (step, around, names) => {
    if (!step.target) return [words('Find '), missing('a record'), words(' in '), missing('an app'), words('.')];
    const { singular } = step.target.described;
    if (step.all)
      return [...onlyIfPhrases(step, around), ...allPhrases(step, step.all, around, placePhrases(step.target, names))];
    return [
      ...onlyIfPhrases(step, around),
      words(step.fetchId ? 'Fetch the ' : 'Find the '),
      strong(singular),
      words(step.fetchId ? ' from ' : ' in '),
      ...placePhrases(step.target, names),
      ...(step.fetchId ? byId(step.fetchId, around) : [words(' by '), ...rungPhrases(step.ladder, step.target)]),
      words('; '),
      ...nonePhrases(step.ladder.atNone, singular),
      words('.'),
    ];
  },
  changes: (before, after, around, locale) => [
    ...mappingChanges(before, after, around, locale),
    ...ladderChanges(before, after),
  ],
  uses: (step, sentence) => [
    ...usesOfPlaced(step, sentence),
    ...usesByRefs(lookup.refs(step), sentence, 'a lookup'),
    ...(step.id === sentence && step.all ? [{ path: step.all.path, what: 'how they are found' }] : []),
  ],
  renamed: (step, how) => {
    const { mapping, target, isOwn } = renamedPlace(step, how);
    const { remembers } = step.ladder;
    const ladder = isOwn ? renamedLadder(step.ladder, how.path) : step.ladder;
    return {
      ...step,
      mapping,
      target,
      ladder: typeof remembers === 'object' ? { ...ladder, remembers: how.ref(remembers) } : ladder,
      ...(step.fetchId && { fetchId: mapRefs(step.fetchId, how.ref) }),
      ...(step.all && {
        all: { path: isOwn ? how.path(step.all.path) : step.all.path, value: mapRefs(step.all.value, how.ref) },
      }),
      ...(step.onlyIf && { onlyIf: mapConditionRefs(step.onlyIf, how.ref) }),
    };
  },
  deed: (step, where) => `looks up in ${where}${step.ladder.atNone === 'create' ? ', and creates there' : ''}`,
  enter: begin,
  take: (doing, state, answer) =>
    answer.kind === 'found' && state.phase === 'finding'
      ? enterAt(doing, state, (at) => takeAll(at, state, answer))
      : takeAt(doing, state, answer, begin),
};

function byId(fetchId: NonNullable<LookupStep['fetchId']>, around: Around): Phrase[] {
  const [first] = refsOf(fetchId);
  return [words(' with the id '), first ? setting(around.nameOf(first)) : missing('from a field')];
}

function problems(step: LookupStep, around: AroundHere): ReadinessProblem[] {
  if (!step.target) return [blocks(step.id, 'Choose where to look.')];
  const { described, labels } = step.target;
  const unsaid = step.onlyIf ? conditionProblems(step.id, step.onlyIf, around) : [];
  if (unsaid.length > 0) return unsaid;
  if (step.all) return allProblems(step, step.all, around);
  if (step.fetchId) {
    if (refsOf(step.fetchId).some((ref) => !around.isKnown(ref)))
      return [blocks(step.id, 'The field with the id doesn’t exist here.')];
    return described.can.readBack ? [] : [blocks(step.id, `A record of ${labels.at(-1)} can’t be fetched by its id.`)];
  }
  const found = ladderProblems(step, step.ladder);
  if (step.ladder.atNone === 'create') {
    const isClosed = blocks(
      step.id,
      `Nothing can be created in ${labels.join(' → ')}. Choose something else for when there is none.`,
    );
    return [...found, ...(described.can.create ? [] : [isClosed]), ...mappingProblems(step, around)];
  }
  for (const [path, filling] of Object.entries(step.mapping)) {
    const field = fieldAt(described.fields, path);
    const messages = field
      ? fillingProblems(step, around, { ...field, readOnly: undefined }, filling)
      : [`“${path.slice(1)}” isn’t there any more.`];
    found.push(...messages.map((message) => ({ ...blocks(step.id, message), field: path })));
  }
  return found;
}

function begin(doing: Doing<LookupStep>, state: ItemState): Move {
  return enterAt(doing, state, look);
}

/** Begins a lookup: by what a person chose, by an id, or by the ways of its ladder. */
function look(at: At<LookupStep>, state: ItemState): Move {
  if (at.step.all) return askAll(at, state, at.step.all);
  const chosen = state.choices[at.id];
  if (chosen === '') return meetNone(at, state, 'A person decided: create a new one.');
  const id = chosen ?? (at.step.fetchId ? fetchIdOf(at) : undefined);
  if (id === '') return meetNone(at, state, 'The id is empty.');
  if (id !== undefined) return askFetch(at, state, id);
  return askMatch(at, state, knownOf(at, state));
}

/** The id by which a record is fetched; '' where there is none. */
function fetchIdOf({ step, scope, evaluation }: At<LookupStep>): string {
  const { fetchId } = step;
  if (!fetchId || fetchId.kind === 'lines') return '';
  const filled = fill(fetchId, scope, evaluation);
  return filled.ok && !isEmpty(filled.value) ? toText(filled.value).trim() : '';
}
