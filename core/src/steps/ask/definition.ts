import { type Duration, durationText, isWorking, laterBy } from '../../calendar/duration.ts';
import { fill, type Ref, type TextPart } from '../../mapping/filling.ts';
import { fieldsOfQuestion, keyOf, type Question } from '../../questions/question.ts';
import { clearPending } from '../../run/ending.ts';
import type { Answer, ItemState } from '../../run/state.ts';
import { isEmailAddress } from '../../values/coerce.ts';
import { type JsonRecord, toText, type Value } from '../../values/value.ts';
import { changed } from '../../workflow/change.ts';
import {
  article,
  type ConnectionNames,
  missing,
  type Phrase,
  placePhrases,
  setting,
  words,
} from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem, warns } from '../../workflow/problem.ts';
import type { Around, AroundHere, Doing, StepDefinition } from '../definition.ts';
import { done, leaveOut, type Move, needsPerson, nowOf, stopFor } from '../move.ts';
import { passedOverBy } from '../placed/only-if.ts';
import { usesByRefs } from '../uses.ts';
import { hoursOf, momentText } from '../wait/definition.ts';
import { write as writing } from '../write/definition.ts';
import type { WriteStep } from '../write/schema.ts';
import type { Asked } from './asked.ts';
import type { ApprovedResult, AskStep, AskVerdict } from './schema.ts';
import { shownWrite, writesMoney } from './shown.ts';

/**
 * Asks a person. To show them what would be written, the write that it asks about is done up to the moment before it
 * leaves; `advance` lets that write leave only as they have seen it.
 */
export const ask: StepDefinition<AskStep> = {
  kind: 'ask',
  guards: true,
  needsAll: true,
  onlyOutside: true,
  comesFirst: true,
  make: (id) => ({
    id,
    kind: 'ask',
    what: { kind: 'approval', write: null },
    words: [],
    to: [],
    through: null,
    by: { amount: 2, unit: 'working_days' },
    silence: 'reminds',
  }),
  before: (step, after) => {
    const write = after.find((one) => one.kind === 'write' && one.within === undefined && !one.isOff);
    return step.what.kind === 'approval' && step.what.write === null && write
      ? { ...step, what: { kind: 'approval', write: write.id } }
      : step;
  },
  alias: ({ name }) => name ?? 'answers',
  refs: ({ words: said, to }) => [...refsIn(said), ...refsIn(to)],
  gives: ({ what, name }) =>
    what.kind === 'questions'
      ? { fields: what.questions.flatMap(fieldsOfQuestion), from: name ?? 'what was answered' }
      : undefined,
  problems,
  sentence,
  changes: (before, after) => [
    ...(JSON.stringify(before.words) === JSON.stringify(after.words) ? [] : [changed('It is asked in other words.')]),
    ...(JSON.stringify([before.through, before.remind, before.alwaysCode, before.calendar]) ===
    JSON.stringify([after.through, after.remind, after.alwaysCode, after.calendar])
      ? []
      : [changed('How people are asked and reminded is otherwise.')]),
    ...(before.what.kind === 'questions' &&
    after.what.kind === 'questions' &&
    JSON.stringify(before.what) !== JSON.stringify(after.what)
      ? [changed('The questions are others.')]
      : []),
  ],
  uses: (step, sentence_) => usesByRefs(ask.refs(step), sentence_, 'a question'),
  renamed: (step, { ref }) => {
    const all = (parts: readonly TextPart[]): TextPart[] =>
      parts.map((part) => (part.kind === 'field' ? { ...part, ref: ref(part.ref) } : part));
    return { ...step, words: all(step.words), to: all(step.to) };
  },
  enter,
  take: (doing, state, answer) => {
    if (answer.kind === 'woken') return woken(doing, state, answer);
    const write = writeAskedAbout(doing);
    // What was sent already isn't asked about any more: nobody takes it for something to be approved.
    if (!write || !seeing.has(answer.kind)) return undefined;
    const move = writing.take?.(writeDoing(doing, write), state, answer);
    return move && seen(doing, write, state, move);
  },
};

/** What may be answered while it is found out what would be written. */
const seeing: ReadonlySet<Answer['kind']> = new Set(['found', 'matched', 'fetched']);

const refsIn = (parts: readonly TextPart[]): Ref[] =>
  parts.flatMap((part) => (part.kind === 'field' ? [part.ref] : []));

/** The write whose yes or no it is. */
function writeAskedAbout({ step, version }: Pick<Doing<AskStep>, 'step' | 'version'>): WriteStep | undefined {
  const { what } = step;
  if (what.kind !== 'approval') return undefined;
  return version.content.steps.find((one): one is WriteStep => one.kind === 'write' && one.id === what.write);
}

