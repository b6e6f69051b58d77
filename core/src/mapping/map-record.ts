import { evaluateFormula } from '../formula/formula.ts';
import { asBoolean } from '../formula/values.ts';
import { coerce } from '../values/coerce.ts';
import { type Field, type FieldType, fieldAt } from '../values/field.ts';
import { harmless } from '../values/formula-text.ts';
import { amountProblem, currencyFor } from '../values/money.ts';
import { nest, type Pointer, readPointer } from '../values/pointer.ts';
import { isEmpty, isRecord, type JsonRecord, toText, type Value } from '../values/value.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import {
  aroundOf,
  type Filled,
  type Filling,
  fill,
  type LinesFilling,
  lineId,
  readRef,
  type Scope,
  typeOfFilling,
} from './filling.ts';

/** One cell of the mapping sheet: what a destination field gets from one record. */
export type Cell =
  | { readonly state: 'filled'; readonly value: Value; readonly note?: string }
  | { readonly state: 'empty'; readonly note?: string }
  | { readonly state: 'not_filled' }
  | { readonly state: 'problem'; readonly message: string; readonly given?: Value };

/** How each destination field is filled, by its path. */
export type Mapping = Readonly<Record<Pointer, Filling>>;

/** Values a person set by hand for one record, by path; they win over the mapping. */
export type Overrides = Readonly<Record<Pointer, Value>>;

interface MappedField {
  readonly cell: Cell;
  readonly type: FieldType;
  readonly currency?: string | undefined;
}

/** The cell of one destination field. */
export function mapField(
  field: Field,
  filling: Filling | undefined,
  scope: Scope,
  around: EvaluationContext,
  override?: Value,
): Cell {
  return mapOne(field, filling, scope, around, override).cell;
}

function mapOne(
  field: Field,
  filling: Filling | undefined,
  scope: Scope,
  around: EvaluationContext,
  override?: Value,
): MappedField {
  const { type } = field;
  if (filling === undefined && override === undefined) {
    return {
      type,
      cell: field.required ? { state: 'problem', message: 'Required, and not filled.' } : { state: 'not_filled' },
    };
  }
  if (override === undefined && filling?.kind === 'lines')
    return { type, cell: linesCell(field, filling, scope, around) };
  const filled: Filled =
    override !== undefined || filling === undefined || filling.kind === 'lines'
      ? { ok: true, value: override ?? null }
      : fill(filling, scope, asLetter(field, around));
  const given = filling?.kind === 'field' || filling?.kind === 'options' ? readRef(scope, filling.ref) : null;
  if (!filled.ok) {
    const problem: Cell = { state: 'problem', message: filled.message, ...(!isEmpty(given) && { given }) };
    return { type, cell: unreadCell(field, filling, given, problem) };
  }
  const fitted = coerce(
    filled.value,
    field,
    override === undefined ? aroundOf(filling, around) : around,
    filled.currency,
  );
  if (!fitted.ok) {
    const problem: Cell = { state: 'problem', message: fitted.message, given: filled.value };
    return { type, cell: override === undefined ? unreadCell(field, filling, filled.value, problem) : problem };
  }
  const made =
    type === 'any' && filling ? (filled.type ?? typeOfFilling(filling, around.fieldOf ?? (() => undefined))) : type;
  if (isEmpty(fitted.value)) return { type: made, cell: { state: 'empty' } };
  const written = asFileText(fitted.value, field, around);
  const note = [filled.note, fitted.note, written.note].filter(Boolean).join(', ');
  return {
    type: made,
    currency: filled.currency,
    cell: note ? { state: 'filled', value: written.value, note } : { state: 'filled', value: written.value },
  };
}

function asLetter({ tellsGaps, isPrinted }: Field, around: EvaluationContext): EvaluationContext {
  if (tellsGaps) return { ...around, isLetter: true, isPrinted: true };
  return isPrinted ? { ...around, isPrinted: true } : around;
}

/** Types that take any text: a value that can't be read may be written into them as it is. */
const takesAnyText: ReadonlySet<FieldType> = new Set(['text', 'any', 'phone', 'email', 'url', 'id']);

