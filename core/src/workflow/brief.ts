import { type Condition, operatorLabel, testsOf } from '../conditions/condition.ts';
import { refsOf } from '../mapping/filling.ts';
import type { AtNone, Ladder } from '../matching/lookup/ladder.ts';
import { readInstant } from '../values/dates.ts';
import { fieldAt } from '../values/field.ts';
import { pathsOfRung } from './drift.ts';
import { nameOfRef, startId } from './references.ts';
import type { ComputeStep, LookupStep, Place, Start, Step, WorkflowContent, WriteStep } from './schema.ts';

/** A piece of a sentence. A setting is what a person can change there. */
export interface Phrase {
  readonly kind: 'words' | 'strong' | 'setting' | 'missing';
  readonly text: string;
}

/** One sentence of the brief. */
export interface Sentence {
  readonly id: string;
  readonly phrases: readonly Phrase[];
  readonly name?: string;
  readonly note?: string;
  readonly isOff?: boolean;
  /** True for a sentence that is done for each item of a list. */
  readonly isWithin?: boolean;
}

/** The names of connections, by id. */
export type ConnectionNames = Readonly<Record<string, string>>;

const words = (text: string): Phrase => ({ kind: 'words', text });
const strong = (text: string): Phrase => ({ kind: 'strong', text });
const setting = (text: string): Phrase => ({ kind: 'setting', text });
const missing = (text: string): Phrase => ({ kind: 'missing', text });

/** The workflow written out as plain sentences, the start first. */
export function writeBrief(content: WorkflowContent, names: ConnectionNames): Sentence[] {
  return [startSentence(content.start, names), ...content.steps.map((step) => stepSentence(content, step, names))];
}

/** The sentence as one line of text. */
export function sentenceText(sentence: Sentence): string {
  return sentence.phrases.map((phrase) => phrase.text).join('');
}

/** How often, in words: "every 5 minutes", "every hour". */
export function everyLabel(minutes: number): string {
  if (minutes === 1) return 'every minute';
  if (minutes === 60) return 'every hour';
  if (minutes === 1440) return 'once a day';
  return minutes % 60 === 0 ? `every ${minutes / 60} hours` : `every ${minutes} minutes`;
}

/** The settings of a start as a person reads them, each by itself; empty where it has none. */
export function startSettings(start: Start, names: ConnectionNames): string[] {
  if (!start.source) return ['no source'];
  const text = (phrases: readonly Phrase[]): string =>
    phrases
      .map((phrase) => phrase.text)
      .join('')
      .replace(/^,?\s*(and\s)?/, '');
  return [
    text(eventPhrases(start, start.source.described.singular)),
    text(placePhrases(start.source, names)),
    text(alsoPhrases(start)),
    `asked ${everyLabel(start.everyMinutes)}`,
    text(limitPhrases(start)),
    fromWhenLabel(start),
  ];
}

function startSentence(start: Start, names: ConnectionNames): Sentence {
  const note = start.note ? { note: start.note } : {};
  if (!start.source) {
    return {
      id: startId,
      phrases: [words('When '), missing('a record'), words(' comes up in '), missing('an app'), words('.')],
      ...note,
    };
  }
  return {
    id: startId,
    phrases: [
      ...eventPhrases(start, start.source.described.singular),
      words(' in '),
      ...placePhrases(start.source, names),
      ...alsoPhrases(start),
      words(', which is asked '),
      setting(everyLabel(start.everyMinutes)),
      ...limitPhrases(start),
      words(', '),
      setting(fromWhenLabel(start)),
      words('.'),
    ],
    ...note,
  };
}

function eventPhrases(start: Start, singular: string): Phrase[] {
  if (start.on === 'becomes') {
    const { path, value } = start.becomes ?? { path: '', value: '' };
    const field = fieldAt(start.source?.described.fields ?? [], path);
    return [
      words('When the '),
      field ? setting(field.label) : missing('a field'),
      words(` of ${article(singular)} `),
      strong(singular),
      words(' becomes '),
      value ? setting(`“${value}”`) : missing('a value'),
    ];
  }
  const said = { added: 'is added', added_or_changed: 'is added or changed', removed: 'is removed' }[start.on];
  return [words(`When ${article(singular)} `), strong(singular), words(' '), setting(said)];
}

