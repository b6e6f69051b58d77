import Decimal from 'decimal.js';
import { readDate, readInstant, usualOrder } from '../values/dates.ts';
import type { Field, FieldType } from '../values/field.ts';
import { readNumber, usualMark } from '../values/numbers.ts';
import { readPhone } from '../values/phone.ts';
import { foldCase, squeezeSpaces } from '../values/text.ts';
import { canonicalText, isEmpty, toText, type Value } from '../values/value.ts';
import { readYesNo } from '../values/yes-no.ts';

/**
 * When two values of a field count as equal. `exact`: the same text, sign by sign; `spaces`: apart from spaces;
 * `case`: apart from spaces and capitals; `number`: the same number, however it is written; `money`: the same to the
 * cent; `date`, `instant`: the same day, the same moment; `phone`: the same number to call; `yes_no`: the same answer;
 * `whole`: lists and records of the same parts.
 */
export const equalities = [
  'exact',
  'spaces',
  'case',
  'number',
  'money',
  'date',
  'instant',
  'phone',
  'yes_no',
  'whole',
] as const;
export type Equality = (typeof equalities)[number];

/** What counts as equal, in words. */
export const equalityLabels: Readonly<Record<Equality, string>> = {
  exact: 'exactly the same',
  spaces: 'the same but for spaces',
  case: 'the same but for capitals and spaces',
  number: 'the same number',
  money: 'the same to the cent',
  date: 'the same day',
  instant: 'the same moment',
  phone: 'the same number to call',
  yes_no: 'the same answer',
  whole: 'the same parts',
};

/** Where values are read that say something else from country to country. */
export interface ReadWhere {
  /** ISO 3166-1 alpha-2. */
  readonly country: string;
  /** IANA zone: which day a moment is in. */
  readonly zone: string;
}

/**
 * What a value comes to where it is compared: two values are equal exactly when their forms are the same text. Empty
 * values have the form ''. What can't be read as what it should be is compared as it is written, apart from spaces,
 * and is never equal to one that can.
 */
export function formOf(value: Value | undefined, as: Equality, where: ReadWhere): string {
  if (isEmpty(value)) return '';
  if (as === 'whole') return typeof value === 'object' ? canonicalText(value) : spaced(toText(value));
  const text = toText(value);
  if (as === 'exact') return text;
  if (as === 'case') return foldCase(spaced(text));
  return read(value as Value, text, as, where) ?? spaced(text);
}

/** The form of what can be read, behind a space: no text that can't be read begins with one, so none is taken for it. */
function read(value: Value, text: string, as: Equality, { country, zone }: ReadWhere): string | undefined {
  switch (as) {
    case 'number':
    case 'money': {
      const number = typeof value === 'number' ? decimalOf(text) : numberOf(text, country);
      if (number === undefined) return undefined;
      return ` ${as === 'money' ? new Decimal(number).toFixed(2) : number}`;
    }
    case 'date': {
      const day = readDate(text, zone, usualOrder(country));
      return day.ok ? ` ${day.date}` : undefined;
    }
    case 'instant': {
      const moment = readInstant(text, zone);
      return moment && ` ${moment}`;
    }
    case 'phone': {
      const number = readPhone(text, country);
      return number && ` ${number}`;
    }
    case 'yes_no': {
      const answer = typeof value === 'boolean' ? value : readYesNo(text);
      return answer === undefined ? undefined : ` ${answer}`;
    }
    default:
      return undefined;
  }
}

const spaced = (text: string): string => squeezeSpaces(text.normalize('NFC'));

const decimalOf = (text: string): string | undefined =>
  Number.isFinite(Number(text)) ? new Decimal(text).toFixed() : undefined;

function numberOf(text: string, country: string): string | undefined {
  const number = readNumber(text, usualMark(country), country);
  return number.ok ? new Decimal(number.number).toFixed() : undefined;
}

/** By the types of the two fields, the one that says more first. */
const byType: readonly (readonly [FieldType, Equality])[] = [
  ['list', 'whole'],
  ['record', 'whole'],
  ['phone', 'phone'],
  ['money', 'money'],
  ['decimal', 'number'],
  ['integer', 'number'],
  ['boolean', 'yes_no'],
  ['instant', 'instant'],
  ['date', 'date'],
  ['email', 'case'],
  ['country', 'case'],
  ['id', 'exact'],
];

/** What is proposed to count as equal for a pair of fields: by their types; apart from spaces where those say nothing. */
export function proposeEquality(left: Pick<Field, 'type'>, right: Pick<Field, 'type'>): Equality {
  // A day is not a moment: the moment is compared by the day that it is in.
  if ([left.type, right.type].includes('date')) return 'date';
  return byType.find(([type]) => left.type === type || right.type === type)?.[1] ?? 'spaces';
}