/** What was chosen for a value that can't be read; a required field and an empty one stay the problem they are. */
function unreadCell(field: Field, filling: Filling | undefined, given: Value, problem: Cell): Cell {
  const unread = filling?.kind === 'field' || filling?.kind === 'text' ? filling.unread : undefined;
  if (!unread || unread === 'ask' || isEmpty(given)) return problem;
  const text = toText(given);
  if (unread === 'keep' && takesAnyText.has(field.type) && !isRecord(given))
    return { state: 'filled', value: text, note: 'can’t be read; written as it is' };
  return unread === 'empty' && !field.required
    ? { state: 'empty', note: `“${text}” can’t be read; left empty` }
    : problem;
}

/** A text as it goes into a file whose programs read some texts as formulas: told, and made harmless where that was chosen. */
function asFileText(value: Value, field: Field, around: EvaluationContext): { value: Value; note?: string } {
  if (!field.readsFormulas || typeof value !== 'string' || harmless(value) === value) return { value };
  return around.formulaTexts === 'harmless'
    ? { value: harmless(value), note: 'made harmless by an apostrophe' }
    : { value, note: `begins with “${value.slice(0, 1)}”: a spreadsheet program may run it as a formula` };
}

/** What a whole mapping gives for one record. */
export interface Mapped {
  /** Values to write, by path; null where the filling was empty. Fields not filled are absent. */
  readonly values: Readonly<Record<Pointer, Value>>;
  readonly types: Readonly<Record<Pointer, FieldType>>;
  readonly problems: readonly MappingProblem[];
}

export interface MappingProblem {
  readonly path: Pointer;
  readonly label: string;
  readonly message: string;
  readonly given?: Value;
}

/**
 * Maps one record. A mapping of a field that the destination doesn't have any more is a problem,
 * so that no value can land in a wrong place.
 */
export function mapRecord(
  mapping: Mapping,
  fields: readonly Field[],
  scope: Scope,
  around: EvaluationContext,
  overrides: Overrides = {},
): Mapped {
  const values: Record<Pointer, Value> = {};
  const types: Record<Pointer, FieldType> = {};
  const problems: MappingProblem[] = [];
  const currencies: Record<Pointer, string> = {};
  for (const field of fields) {
    if (field.readOnly) continue;
    const filling = mapping[field.path];
    const { cell, type, currency } = mapOne(field, filling, scope, around, overrides[field.path]);
    if (cell.state === 'problem') {
      problems.push({
        path: field.path,
        label: field.label,
        message: cell.message,
        ...(cell.given !== undefined && { given: cell.given }),
      });
    } else if (cell.state !== 'not_filled') {
      values[field.path] = cell.state === 'filled' ? cell.value : null;
      types[field.path] = type;
      if (currency) currencies[field.path] = currency;
    }
  }
  problems.push(...moneyProblems(fields, values, currencies));
  for (const path of Object.keys(mapping)) {
    if (!fieldAt(fields, path)) {
      problems.push({ path, label: path.slice(1), message: 'This field isn’t there any more. Nothing was written.' });
    }
  }
  return { values, types, problems };
}

/** Amounts whose currency stands in another field of the same record: it must be theirs, and have their decimals. */
function moneyProblems(
  fields: readonly Field[],
  values: Readonly<Record<Pointer, Value>>,
  currencies: Readonly<Record<Pointer, string>>,
): MappingProblem[] {
  return fields.flatMap((field): MappingProblem[] => {
    const amount = values[field.path];
    if (field.fields && Array.isArray(amount)) return lineMoneyProblems(field, amount, values);
    if (field.type !== 'money' || !field.currency || !('path' in field.currency) || isEmpty(amount)) return [];
    const code = toText(values[field.currency.path]).toUpperCase();
    const own = currencies[field.path];
    const at = { path: field.path, label: field.label, given: amount as Value };
    if (own && code && own !== code)
      return [{ ...at, message: `The amount is in ${own}, but the record says ${code}.` }];
    const problem = amountProblem(toText(amount), code);
    return problem ? [{ ...at, message: problem }] : [];
  });
}

