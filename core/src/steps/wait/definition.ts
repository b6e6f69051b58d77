import { DateTime } from 'luxon';
import { type OpenHours, officeWeek } from '../../calendar/calendar.ts';
import { durationText, isWorking } from '../../calendar/duration.ts';
import type { ItemState } from '../../run/state.ts';
import { type Field, fieldAt } from '../../values/field.ts';
import { changed } from '../../workflow/change.ts';
import { missing, type Phrase, setting, words } from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem, warns } from '../../workflow/problem.ts';
import type { WorkflowVersion } from '../../workflow/schema.ts';
import type { Around, AroundHere, Doing, StepDefinition } from '../definition.ts';
import { done, leaveOut, type Move, needsPerson, nowOf, stopFor } from '../move.ts';
import type { Step } from '../schemas.ts';
import { usesByRefs } from '../uses.ts';
import { type Due, dueAt } from './due.ts';
import { type Ending, endingsFor, isBySender, isOfTheRecord } from './endings.ts';
import type { WaitStep, WaitUntil } from './schema.ts';

/** Lets time pass. Where a step before it needs a person, it isn't begun: nothing after it goes on either. */
export const wait: StepDefinition<WaitStep> = {
  kind: 'wait',
  guards: true,
  needsAll: true,
  onlyOutside: true,
  make: (id) => ({ id, kind: 'wait', until: { kind: 'time', amount: 1, unit: 'working_days', from: 'start' } }),
  refs: ({ until, endings = [] }) => [
    ...(until.kind === 'date' && until.ref ? [until.ref] : []),
    ...endings.flatMap(({ here }) => here ?? []),
  ],
  gives: () => undefined,
  problems,
  sentence,
  // How a record is treated for which the time has passed stands in the sentence.
  changes: (before, after) => [
    ...(before.calendar === after.calendar ? [] : [changed('It is counted by another working calendar.')]),
    ...(JSON.stringify(before.endings?.map(countsEarlier)) === JSON.stringify(after.endings?.map(countsEarlier))
      ? []
      : [changed('Which records elsewhere end it is otherwise.')]),
  ],
  uses: (step, sentence_) => usesByRefs(wait.refs(step), sentence_, 'a wait'),
  renamed: ({ endings, ...step }, { ref }) => ({
    ...step,
    ...(step.until.kind === 'date' && step.until.ref && { until: { ...step.until, ref: ref(step.until.ref) } }),
    ...(endings && { endings: endings.map((one) => ({ ...one, here: one.here && ref(one.here) })) }),
  }),
  enter,
  take: (doing, state, answer) => {
    if (answer.kind !== 'woken') return undefined;
    const { by } = answer;
    const due = dueOf(doing, state);
    const until = 'at' in due ? new Date(due.at).toISOString() : nowOf(state);
    switch (by.kind) {
      case 'skipped':
        return passed(doing.id, state, until, 'skipped');
      case 'time':
        // A calendar or a date of the record may have changed meanwhile: then it is waited for again.
        return 'at' in due && until <= nowOf(state) ? passed(doing.id, state, until, 'time') : enter(doing, state);
      case 'event':
      case 'person':
        return typeof by.told?.['stops'] === 'string'
          ? stopFor(doing.id, state, by.told['stops'])
          : passed(doing.id, state, until, by.kind, by.kind === 'event' ? by.event : undefined);
    }
  },
};

const countsEarlier = (one: Ending): boolean => one.countsEarlier === true;

function enter(doing: Doing<WaitStep>, given: ItemState): Move {
  const { id, step } = doing;
  const stopped = given.stopped?.[id];
  if (stopped !== undefined) return leaveOut(given, stopped);
  // What is counted from here is counted from where it was reached first.
  const begun = given.reached?.[id] ?? nowOf(given);
  const state: ItemState = { ...given, reached: { ...given.reached, [id]: begun } };
  const due = dueOf(doing, state);
  if ('problem' in due) return askForDate(doing, state, due);
  const until = new Date(due.at).toISOString();
  if (state.skipsWaits) return passed(id, state, until, 'skipped');
  // One that has waited already is woken, though its time has come: only then everything is looked at anew.
  const endings = endingsOf(doing, state);
  if (until <= nowOf(state) && given.reached?.[id] === undefined) {
    if (until < nowOf(state) && step.late === 'stops')
      return stopFor(id, state, `It was due on ${momentText(until, zoneOf(doing))}.`);
    // What may have ended it by now is looked for when it is woken.
    if (endings.length === 0) return passed(id, state, until, 'passed');
  }
  // Of a date the record itself says when: a newer change of it may bring another.
  const keepsTime = step.until.kind !== 'date';
  return {
    kind: 'park',
    state,
    park: {
      step: id,
      until,
      keepsTime,
      message: `Until ${momentText(until, zoneOf(doing))}`,
      ...(endings.length > 0 && { endings }),
    },
  };
}

