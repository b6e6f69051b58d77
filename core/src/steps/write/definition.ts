import { mapConditionRefs, refsOfCondition } from '../../conditions/condition.ts';
import { refsOf } from '../../mapping/filling.ts';
import type { Found } from '../../run/plan.ts';
import type { Answer, ItemState } from '../../run/state.ts';
import { fieldAt, type RecordType } from '../../values/field.ts';
import { pointerLabel } from '../../values/pointer.ts';
import { isEmpty, isSameJson } from '../../values/value.ts';
import { type Change, changed } from '../../workflow/change.ts';
import { draftStateOf, draftWords } from '../../workflow/draft-state.ts';
import {
  article,
  type ConnectionNames,
  missing,
  type Phrase,
  placePhrases,
  setting,
  strong,
  words,
} from '../../workflow/phrase.ts';
import type { Place } from '../../workflow/place.ts';
import { blocks, type ReadinessProblem, warns } from '../../workflow/problem.ts';
import { conditionProblems } from '../condition/definition.ts';
import type { Around, AroundHere, Doing, StepDefinition } from '../definition.ts';
import { formulaIssues } from '../formula-issues.ts';
import { leaveOut, type Move, needsPerson } from '../move.ts';
import { type At, targetOf } from '../placed/at.ts';
import { givenBy, ladderChanges, mappingChanges, recordsOf, renamedPlace, usesOfPlaced } from '../placed/building.ts';
import { askMatch, meetNone } from '../placed/find.ts';
import { bringsBack, enterBack, pairOf } from '../placed/in-step.ts';
import { ladderOf } from '../placed/link.ts';
import { onlyIfPhrases } from '../placed/only-if.ts';
import { ladderProblems, mappingProblems } from '../placed/problems.ts';
import { enterAt, takeAt } from '../placed/run.ts';
import { nonePhrases, renamedLadder, rungPhrases } from '../placed/rungs.ts';
import { askFetch, changeFound, create } from '../placed/send.ts';
import { map, meetProblems } from '../placed/values.ts';
import { renamedRefs, usesByRefs } from '../uses.ts';
import type { WriteStep } from './schema.ts';

/** Makes a record in a place, or changes the one that is there. */
export const write: StepDefinition<WriteStep> = {
  kind: 'write',
  delivers: true,
  joined: ['mapping', 'suggested'],
  make: (id) => ({ id, kind: 'write', target: null, mode: 'create_or_update', mapping: {} }),
  alias: (step) => step.target?.described.singular ?? 'record',
  refs: (step) => [
    ...Object.values(step.mapping).flatMap(refsOf),
    ...Object.values(step.placeBy?.refs ?? {}),
    ...(step.onlyIf ? refsOfCondition(step.onlyIf) : []),
  ],
  gives: (step) => givenBy(step, 'in'),
  problems,
  sentence: (step, around, names) => [...onlyIfPhrases(step, around), ...withDraft(step, phrases(step, around, names))],
  changes: (before, after, around, locale) => [
    ...mappingChanges(before, after, around, locale),
    ...ladderChanges(before, after),
    ...purposeChanges(before, after),
    ...(isSameJson(overwritingOf(before), overwritingOf(after))
      ? []
      : [changed(`What is written over in ${recordsOf(after)} that are there already has changed.`)]),
  ],
  uses: (step, sentence) => [
    ...usesOfPlaced(step, sentence),
    ...usesByRefs(write.refs(step), sentence, 'a lookup'),
    ...(step.id === sentence && step.key ? [{ path: step.key, what: 'the key' }] : []),
  ],
  renamed: (step, how) => {
    const { mapping, target, isOwn } = renamedPlace(step, how);
    const { key, ladder, policies, empties, placeBy } = step;
    return {
      ...step,
      mapping,
      target,
      ...(step.onlyIf && { onlyIf: mapConditionRefs(step.onlyIf, how.ref) }),
      ...(placeBy && { placeBy: { ...placeBy, refs: renamedRefs(placeBy.refs, how.ref) } }),
      ...(isOwn && key && { key: how.path(key) }),
      ...(isOwn && ladder && { ladder: renamedLadder(ladder, how.path) }),
      ...(isOwn && Array.isArray(empties) && { empties: empties.map((path) => how.path(path)) }),
      ...(isOwn &&
        policies && {
          policies: Object.fromEntries(Object.entries(policies).map(([path, policy]) => [how.path(path), policy])),
        }),
    };
  },
  deed: (step, where) =>
    step.target?.described.sentTo
      ? `sends from ${where}`
      : `writes to ${where}${step.placeBy ? `, ${partByName(step)} by a formula` : ''}`,
  withoutMarks: ({ suggested: _suggested, ...step }) => step,
  enter: begin,
  take: (doing, state, answer) =>
    answer.kind === 'found' && state.phase === 'finding'
      ? enterAt(doing, state, (at) => takeFound(at, state, answer))
      : takeAt(doing, state, answer, begin),
};