function alsoPhrases(start: Start): Phrase[] {
  if (!start.also) return [];
  if (start.also.kind === 'all') return [words(' and '), setting('all that stand beside it, now and later')];
  const { places } = start.also;
  if (places.length === 0) return [];
  return [words(' and '), setting(places.map((place) => place.labels.at(-1) ?? '').join(', '))];
}

function limitPhrases(start: Start): Phrase[] {
  const phrases: Phrase[] = [];
  if (start.on === 'added' && start.waitsToFit) phrases.push(words(', '), setting('as soon as it fits'));
  if (start.holdsAbove) phrases.push(words(', held when more than '), setting(`${start.holdsAbove} come at once`));
  if (start.mostPerRun) phrases.push(words(', '), setting(`at most ${start.mostPerRun} at a time`));
  if (start.gather) {
    const { records, minutes } = start.gather;
    phrases.push(words(', gathered until '), setting(`${records} are there or ${minutes} minutes have passed`));
  }
  return phrases;
}

function fromWhenLabel(start: Start): string {
  if (start.fromWhen.kind === 'all') return 'with everything that is there';
  if (start.fromWhen.kind === 'now') return 'from now on';
  const instant = readInstant(start.fromWhen.at, 'utc');
  return instant ? `from ${start.fromWhen.at.slice(0, 10)} on` : 'from a date on';
}

function placePhrases(place: Place, names: ConnectionNames): Phrase[] {
  const name = names[place.connection];
  const app = name ? strong(`the ${name}`) : missing('a connection that is gone');
  // The last choice of a workbook is its tab; of an app with one table, the table the record is named for.
  const inside = place.labels.filter((label) => label.toLowerCase() !== place.described.plural.toLowerCase());
  return inside.length > 0 ? [app, words(', '), setting(inside.join(' → '))] : [app];
}

function stepSentence(content: WorkflowContent, step: Step, names: ConnectionNames): Sentence {
  return {
    id: step.id,
    phrases: phrasesOf(content, step, names),
    ...(step.kind !== 'each' && step.within && { isWithin: true }),
    ...(step.name && { name: step.name }),
    ...(step.note && { note: step.note }),
    ...(step.isOff && { isOff: true }),
  };
}

function phrasesOf(content: WorkflowContent, step: Step, names: ConnectionNames): Phrase[] {
  switch (step.kind) {
    case 'condition':
      return conditionPhrases(content, step.condition);
    case 'write':
      return writePhrases(step, names);
    case 'lookup':
      return lookupPhrases(content, step, names);
    case 'compute':
      return computePhrases(step);
    case 'each':
      return [
        words('For each of '),
        step.over ? setting(nameOfRef(content, step.over)) : missing('a list'),
        words(':'),
      ];
  }
}

function computePhrases(step: ComputeStep): Phrase[] {
  const named = step.values.filter((value) => value.name.trim() !== '');
  if (named.length === 0) return [words('Work out '), missing('a value'), words('.')];
  return [
    words('Work out '),
    ...named.flatMap((value, at) => [
      ...(at > 0 ? [words(at === named.length - 1 ? ' and ' : ', ')] : []),
      setting(value.name),
    ]),
    words('.'),
  ];
}

function conditionPhrases(content: WorkflowContent, condition: Condition): Phrase[] {
  if (testsOf(condition).length === 0)
    return [words('Keep those of which '), missing('something is asked'), words('.')];
  return [words('Keep those '), ...askPhrases(content, condition, true), words('.')];
}