/** What ends the wait of this record: what is said at the step itself, and at the waits before it. */
function endingsOf({ version, step, scope }: Doing<WaitStep>, state: ItemState) {
  const { steps } = version.content;
  const before = steps.slice(0, steps.findIndex(({ id }) => id === step.id) + 1);
  return endingsFor(endingsIn(before), scope, version.locale.country, sentBy(before, state));
}

/** The ids of what steps have sent to somebody. */
const sentBy = (steps: readonly Step[], state: ItemState): string[] =>
  steps.flatMap((step) => {
    const result = state.steps[step.id];
    return step.kind === 'write' && step.target?.described.sentTo && result?.kind === 'written' ? [result.id] : [];
  });

/** What is said of waits to end them, in some steps; of those that are on. */
export const endingsIn = (steps: readonly Step[]): Ending[] =>
  steps.flatMap((one) => (one.kind === 'wait' && !one.isOff ? (one.endings ?? []) : []));

/** The wait is over; what is counted from here begins when it ended, in a rehearsal when it would have. */
function passed(
  id: string,
  state: ItemState,
  until: string,
  by: 'time' | 'passed' | 'event' | 'person' | 'skipped',
  because?: string,
): Move {
  const { [id]: _begun, ...reached } = state.reached ?? {};
  const now = by === 'skipped' && until > nowOf(state) ? until : state.now;
  const result = { kind: 'waited' as const, until, by, ...(because !== undefined && { because }) };
  return done({ ...state, reached, ...(now !== undefined && { now }) }, result);
}

function askForDate(
  { step, id, around }: Doing<WaitStep>,
  state: ItemState,
  due: Extract<Due, { problem: string }>,
): Move {
  const ref = step.until.kind === 'date' ? step.until.ref : null;
  if (!ref) return needsPerson(state, 'value', due.problem);
  const { [id]: _begun, ...reached } = state.reached ?? {};
  const field = { path: ref.path, label: around.nameOf(ref), message: due.problem, given: due.given ?? '' };
  return needsPerson({ ...state, reached }, 'value', `${around.nameOf(ref)}: ${due.problem}`, { fields: [field] });
}

/** When a wait ends for a record that has reached it, or would have at `state.now`. */
function dueOf({ version, step, scope, evaluation, id }: Doing<WaitStep>, state: ItemState): Due {
  const set = step.until.kind === 'date' && step.until.ref ? state.overrides[id]?.[step.until.ref.path] : undefined;
  return dueAt(step.until, {
    takenAt: state.takenAt,
    reachedAt: state.reached?.[id] ?? nowOf(state),
    scope,
    evaluation,
    hours: hoursOf(step, version),
    ...(set !== undefined && { set }),
  });
}

/** The calendar of a step; office hours without days off where nothing is known of any. */
export function hoursOf({ calendar }: Pick<WaitStep, 'calendar'>, { calendars = [] }: WorkflowVersion): OpenHours {
  return calendars.find(({ id }) => id === calendar) ?? calendars[0] ?? unset;
}

const unset: OpenHours = { id: '', name: 'Working hours', week: officeWeek(), off: {} };

const zoneOf = ({ evaluation }: Pick<Doing, 'evaluation'>): string => evaluation.zone;

/** "Mon 30 Nov 2026, 10:42". */
export const momentText = (instant: string, zone: string): string =>
  DateTime.fromISO(instant, { zone }).setLocale('en-GB').toFormat('ccc d LLL yyyy, HH:mm');