/** "…, new ones hidden.", where that was chosen. */
function withDraft(step: WriteStep, said: Phrase[]): Phrase[] {
  const state = draftStateOf(step);
  const means = state && step.target ? draftWords(step.target.described, state) : undefined;
  const last = said.at(-1);
  if (means === undefined || !last?.text.endsWith('.')) return said;
  return [...said.slice(0, -1), { ...last, text: `${last.text.slice(0, -1)}, new ones ` }, setting(means), words('.')];
}

function purposeChanges(before: WriteStep, after: WriteStep): Change[] {
  const [was, is] = [before.purpose ?? 'service', after.purpose ?? 'service'];
  const name = recordsOf(after);
  if (was !== is)
    return [
      changed(
        is === 'news'
          ? `The ${name} are news now: whoever has unsubscribed gets none.`
          : `The ${name} are service now: whoever has unsubscribed gets them too.`,
      ),
    ];
  return before.unsubscribeWords === after.unsubscribeWords
    ? []
    : [changed('The words before the unsubscribe link have changed.')];
}

/** All that says what becomes of a record that is there already. */
const overwritingOf = ({ policies, otherwise, empties, firstDifference }: WriteStep) => ({
  policies: policies ?? {},
  otherwise: otherwise ?? 'changed',
  empties: empties ?? [],
  firstDifference: firstDifference ?? 'ask',
});

function phrases(step: WriteStep, around: Around, names: ConnectionNames): Phrase[] {
  if (!step.target) return [words('Write it to '), missing('a place'), words('.')];
  if (step.afterAll) return afterAllPhrases(step, step.target.described);
  if (step.removes) return removingPhrases(step, step.target, names);
  if (around.content.inStep?.back === step.id)
    return [
      words('Bring back to the '),
      strong(step.target.described.singular),
      words(' in '),
      ...placePhrases(step.target, names),
      words(' what changed there.'),
    ];
  const { described } = step.target;
  const record = strong(described.singular);
  const place = placePhrases(step.target, names);
  const one = `${article(described.singular)} `;
  if (described.sentTo)
    return [
      words(`Send ${one}`),
      record,
      ...addressed(step, around),
      words(' from '),
      ...place,
      words(step.purpose === 'news' && described.sentTo.body !== undefined ? ', as news.' : '.'),
    ];
  if (described.document) return [words(`Make ${one}`), record, words(' in '), ...place, words(remaking(step))];
  if (step.mode === 'append') return [words(`Append ${one}`), record, words(' to '), ...place, words('.')];
  const begun = [words('Create or update the '), record, words(' in '), ...place];
  if (step.ladder) {
    const { atNone } = step.ladder;
    return [
      ...begun,
      words(', recognised by '),
      ...rungPhrases(step.ladder, step.target),
      words(', writing only what differs'),
      ...(atNone === 'create' ? [] : [words('; '), ...nonePhrases(atNone, described.singular)]),
      words('.'),
    ];
  }
  const key = step.key ? fieldAt(described.fields, step.key) : undefined;
  return [
    ...begun,
    words(' that has the same '),
    key ? setting(key.label) : missing('field'),
    words(', writing only what differs.'),
  ];
}