function askPhrases(content: WorkflowContent, condition: Condition, isOuter: boolean): Phrase[] {
  if (condition.kind === 'test') {
    const values = condition.values.filter((value) => value !== '');
    const asked = values.length > 0 ? [words(' '), setting(values.join(', '))] : [];
    return [
      words('whose '),
      setting(nameOfRef(content, condition.ref)),
      words(` ${operatorLabel(condition.operator)}`),
      ...asked,
    ];
  }
  const asked = condition.items.filter((item) => testsOf(item).length > 0);
  const inner = asked.flatMap((item, at) => [
    ...(at > 0 ? [words(condition.kind === 'all' ? ' and ' : ' or ')] : []),
    ...askPhrases(content, item, false),
  ]);
  return isOuter ? inner : [words('('), ...inner, words(')')];
}

function writePhrases(step: WriteStep, names: ConnectionNames): Phrase[] {
  if (!step.target) return [words('Write it to '), missing('a place'), words('.')];
  const { described } = step.target;
  if (step.mode === 'append') {
    return [
      words('Append a '),
      strong(described.singular),
      words(' to '),
      ...placePhrases(step.target, names),
      words('.'),
    ];
  }
  if (step.ladder) {
    return [
      words('Create or update the '),
      strong(described.singular),
      words(' in '),
      ...placePhrases(step.target, names),
      words(', recognised by '),
      ...rungPhrases(step.ladder, step.target),
      words(', writing only what differs'),
      ...(step.ladder.atNone === 'create' ? [] : [words('; '), ...nonePhrases(step.ladder.atNone, described.singular)]),
      words('.'),
    ];
  }
  const key = step.key ? fieldAt(described.fields, step.key) : undefined;
  return [
    words('Create or update the '),
    strong(described.singular),
    words(' in '),
    ...placePhrases(step.target, names),
    words(' that has the same '),
    key ? setting(key.label) : missing('key'),
    words(', writing only what differs.'),
  ];
}

function lookupPhrases(content: WorkflowContent, step: LookupStep, names: ConnectionNames): Phrase[] {
  if (!step.target) return [words('Find '), missing('a record'), words(' in '), missing('an app'), words('.')];
  const { singular } = step.target.described;
  if (step.fetchId) {
    const by = refsOf(step.fetchId).map((ref) => setting(nameOfRef(content, ref)));
    return [
      words('Fetch the '),
      strong(singular),
      words(' from '),
      ...placePhrases(step.target, names),
      words(' with the id '),
      ...(by.length > 0 ? by.slice(0, 1) : [missing('from a field')]),
      words('; '),
      ...nonePhrases(step.ladder.atNone, singular),
      words('.'),
    ];
  }
  return [
    words('Find the '),
    strong(singular),
    words(' in '),
    ...placePhrases(step.target, names),
    words(' by '),
    ...rungPhrases(step.ladder, step.target),
    words('; '),
    ...nonePhrases(step.ladder.atNone, singular),
    words('.'),
  ];
}

/** "the tax number, then the e-mail, then by likeness of name and postcode". */
function rungPhrases({ rungs }: Ladder, target: Place): Phrase[] {
  if (rungs.length === 0) return [missing('a way to recognise it')];
  return rungs.flatMap((rung, at) => {
    const labels = pathsOfRung(rung).map((path) => fieldAt(target.described.fields, path)?.label ?? path.slice(1));
    const shown = labels.length > 3 ? `${labels.slice(0, 2).join(', ')} and ${labels.length - 2} more` : listed(labels);
    return [
      ...(at > 0 ? [words(', then ')] : []),
      ...(rung.kind === 'alike' ? [words('likeness of ')] : []),
      setting(shown),
    ];
  });
}

const listed = (labels: readonly string[]): string =>
  labels.length < 2 ? labels.join('') : `${labels.slice(0, -1).join(', ')} and ${labels.at(-1)}`;

function nonePhrases(atNone: AtNone, singular: string): Phrase[] {
  const said: Record<AtNone, string> = {
    create: `create the ${singular}`,
    empty: 'go on without',
    leave_out: 'leave the record out',
    ask: 'ask me',
  };
  return [words('if there is none, '), setting(said[atNone])];
}

const article = (noun: string): string => (/^[aeiou]/i.test(noun) ? 'an' : 'a');