function problems(step: WaitStep, around: AroundHere): ReadinessProblem[] {
  const { until } = step;
  const found: ReadinessProblem[] = [];
  if (until.kind === 'date') {
    if (!until.ref) found.push(blocks(step.id, 'Choose the field with the date that is waited for.'));
    else if (!around.isKnown(until.ref))
      found.push(blocks(step.id, `The field “${until.ref.path.slice(1)}” doesn’t exist here.`));
  } else if (until.kind === 'time' && until.amount === 0) found.push(warns(step.id, 'It waits for no time at all.'));
  if (until.kind !== 'time_of_day' && !Number.isInteger(until.amount) && !divisible.includes(until.unit))
    found.push(blocks(step.id, 'Days and weeks are counted whole.'));
  for (const ending of step.endings ?? []) found.push(...problemsOf(ending, step, around));
  const at = around.content.steps.findIndex(({ id }) => id === step.id);
  if (around.content.steps.slice(at + 1).every(({ isOff }) => isOff))
    found.push(warns(step.id, 'Nothing comes after it, so nothing is waited for.'));
  return found;
}

function problemsOf({ place, there, here }: Ending, step: WaitStep, around: AroundHere): ReadinessProblem[] {
  if (!place) return [blocks(step.id, 'Choose where the record comes that ends it early.')];
  if (there === null || !here)
    return [blocks(step.id, `Choose what a ${place.described.singular} that ends it has in common with the record.`)];
  if (!isOfTheRecord(here))
    return [blocks(step.id, `Choose a field of the record: “${around.nameOf(here)}” is the same for all of them.`)];
  if (!around.isKnown(here)) return [blocks(step.id, `The field “${here.path.slice(1)}” doesn’t exist here.`)];
  return [];
}

const divisible = ['minutes', 'hours', 'working_hours'];

function sentence({ until, late, endings = [] }: WaitStep, around: Around): Phrase[] {
  const end = late === 'stops' ? [words('; once that has passed, it stops.')] : [words('.')];
  return [words('Wait '), ...untilPhrases(until, around), ...end, ...endings.flatMap((one) => endingPhrases(one))];
}

/** What ends a wait early, as its sentence says it; each begins with a space. */
export function endingPhrases({ place, there, value, does }: Ending): Phrase[] {
  if (!place) return [words(' It ends early when something comes in '), missing('a place'), words('.')];
  const { fields } = place.described;
  const labelOf = (path: string): string => fieldAt(fields, path)?.label ?? path.slice(1);
  return [
    words(' When something comes in '),
    setting(place.labels.at(-1) ?? ''),
    words(' with the same '),
    there === null ? missing('field') : setting(labelOf(there)),
    ...(isBySender({ place, there }) ? [words(', or that answers a mail sent before,')] : []),
    ...(value ? [words(` and ${labelOf(value.path)} `), setting(optionLabel(fields, value))] : []),
    words(does === 'stops' ? ', nothing more is done.' : ', it goes on at once.'),
  ];
}

const optionLabel = (fields: readonly Field[], { path, is }: NonNullable<Ending['value']>): string =>
  fieldAt(fields, path)?.options?.find((one) => one.value === is)?.label ?? is;

function untilPhrases(until: WaitUntil, around: Around): Phrase[] {
  switch (until.kind) {
    case 'time':
      return [
        setting(durationText(until)),
        words(until.from === 'start' ? ', counted from the start' : ', counted from the step before'),
      ];
    case 'time_of_day':
      return [words('until '), setting(until.at), words(until.onWorkingDays ? ' on a working day' : '')];
    case 'date': {
      const date = until.ref ? setting(around.nameOf(until.ref)) : missing('a date');
      const at = until.at === undefined ? [] : [words(', at '), setting(until.at)];
      if (until.amount === 0) return [words('until '), date, ...at];
      return [words('until '), setting(durationText(until)), words(` ${until.side} `), date, ...at];
    }
  }
}

/** Whether a wait is counted by a calendar. */
export const countsByCalendar = ({ until }: Pick<WaitStep, 'until'>): boolean =>
  until.kind === 'time_of_day' ? until.onWorkingDays : isWorking(until.unit);