/** "Remove the contact in Card index that it was in step with, after asking." */
function removingPhrases({ removes }: WriteStep, target: Place, names: ConnectionNames): Phrase[] {
  const which = [
    words('Remove the '),
    strong(target.described.singular),
    words(' in '),
    ...placePhrases(target, names),
  ];
  const when = removes === 'asks' ? setting('after asking') : setting('unless somebody has changed it');
  return [...which, words(' that it was in step with, '), when, words('.')];
}

/** What becomes of a document that is there, when its record has changed. */
const remaking = ({ mode, otherwise }: WriteStep): string => {
  if (mode === 'append') return '.';
  return otherwise === 'ask'
    ? '; where it has changed, ask before it is made again.'
    : '; where it has changed, make it again.';
};

/** "Then mark it as read.", "Then set its folder to Done." */
function afterAllPhrases({ mapping }: WriteStep, { fields }: RecordType): Phrase[] {
  const set = fields.flatMap(({ path, label, type }): Phrase[][] => {
    const filling = mapping[path];
    if (filling?.kind === 'formula') return [[words('say in its '), setting(label), words(' when that was')]];
    if (filling?.kind !== 'fixed') return [];
    if (type === 'boolean') return [[words('mark it as '), setting(label)]];
    return [[words(`set its ${label} to `), setting(filling.value)]];
  });
  return [words('Then '), ...set.flatMap((phrases, at) => (at > 0 ? [words(', '), ...phrases] : phrases)), words('.')];
}

/** To whom it is sent, where that is one field. */
export function addressed({ target, mapping }: WriteStep, around: Around): Phrase[] {
  const filling = mapping[target?.described.sentTo?.to ?? ''];
  if (filling?.kind === 'fixed') return [words(' to '), setting(filling.value)];
  return filling?.kind === 'field' ? [words(' to '), setting(around.nameOf(filling.ref))] : [];
}

/** What is worked out for each record of its place: the file or company it stands in, or its last choice. */
function partByName(step: WriteStep): string {
  const labels = step.target?.labels ?? [];
  return step.placePart === undefined || step.placePart >= labels.length - 1
    ? 'its last part'
    : `“${labels[step.placePart]}”`;
}

function problems(step: WriteStep, around: AroundHere): ReadinessProblem[] {
  if (!step.target) return [blocks(step.id, 'Choose where the records go.')];
  const { described, labels } = step.target;
  const found: ReadinessProblem[] = [];
  if (described.readOnlyBecause) found.push(blocks(step.id, described.readOnlyBecause));
  else if (!described.can.create && !step.afterAll)
    found.push(blocks(step.id, `Nothing can be written to ${labels.join(' → ')}.`));
  if (step.removes) return [...found, ...removingProblems(step, around)];
  found.push(...mappingProblems(step, around));
  if (step.onlyIf) found.push(...conditionProblems(step.id, step.onlyIf, around));
  const [placeIssue] = step.placeBy ? formulaIssues(around, step.placeBy) : [];
  if (placeIssue) found.push(blocks(step.id, `Where it is written: ${placeIssue.message}`));
  const isBack = around.content.inStep?.back === step.id;
  if (step.mode === 'create_or_update' && !isBack) found.push(...keyProblems(step));
  found.push(...unheard(step));
  found.push(...withoutPurpose(step));
  return found;
}

/** Only who is remembered of two places in step is removed. */
const removingProblems = ({ id }: WriteStep, { content }: AroundHere): ReadinessProblem[] =>
  content.removalOf === undefined
    ? [blocks(id, 'Records are removed only for two places in step. Take this step out.')]
    : [];

/** Whether a message may go to whoever has unsubscribed is for a person to say; where it goes to one fixed address nobody has to. */
function withoutPurpose(step: WriteStep): ReadinessProblem[] {
  const { sentTo, plural } = step.target?.described ?? {};
  if (sentTo?.body === undefined || step.purpose !== undefined || step.mapping[sentTo.to]?.kind === 'fixed') return [];
  const said = `Say whether these ${plural} are service or news. Until then they count as service, and go to whoever has unsubscribed too.`;
  return [{ ...warns(step.id, said), field: sentTo.body }];
}

