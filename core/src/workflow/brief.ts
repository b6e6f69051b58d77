import { triggerDefinition, triggerText, whenText } from '../starts/registry.ts';
import { definitionOf } from '../steps/registry.ts';
import { type Step, withinOf } from '../steps/schemas.ts';
import { dateInWords, readInstant } from '../values/dates.ts';
import { fieldAt } from '../values/field.ts';
import { pointerLabel } from '../values/pointer.ts';
import { article, type ConnectionNames, missing, type Phrase, placePhrases, setting, strong, words } from './phrase.ts';
import type { Place } from './place.ts';
import { aroundWorkflow, startId } from './references.ts';
import { comesByItself, type Start, type WorkflowContent } from './schema.ts';

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

/** The workflow written out as plain sentences, the start first. */
export function writeBrief(content: WorkflowContent, names: ConnectionNames): Sentence[] {
  return [startSentence(content.start, names), ...content.steps.map((step) => stepSentence(content, step, names))];
}

/** The sentence as one line of text. */
export function sentenceText(sentence: Sentence): string {
  return sentence.phrases.map((phrase) => phrase.text).join('');
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
    triggerText(start.trigger),
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
  if (comesByItself(start) || start.trigger.kind === 'event')
    return { id: startId, phrases: comingPhrases(start, start.source), ...note };
  return {
    id: startId,
    phrases: [
      ...eventPhrases(start, start.source.described.singular),
      words(' in '),
      ...placePhrases(start.source, names),
      ...alsoPhrases(start),
      words(', which is '),
      ...triggerDefinition(start.trigger).sentence(start.trigger),
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

/** What comes by itself, or is made as it begins: where it comes in, or when, says all. */
function comingPhrases(start: Start, source: Place): Phrase[] {
  // Whatever was handed over is taken in, whenever that was.
  const since = start.trigger.kind === 'handed' ? [] : [words(', '), setting(fromWhenLabel(start))];
  return [...beginningPhrases(start, source), ...limitPhrases(start), ...since, words('.')];
}

function beginningPhrases({ trigger }: Start, { labels, described }: Place): Phrase[] {
  const { singular } = described;
  if (trigger.kind === 'hand') return [words('When somebody '), setting('begins it by hand')];
  if (trigger.kind === 'handed')
    return [words(`When ${article(singular)} `), strong(singular), words(' is '), setting('handed over to it')];
  if (trigger.kind !== 'event') return [words('When it is time, '), setting(whenText(trigger))];
  if (singular === 'submission')
    return [words('When somebody '), strong('fills in'), words(' '), setting(labels.at(-1) ?? '')];
  // What another workflow has done comes from that one.
  const from = /^(delivered|ended) /.test(singular) ? ' comes from ' : ' comes in at ';
  const also = trigger.alsoEvery === undefined ? [] : triggerDefinition(trigger).sentence(trigger);
  return [
    words(`When ${article(singular)} `),
    strong(singular),
    words(from),
    setting(labels.at(-1) ?? ''),
    ...(also.length > 0 ? [words(', '), ...also] : []),
  ];
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
  if (start.on === 'added' && start.waitsToFit)
    phrases.push(words(', '), setting('as soon as it meets the conditions'));
  if (start.takes === 'everything') phrases.push(words(', '), setting('everything each time'));
  if (start.takesOwn && !comesByItself(start))
    phrases.push(words(', '), setting('also what our workflows write there'));
  if (start.holdsAbove) phrases.push(words(', held when more than '), setting(`${start.holdsAbove} come at once`));
  if (start.tellsBelow) {
    const { records, by } = start.tellsBelow;
    phrases.push(words(', told when fewer than '), setting(`${records} come by ${by}`));
  }
  if (start.mostPerRun) phrases.push(words(', '), setting(`at most ${start.mostPerRun} at a time`));
  if (start.once !== undefined) {
    const label = fieldAt(start.source?.described.fields ?? [], start.once)?.label ?? pointerLabel(start.once);
    phrases.push(words(', '), setting(`each ${label} in it once at a time`));
  }
  if (start.messagesADay) phrases.push(words(', '), setting(`at most ${start.messagesADay} messages a day`));
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
  return instant ? `from ${dateInWords(start.fromWhen.at.slice(0, 10))} on` : 'from a date on';
}

function stepSentence(content: WorkflowContent, step: Step, names: ConnectionNames): Sentence {
  return {
    id: step.id,
    phrases: definitionOf(step).sentence(step, aroundWorkflow(content), names),
    ...(withinOf(step) !== undefined && { isWithin: true }),
    ...(step.name && { name: step.name }),
    ...(step.note && { note: step.note }),
    ...(step.isOff && { isOff: true }),
  };
}