const writeDoing = (doing: Doing<AskStep>, step: WriteStep): Doing<WriteStep> => ({ ...doing, step, id: step.id });

function enter(doing: Doing<AskStep>, given: ItemState): Move {
  const { id, step } = doing;
  const stopped = given.stopped?.[id];
  if (stopped !== undefined) return leaveOut(given, stopped);
  const state: ItemState = { ...given, reached: { ...given.reached, [id]: given.reached?.[id] ?? nowOf(given) } };
  if (step.what.kind === 'questions')
    return park(doing, state, { kind: 'questions', questions: step.what.questions }, false);
  const write = writeAskedAbout(doing);
  if (!write) return needsPerson(given, 'drift', 'The step that it asks about isn’t there any more.');
  const there = writeDoing(doing, write);
  if (write.isOff || passedOverBy(there)) return done(given, { kind: 'not_asked', why: 'It isn’t written.' });
  return seen(doing, write, state, writing.enter(there, state));
}

/** What the write has come to: something is to be found first, there is something to show, or there is nothing to ask. */
function seen(doing: Doing<AskStep>, write: WriteStep, before: ItemState, move: Move): Move {
  if (move.kind === 'ask' && move.effect.kind === 'write' && write.target) {
    const shown = shownWrite(move.effect.write, write.target);
    const paths = shown.fields.map(({ path }) => path);
    return park(doing, before, { kind: 'approval', shown }, writesMoney(write.target.described.fields, paths));
  }
  if (move.kind === 'ask') return move;
  return done(before, { kind: 'not_asked', why: whyNotAsked(move) });
}

function whyNotAsked(move: Move): string {
  if (move.kind === 'leave_out') return move.why;
  if (move.kind !== 'done') return 'There is nothing to approve yet.';
  const { result } = move;
  switch (result.kind) {
    case 'written':
      return 'It is there already, and nothing would change.';
    case 'unsettled':
      return `First it needs somebody: ${result.message}`;
    default:
      return 'why' in result ? result.why : 'There is nothing to approve yet.';
  }
}

function park(doing: Doing<AskStep>, state: ItemState, what: Asked['what'], isMoney: boolean): Move {
  const { step, id, evaluation } = doing;
  const begun = state.reached?.[id] ?? nowOf(state);
  const until = laterThan(doing, begun, step.by);
  const remindAt = step.remind && laterThan(doing, begun, step.remind);
  const again = state.asksAgain?.[id];
  const to = whomToAsk(doing, state);
  const asks: Asked = {
    step: id,
    words: textOf(doing, step.words),
    to,
    through: step.through,
    ...(remindAt !== undefined && remindAt < until && remindAt > nowOf(state) && { remindAt }),
    needsCode: step.alwaysCode === true || isMoney,
    ...(again !== undefined && { again }),
    ...(state.remindedOf?.[id] && { isReminder: true }),
    what,
  };
  const whom = to.length === 0 ? '' : ` by ${to.join(', ')}`;
  const message = `${what.kind === 'approval' ? 'To be approved' : 'To be answered'}${whom} until ${momentText(until, evaluation.zone)}`;
  return {
    kind: 'park',
    // Without what was only found out to show it.
    state: clearPending(state),
    park: { step: id, until, keepsTime: false, who: to.join(', '), asks, message },
  };
}

/** Whom it goes to: in a trial nobody but whoever tries it. */
function whomToAsk(doing: Doing<AskStep>, { instead, skipsWaits }: ItemState): string[] {
  if (instead !== undefined) return addressesIn(instead);
  return skipsWaits ? [] : addressesIn(textOf(doing, doing.step.to));
}

const laterThan = ({ step, version, evaluation }: Doing<AskStep>, from: string, time: Duration): string =>
  new Date(laterBy(Date.parse(from), time, hoursOf(step, version), evaluation.zone)).toISOString();

/** A text with fields as it reads for this record; what is empty leaves a gap. */
function textOf({ scope, evaluation }: Doing<AskStep>, parts: readonly TextPart[]): string {
  if (parts.length === 0) return '';
  const filled = fill({ kind: 'text', parts: [...parts], tidies: [] }, scope, {
    ...evaluation,
    isLetter: true,
    isPrinted: true,
  });
  return filled.ok ? toText(filled.value).trim() : '';
}

/** The addresses in a text, each once; what isn't one is left out. */
const addressesIn = (text: string): string[] => [...new Set(text.split(/[,;\s]+/).filter(isEmailAddress))];