/** What can't be delivered comes back to an address that nobody reads here. */
function unheard(step: WriteStep): ReadinessProblem[] {
  const back = step.target?.described.sentTo?.back;
  if (!back) return [];
  const filling = step.mapping[back.from];
  if (filling && filling.kind !== 'fixed') return [];
  const from = filling ? filling.value : back.usual;
  if (back.read.includes(from)) return [];
  const said = `What can’t be delivered comes back to “${from}”, and this connection doesn’t read the mails there: you don’t hear of it here.`;
  return [{ ...warns(step.id, said), field: back.from }];
}

function keyProblems(step: WriteStep): ReadinessProblem[] {
  const described = step.target?.described;
  if (!described) return [];
  if (step.ladder) {
    if (!described.can.update)
      return [blocks(step.id, `Records can’t be changed in ${step.target?.labels.at(-1)}. Choose “append”.`)];
    return ladderProblems(step, step.ladder);
  }
  if (!described.can.find || !described.can.update) {
    return [
      blocks(step.id, `Records can’t be looked up and changed in ${step.target?.labels.at(-1)}. Choose “append”.`),
    ];
  }
  if (step.key && described.findBy && !described.findBy.includes(step.key)) {
    return [{ ...blocks(step.id, 'The app can’t look a record up by this field. Choose another.'), field: step.key }];
  }
  if (!step.key) return [blocks(step.id, 'Choose the field that existing records are matched by.')];
  if (!step.mapping[step.key]) {
    return [{ ...blocks(step.id, 'The field that records are matched by must be filled.'), field: step.key }];
  }
  return [];
}

function begin(doing: Doing<WriteStep>, state: ItemState): Move {
  return enterAt(doing, state, enter);
}

/** Begins a write: looks for the record first, where the step says so. */
function enter(at: At<WriteStep>, state: ItemState): Move {
  const { step, id, place } = at;
  if (bringsBack(at)) return enterBack(at, state, (own) => askFetch(at, state, own));
  const mapped = map(at, state);
  // Of two places in step the other one may hold what is empty here; it is asked for once a record has to be made.
  const problems = pairOf(at) ? mapped.problems.filter(({ given }) => !isEmpty(given)) : mapped.problems;
  if (problems.length > 0) return meetProblems(state, problems);
  if (ladderOf(step)) {
    const chosen = state.choices[id];
    if (chosen === '') return meetNone(at, state, 'A person decided: create a new one.');
    if (chosen !== undefined) return askFetch(at, state, chosen);
    return askMatch(at, state, mapped.values);
  }
  const key = step.mode === 'create_or_update' && step.key ? step.key : undefined;
  if (!key) return create(at, state, mapped);
  const value = mapped.values[key] ?? null;
  if (isEmpty(value)) {
    const label = fieldAt(place.described.fields, key)?.label ?? pointerLabel(key);
    return meetProblems(state, [{ path: key, label, message: 'Empty, but records are matched by this field.' }]);
  }
  return {
    kind: 'ask',
    state: { ...state, phase: 'finding' },
    effect: { kind: 'find', step: id, target: targetOf(at), by: { path: key, value } },
  };
}

/** What the one key found. */
function takeFound(at: At<WriteStep>, state: ItemState, { matches }: Extract<Answer, { kind: 'found' }>): Move {
  const chosenId = state.choices[at.id];
  const found: Found | undefined = matches.find((match) => match.id === chosenId) ?? matches[0];
  if (!found && at.step.afterAll) return leaveOut(state, `The ${at.place.described.singular} isn’t there any more.`);
  if (!found) return create(at, state, map(at, state));
  if (matches.length === 1 || found.id === chosenId) return changeFound(at, state, found);
  const message = `${matches.length} records have the same ${pointerLabel(at.step.key ?? '')}.`;
  return needsPerson(state, 'several', message, { candidates: matches });
}
