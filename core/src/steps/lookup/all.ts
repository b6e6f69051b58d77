import { fill, refsOf } from '../../mapping/filling.ts';
import type { Answer, ItemState } from '../../run/state.ts';
import { fieldAt } from '../../values/field.ts';
import { isEmpty, type JsonRecord } from '../../values/value.ts';
import { missing, type Phrase, type placePhrases, setting, strong, words } from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem } from '../../workflow/problem.ts';
import type { Around, AroundHere, Given } from '../definition.ts';
import { done, type Move, needsPerson } from '../move.ts';
import { type At, targetOf } from '../placed/at.ts';
import { fillingProblems } from '../placed/problems.ts';
import type { LookupStep } from './schema.ts';

// A lookup that lists all records of a place which hold a value: the invoices of a customer, the places of a course.

/** So many belong to one record at most: what is listed is kept with it. */
const mostListed = 1000;

const recordsPath = '/records';
const countPath = '/count';

type AllOf = NonNullable<LookupStep['all']>;

/** What later sentences know: the records as a list, and how many they are. */
export function givenByAll({ target, name }: LookupStep): Given | undefined {
  if (!target) return undefined;
  const { plural, fields } = target.described;
  return {
    fields: [
      { path: recordsPath, label: plural, type: 'list', fields },
      { path: countPath, label: `number of ${plural}`, type: 'integer' },
    ],
    from: name ?? `all found in ${target.labels.at(-1) ?? 'a place'}`,
  };
}

/** "Find all invoices in the Ledger whose customer is the customer's id." */
export function allPhrases(
  { target }: LookupStep,
  { path, value }: AllOf,
  around: Around,
  place: ReturnType<typeof placePhrases>,
): Phrase[] {
  if (!target) return [];
  const { plural, fields } = target.described;
  const [ref] = refsOf(value);
  const field = fieldAt(fields, path);
  return [
    words('Find all '),
    strong(plural),
    words(' in '),
    ...place,
    words(' whose '),
    field ? setting(field.label) : missing('field'),
    words(' is '),
    value.kind === 'fixed' ? setting(value.value) : ref ? setting(around.nameOf(ref)) : missing('from a field'),
    words('.'),
  ];
}

export function allProblems(step: LookupStep, all: AllOf, around: AroundHere): ReadinessProblem[] {
  const { described, labels } = step.target ?? {};
  if (!described) return [];
  if (!described.can.find) return [blocks(step.id, `Records of ${labels?.at(-1)} can’t be looked up.`)];
  const field = fieldAt(described.fields, all.path);
  if (!field || (described.findBy && !described.findBy.includes(all.path)))
    return [blocks(step.id, 'Choose the field by which all records are found.')];
  const unready = fillingProblems(step, around, { ...field, readOnly: undefined, required: true }, all.value);
  return unready.map((message) => blocks(step.id, message));
}

/** Asks for all records that hold the value; with no value there are none. */
export function askAll(at: At<LookupStep>, state: ItemState, { path, value }: AllOf): Move {
  if (value.kind === 'lines') return listed(at, state, []);
  const filled = fill(value, at.scope, at.evaluation);
  if (!filled.ok) return needsPerson(state, 'value', filled.message);
  if (isEmpty(filled.value)) return listed(at, state, []);
  return {
    kind: 'ask',
    state: { ...state, phase: 'finding' },
    effect: { kind: 'find', step: at.id, target: targetOf(at), by: { path, value: filled.value }, all: mostListed },
  };
}

/** All that were found, known to the steps after it. */
export function takeAll(at: At<LookupStep>, state: ItemState, { matches }: Extract<Answer, { kind: 'found' }>): Move {
  if (matches.length > mostListed) {
    const { plural } = at.place.described;
    return needsPerson(state, 'value', `There are ${matches.length} ${plural}, and at most ${mostListed} are listed.`);
  }
  return listed(
    at,
    state,
    matches.map(({ record }) => record),
  );
}

function listed({ id }: At<LookupStep>, state: ItemState, records: readonly JsonRecord[]): Move {
  const known = { records: [...records], count: records.length };
  return done({ ...state, values: { ...state.values, [id]: known } }, { kind: 'listed', count: records.length });
}