function woken(doing: Doing<AskStep>, state: ItemState, { by }: Extract<Answer, { kind: 'woken' }>): Move {
  const { id, step } = doing;
  if (by.kind === 'skipped') return skippedOver(doing, state);
  if (by.kind === 'time') return passedBy(doing, state);
  const told = by.told ?? {};
  if (typeof told['stops'] === 'string') return stopFor(id, state, told['stops']);
  const verdict = told['verdict'] as unknown as AskVerdict | undefined;
  // Whatever else has woken it is no answer: it is asked as before.
  if (by.kind !== 'person' || !verdict) return enter(doing, state);
  const who = typeof told['who'] === 'string' ? told['who'] : '';
  return answered(doing, settled(id, state), verdict, who, step);
}

/** The state once it isn't asked any more. */
function settled(id: string, state: ItemState): ItemState {
  const { [id]: _reached, ...reached } = state.reached ?? {};
  const { [id]: _again, ...asksAgain } = state.asksAgain ?? {};
  const { [id]: _reminded, ...remindedOf } = state.remindedOf ?? {};
  return { ...state, reached, asksAgain, remindedOf };
}

function answered(
  { id }: Doing<AskStep>,
  state: ItemState,
  verdict: AskVerdict,
  who: string,
  { what, refusal }: AskStep,
): Move {
  switch (verdict.kind) {
    case 'no': {
      const why = `Refused by ${who}${verdict.reason === '' ? '.' : `: ${verdict.reason}`}`;
      return refusal === 'goes_on' ? done(state, { kind: 'denied', why }) : stopFor(id, state, why);
    }
    case 'answers':
      return done(withAnswers(state, id, verdict.answers), { kind: 'answered', who });
    case 'yes': {
      const { shown, changes } = verdict;
      const result: ApprovedResult = { kind: 'approved', who, shown, changes };
      if (what.kind !== 'approval' || what.write === null || Object.keys(changes).length === 0)
        return done(state, result);
      const own = { ...state.overrides[what.write], ...changes };
      return done({ ...state, overrides: { ...state.overrides, [what.write]: own } }, result);
    }
  }
}

const withAnswers = (state: ItemState, id: string, answers: Readonly<Record<string, Value>>): ItemState => ({
  ...state,
  values: { ...state.values, [id]: { ...answers } as JsonRecord },
});

/** The time that they had is over. Not answering is never a yes. */
function passedBy(doing: Doing<AskStep>, state: ItemState): Move {
  const { id, step } = doing;
  const begun = state.reached?.[id] ?? nowOf(state);
  const until = laterThan(doing, begun, step.by);
  // A calendar may have changed meanwhile: then it is waited on.
  if (until > nowOf(state)) return enter(doing, state);
  const why = `Nobody answered until ${momentText(until, doing.evaluation.zone)}.`;
  switch (step.silence) {
    case 'reminds': {
      const { [id]: _begun, ...reached } = state.reached ?? {};
      return enter(doing, { ...state, reached, remindedOf: { ...state.remindedOf, [id]: true } });
    }
    case 'leaves_out':
      return stopFor(id, settled(id, state), why);
    case 'goes_on': {
      const { what } = step;
      const nothing = what.kind === 'questions' ? what.questions.map((one) => [keyOf(one), null]) : [];
      const without = nothing.length > 0 ? withAnswers(state, id, Object.fromEntries(nothing)) : state;
      return done(settled(id, without), { kind: 'denied', why });
    }
  }
}

/** In a rehearsal nobody is asked: what would be written is shown as if they had said yes, and answers are examples. */
function skippedOver({ id, step }: Doing<AskStep>, given: ItemState): Move {
  const state = settled(id, given);
  if (step.what.kind === 'approval') return done(state, { kind: 'would_ask', what: 'approval' });
  const answers = step.what.questions.map((one) => [keyOf(one), exampleAnswer(one, nowOf(state))]);
  return done(withAnswers(state, id, Object.fromEntries(answers)), { kind: 'would_ask', what: 'questions' });
}

/** What stands for an answer where nobody is asked. */
function exampleAnswer({ type, options = [] }: Question, now: string): Value {
  switch (type) {
    case 'choice':
      return options[0] ?? null;
    case 'choices':
      return options.slice(0, 2);
    case 'integer':
    case 'decimal':
      return '1';
    case 'date':
      return now.slice(0, 10);
    case 'boolean':
      return true;
    case 'email':
      return 'somebody@example.com';
    case 'phone':
      return '+44 1632 960001';
    case 'file':
      return { name: 'example.pdf', link: 'https://relay.example/files/example.pdf' };
    default:
      return 'an answer';
  }
}