/** Amounts of lines in the currency of the whole record: no more decimals than it has. */
function lineMoneyProblems(
  list: Field,
  lines: readonly Value[],
  values: Readonly<Record<Pointer, Value>>,
): MappingProblem[] {
  for (const field of list.fields ?? []) {
    if (field.type !== 'money' || !field.currency || !('path' in field.currency)) continue;
    const code = toText(values[field.currency.path]).toUpperCase();
    for (const [at, line] of lines.entries()) {
      const amount = isRecord(line) ? readPointer(line, field.path) : undefined;
      const problem = isEmpty(amount) ? undefined : amountProblem(toText(amount), code);
      if (problem)
        return [{ path: list.path, label: list.label, message: `Line ${at + 1}, ${field.label}: ${problem}` }];
    }
  }
  return [];
}

/** One line of a list with what its mapping gives. */
export interface MappedLine extends Mapped {
  /** Its number in the source's list, counted from 1. */
  readonly number: number;
  readonly scope: Scope;
}

/** Lines beyond this are refused: no order or invoice has them. */
export const mostLines = 10_000;

/**
 * Each item of the source's list through the mapping of its line; items that aren't kept are left out.
 * @returns the lines, or a sentence why there are none
 */
export function mapLines(
  field: Field,
  filling: LinesFilling,
  scope: Scope,
  around: EvaluationContext,
): { readonly ok: true; readonly lines: readonly MappedLine[] } | { readonly ok: false; readonly message: string } {
  const list = readRef(scope, filling.ref);
  if (list === null) return { ok: true, lines: [] };
  const items = Array.isArray(list) ? list : [list];
  if (items.length > mostLines)
    return { ok: false, message: `The list has ${items.length} items, more than ${mostLines}.` };
  const lines: MappedLine[] = [];
  const aroundLine = aroundLines(filling, scope, around);
  for (const [at, item] of items.entries()) {
    const number = at + 1;
    const record: JsonRecord = isRecord(item) ? item : { value: item };
    const inner: Scope = { ...scope, ...foundForLine(filling, scope, around, number), [lineId]: record };
    const here: EvaluationContext = { ...aroundLine, lineNumber: number };
    const kept = filling.keep ? asBoolean(evaluateFormula(filling.keep, inner, here)) : true;
    if (typeof kept !== 'boolean') return { ok: false, message: `Line ${number}: ${kept.message}` };
    if (kept) lines.push({ ...mapRecord(filling.mapping, field.fields ?? [], inner, here), number, scope: inner });
  }
  return { ok: true, lines };
}

/** What lookups found for this item of the list. */
function foundForLine(filling: LinesFilling, scope: Scope, around: EvaluationContext, number: number): Scope {
  const found: Record<string, JsonRecord> = {};
  for (const step of around.foundFor?.(filling.ref) ?? []) {
    const record = scope[`${step}#${number}`];
    if (record) found[step] = record;
  }
  return found;
}

/** Within a line its own fields are known; an amount there may have its currency from the whole record. */
export function aroundLines(filling: LinesFilling, scope: Scope, around: EvaluationContext): EvaluationContext {
  const listField = around.fieldOf?.(filling.ref);
  const record = scope[filling.ref.step] ?? {};
  const byPath = new Map(
    (listField?.fields ?? []).map((one) => [
      one.path,
      one.type === 'money' ? { ...one, currency: { code: currencyFor(one, record) } } : one,
    ]),
  );
  return {
    ...around,
    fieldOf: (ref) => (ref.step === lineId ? byPath.get(ref.path) : around.fieldOf?.(ref)),
  };
}

function linesCell(field: Field, filling: LinesFilling, scope: Scope, around: EvaluationContext): Cell {
  const mapped = mapLines(field, filling, scope, around);
  if (!mapped.ok) return { state: 'problem', message: mapped.message };
  for (const line of mapped.lines) {
    const [problem] = line.problems;
    if (problem) return { state: 'problem', message: `Line ${line.number}, ${problem.label}: ${problem.message}` };
  }
  if (mapped.lines.length === 0)
    return field.required ? { state: 'problem', message: 'Required, and there is no line.' } : { state: 'empty' };
  return { state: 'filled', value: mapped.lines.map((line) => nest(line.values)) };
}
