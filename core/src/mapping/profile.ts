import { readInstant } from '../values/dates.ts';
import type { Field, FieldType } from '../values/field.ts';
import { readPhone } from '../values/phone.ts';
import { readPointer } from '../values/pointer.ts';
import { foldCase, textLength } from '../values/text.ts';
import { isEmpty, type JsonRecord, toText } from '../values/value.ts';
import { isYesNoWord } from '../values/yes-no.ts';
import { conceptOf } from './concepts.ts';

/** A value with how many records have it. */
export interface ValueCount {
  readonly value: string;
  readonly count: number;
}

/** How well a field tells one record from another. */
export type IdentifierFitness = 'fit' | 'weak' | 'unfit';

/** What the samples say of one field. Shares are between 0 and 1. */
export interface FieldProfile {
  readonly field: Field;
  /** Records looked at. */
  readonly count: number;
  readonly filled: number;
  /** Of the filled ones, how many values differ, ignoring case and outer spaces. */
  readonly distinct: number;
  /** The most frequent values first. */
  readonly frequent: readonly ValueCount[];
  readonly examples: readonly string[];
  /** The longest value, in characters. */
  readonly longest: number;
  /** What the values look like, when the app says only "text" or nothing. */
  readonly looksLike: FieldType;
  readonly fitness: IdentifierFitness;
  /** True when the source seems to give only the beginning of longer texts. */
  readonly isCutShort: boolean;
}

const mostFrequent = 30;
const examplesKept = 3;
const exampleLength = 80;

/** The profile of each field over these records; of no records when there are none. */
export function profileFields(records: readonly JsonRecord[], fields: readonly Field[]): FieldProfile[] {
  return fields.map((field) => profileField(records, field));
}

/** The profile of one field. */
export function profileField(records: readonly JsonRecord[], field: Field): FieldProfile {
  const counts = new Map<string, { value: string; count: number }>();
  const texts: string[] = [];
  for (const record of records) {
    const value = readPointer(record, field.path);
    if (isEmpty(value)) continue;
    const text = toText(value);
    texts.push(text);
    const folded = foldCase(text.trim());
    const known = counts.get(folded);
    if (known) known.count += 1;
    else counts.set(folded, { value: text, count: 1 });
  }
  const frequent = [...counts.values()]
    .sort((one, other) => other.count - one.count || (one.value < other.value ? -1 : 1))
    .slice(0, mostFrequent)
    .map(({ value, count }) => ({ value: clip(value), count }));
  const filled = records.length === 0 ? 0 : texts.length / records.length;
  const distinct = texts.length === 0 ? 0 : counts.size / texts.length;
  return {
    field,
    count: records.length,
    filled,
    distinct,
    frequent,
    examples: [...new Set(texts.map(clip))].slice(0, examplesKept),
    longest: texts.reduce((most, text) => Math.max(most, textLength(text)), 0),
    looksLike: looksLike(field.type, texts),
    fitness: fitnessOf(field, texts.length, filled, distinct),
    isCutShort: isCutShort(field, texts),
  };
}

const clip = (text: string): string => (text.length > exampleLength ? `${text.slice(0, exampleLength - 1)}…` : text);

/** The types that can name a record; a yes or a date can't, however different its values are. */
const naming: ReadonlySet<FieldType> = new Set(['text', 'integer', 'email', 'phone', 'url', 'id', 'any']);

/** What describes a record without naming it. */
const describing: ReadonlySet<string> = new Set([
  'first name',
  'last name',
  'name',
  'contact name',
  'company',
  'street',
  'city',
  'postcode',
  'region',
  'note',
  'description',
  'price',
  'total',
  'tax',
  'quantity',
]);

function fitnessOf(field: Field, filledCount: number, filled: number, distinct: number): IdentifierFitness {
  if (!naming.has(field.type) || filledCount === 0) return 'unfit';
  if (field.unique || (field.type === 'id' && field.readOnly)) return 'fit';
  // Names and addresses are no identifiers, however different those of a few hundred records are (common practice).
  if (describing.has(conceptOf(field.label) ?? '')) return 'unfit';
  if (filled >= 0.95 && distinct >= 0.99) return 'fit';
  return filled >= 0.6 && distinct >= 0.9 ? 'weak' : 'unfit';
}

/**
 * A preview: the field is called so, or several values stop at one length, or end in an ellipsis.
 * What was cut off by the source can't be tested or copied.
 */
function isCutShort(field: Field, texts: readonly string[]): boolean {
  if (field.type !== 'text' && field.type !== 'any') return false;
  if (/\b(preview|snippet|excerpt|summary)\b/i.test(field.label.replaceAll('_', ' '))) return true;
  const ellipses = texts.filter((text) => /(…|\.\.\.)$/.test(text.trim())).length;
  if (ellipses >= 3 && ellipses / texts.length > 0.1) return true;
  const longest = texts.reduce((most, text) => Math.max(most, text.length), 0);
  const atLimit = new Set(texts.filter((text) => text.length === longest));
  return longest >= 40 && atLimit.size >= 3;
}

const shapes: readonly { readonly type: FieldType; readonly fits: (text: string) => boolean }[] = [
  { type: 'email', fits: (text) => /^[^\s@<>]+@[^\s@<>]+\.[^\s@<>]+$/.test(text) },
  { type: 'url', fits: (text) => /^https?:\/\/\S+$/i.test(text) },
  { type: 'date', fits: (text) => /^\d{4}-\d{2}-\d{2}$/.test(text) },
  { type: 'instant', fits: (text) => /^\d{4}-\d{2}-\d{2}T/.test(text) && readInstant(text, 'utc') !== undefined },
  { type: 'boolean', fits: isYesNoWord },
  { type: 'country', fits: (text) => /^[A-Z]{2}$/.test(text) },
  // Figures that begin with 0 are codes, not numbers: 00420.
  { type: 'integer', fits: (text) => /^-?(0|[1-9]\d{0,11})$/.test(text) },
  { type: 'decimal', fits: (text) => /^-?\d+\.\d+$/.test(text) },
  { type: 'phone', fits: (text) => /^[+(0][\d\s()./-]{6,}$/.test(text) && readPhone(text, 'GB') !== undefined },
];

/** What nearly all of the values look like; the app's own word where it gives one. */
function looksLike(type: FieldType, texts: readonly string[]): FieldType {
  if ((type !== 'text' && type !== 'any') || texts.length === 0) return type;
  const looked = texts.slice(0, 200).map((text) => text.trim());
  const shape = shapes.find(({ fits }) => looked.filter(fits).length >= looked.length * 0.8);
  return shape?.type ?? type;
}

/** A field that is empty in all of so many samples has nothing to give. */
const enoughToTell = 20;
export const isNeverFilled = ({ count, filled }: FieldProfile): boolean => count >= enoughToTell && filled === 0;
