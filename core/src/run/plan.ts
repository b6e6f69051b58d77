import type { MessageMark } from '../consent/purpose.ts';
import { isSameValue } from '../values/coerce.ts';
import { readInstant } from '../values/dates.ts';
import { type Field, type FieldType, fieldAt } from '../values/field.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import { isEmpty, type JsonRecord, toText, type Value } from '../values/value.ts';
import type { Difference, ReadBackOutcome } from './outcome.ts';

/** Where a write goes. */
export interface Target {
  readonly connection: string;
  readonly path: readonly string[];
  readonly recordType: string;
  /** Where it is missing it is made, like the last one that has what this one has. */
  readonly likeLast?: readonly string[];
}

/**
 * A write as a value: shown in a rehearsal, stored before it is sent, compared with what is read
 * back, and undone by its `before`.
 */
export interface PlannedWrite {
  /** To `remove` is for good: it has no values, and `before` is what is undone by making it again. */
  readonly kind: 'create' | 'update' | 'remove';
  readonly target: Target;
  /** The record to change or remove; absent for a create. */
  readonly id?: string;
  readonly values: Readonly<Record<Pointer, Value>>;
  readonly types: Readonly<Record<Pointer, FieldType>>;
  /** The record as it was, for an update or a removal. */
  readonly before?: JsonRecord;
  /** What recognises the record: how it is looked for when it is unclear whether the write was done. */
  readonly key?: { readonly path: Pointer; readonly value: Value };
  /** For what goes out to somebody: by what it is judged before it leaves. */
  readonly message?: MessageMark;
}

/** What was sent last to a field; `read` is what the app made of it, where that is something else. */
export interface MadeOf {
  readonly sent: Value;
  readonly read?: Value;
  /** What was written was undone: a person says what holds before anything is written there again. */
  readonly isHeld?: true;
}

/** A record found in the destination. */
export interface Found {
  readonly id: string;
  readonly record: JsonRecord;
  /** What this workflow sent it last, field by field, or agreed with. */
  readonly last?: Readonly<Record<Pointer, MadeOf>>;
  /** What the app made of values that other workflows sent, where it writes them its own way. */
  readonly made?: Readonly<Record<Pointer, readonly MadeOf[]>>;
  /** Two places in step: fields of the other record about which a person is being asked already. */
  readonly askedAbout?: readonly Pointer[];
  /** Two places in step: the record of the other place that it is in step with. */
  readonly pairedWith?: string;
}

/** What source and destination had when a step was done with a record: what changes later is measured by it. */
export interface Settled {
  readonly step: string;
  readonly target: Target;
  readonly id: string;
  readonly fields: Readonly<Record<Pointer, MadeOf>>;
  /** Two places in step: the same of the other side. */
  readonly also?: Omit<Settled, 'step' | 'also'>;
}

/**
 * What was sent to each field, with what the app made of it where that is something else.
 *
 * @param read - the record as it stands there; taken to be as sent where the app can't be asked
 */
export function sentFields(
  values: Readonly<Record<Pointer, Value>>,
  types: Readonly<Record<Pointer, FieldType>>,
  read: JsonRecord | undefined,
): Record<Pointer, MadeOf> {
  return Object.fromEntries(
    Object.entries(values).map(([path, sent]) => {
      const there = read ? (readPointer(read, path) ?? null) : sent;
      return [path, isSameValue(sent, there, types[path] ?? 'text') ? { sent } : { sent, read: there }];
    }),
  );
}

/** What was read back beside what was sent, field by field. */
export function compareReadBack(
  write: PlannedWrite,
  read: JsonRecord,
  fields: readonly Field[],
): { readonly outcome: ReadBackOutcome; readonly differences: readonly Difference[] } {
  const differences = Object.entries(write.values).flatMap(([path, sent]) => {
    const there = readPointer(read, path) ?? null;
    if (isSameValue(sent, there, write.types[path] ?? 'text')) return [];
    return [{ path, label: fieldAt(fields, path)?.label ?? path.slice(1), sent, read: there }];
  });
  if (differences.length === 0) return { outcome: 'as_sent', differences };
  if (differences.some(isCut)) return { outcome: 'cut', differences };
  const isAllRewritten = differences.every((one) => isRewritten(one, write.types[one.path] ?? 'text'));
  return { outcome: isAllRewritten ? 'altered' : 'different', differences };
}

/** Types whose values have one writing: another one is another value. */
const exactTypes: ReadonlySet<FieldType> = new Set(['integer', 'decimal', 'money', 'boolean', 'date', 'id']);

/**
 * True when what came back is what was sent in the app's own writing: a telephone with other signs
 * between its figures, other capitals, a time to the second, a default where nothing was sent.
 */
function isRewritten({ sent, read }: Difference, type: FieldType): boolean {
  if (isEmpty(sent)) return true;
  if (exactTypes.has(type)) return false;
  const [one, other] = [toText(sent), toText(read)];
  if (type === 'instant') {
    const [left, right] = [readInstant(one, 'utc'), readInstant(other, 'utc')];
    return left !== undefined && right !== undefined && left.slice(0, 19) === right.slice(0, 19);
  }
  if (type === 'phone') return isSamePhone(one, other);
  return lettersAndFigures(one) === lettersAndFigures(other);
}

/** Two writings of one telephone number agree in their last figures, whatever stands before them. */
function isSamePhone(one: string, other: string): boolean {
  const [left, right] = [one.replace(/\D/g, ''), other.replace(/\D/g, '')];
  const figures = Math.min(left.length, right.length, 8);
  return figures >= 4 && left.slice(-figures) === right.slice(-figures);
}

const lettersAndFigures = (text: string): string =>
  text
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]/gu, '');

/** True when less came back than was sent: a shorter beginning of it, or nothing. */
function isCut({ sent, read }: Difference): boolean {
  if (isEmpty(read)) return true;
  const [before, after] = [toText(sent), toText(read).replace(/(…|\.\.\.)$/, '')];
  return after.length < before.length && before.startsWith(after);
}