function problems(step: AskStep, around: AroundHere): ReadinessProblem[] {
  const { what, to, through } = step;
  const found: ReadinessProblem[] = [];
  found.push(...(what.kind === 'approval' ? approvalProblems(step, around) : questionProblems(step)));
  for (const ref of [...refsIn(step.words), ...refsIn(to)])
    if (!around.isKnown(ref)) found.push(blocks(step.id, `The field “${ref.path.slice(1)}” doesn’t exist here.`));
  const isAnybody = to.some((part) => part.kind === 'field' || addressesIn(part.text).length > 0);
  if (isAnybody && through === null)
    found.push(blocks(step.id, 'Choose the connection by which people are written to.'));
  if (!isAnybody && to.some((part) => part.kind === 'words' && part.text.trim() !== ''))
    found.push(blocks(step.id, 'What stands under “Whom” is no e-mail address.'));
  if (!isAnybody && through !== null)
    found.push(warns(step.id, 'Nobody is written to: it only stands under Needs you.'));
  if (!Number.isInteger(step.by.amount) || (step.remind && !Number.isInteger(step.remind.amount)))
    found.push(blocks(step.id, 'The time that people have is counted whole.'));
  return found;
}

function approvalProblems({ id, what }: AskStep, around: AroundHere): ReadinessProblem[] {
  if (what.kind !== 'approval') return [];
  const { steps } = around.content;
  if (what.write === null) return [blocks(id, 'Choose the step that has to be approved.')];
  const at = steps.findIndex((one) => one.id === id);
  const write = steps.slice(at + 1).find((one): one is WriteStep => one.kind === 'write' && one.id === what.write);
  if (!write) return [blocks(id, 'The step that has to be approved must stand after this one.')];
  if (write.within !== undefined)
    return [blocks(id, 'What is done for each line can’t be approved yet. Ask about the record as a whole.')];
  if (write.isOff) return [warns(id, 'The step that it asks about is off, so nobody is asked.')];
  const late = writing.refs(write).find((ref) => !around.isKnown(ref));
  return late
    ? [blocks(id, `“${around.nameOf(late)}” isn’t known yet here. Move this to right before what has to be approved.`)]
    : [];
}

function questionProblems({ id, what }: AskStep): ReadinessProblem[] {
  if (what.kind !== 'questions') return [];
  if (what.questions.length === 0) return [blocks(id, 'Say what is asked: there is no question yet.')];
  return what.questions.flatMap(({ label, type, options = [] }) => {
    if (type === 'file') return [blocks(id, `“${label}”: files can be asked for by a form, not here.`)];
    return (type === 'choice' || type === 'choices') && options.length === 0
      ? [blocks(id, `“${label}” has nothing to choose from yet.`)]
      : [];
  });
}

/** Whether the time that people have is counted by a calendar. */
export const asksByCalendar = ({ by, remind }: Pick<AskStep, 'by' | 'remind'>): boolean =>
  [by, remind].some((time) => time !== undefined && isWorking(time.unit));

const silenceWords: Readonly<Record<AskStep['silence'], string>> = {
  reminds: 'they are asked once more',
  goes_on: 'the rest goes on without it',
  leaves_out: 'the record goes no further',
};

function sentence({ what, to, by, silence }: AskStep, around: Around, names: ConnectionNames): Phrase[] {
  const whom =
    to.length === 0
      ? [words('Ask '), setting('whoever looks at Needs you')]
      : [
          words('Ask '),
          setting(to.map((part) => (part.kind === 'words' ? part.text : around.nameOf(part.ref))).join('')),
        ];
  const time = [words('; after '), setting(durationText(by)), words(` without an answer ${silenceWords[silence]}.`)];
  if (what.kind === 'questions') {
    const [first] = what.questions;
    const more = what.questions.length - 1;
    const asked = first
      ? [setting(first.label), ...(more > 0 ? [words(` and ${more} more`)] : [])]
      : [missing('a question')];
    return [...whom, words(' for '), ...asked, ...time];
  }
  const write = around.content.steps.find((one): one is WriteStep => one.kind === 'write' && one.id === what.write);
  const singular = write?.target?.described.singular;
  const about =
    write?.target && singular !== undefined
      ? [words(`${article(singular)} ${singular} in `), ...placePhrases(write.target, names)]
      : [missing('what is written')];
  return [...whom, words(' to approve '), ...about, ...time];
}
