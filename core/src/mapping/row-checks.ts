import { assumedId } from '../run/assumed.ts';
import { type DayMonthOrder, orderTold, usualOrder } from '../values/dates.ts';
import type { Field } from '../values/field.ts';
import { readsAsFormula } from '../values/formula-text.ts';
import { keyText } from '../values/text.ts';
import { canonicalText, isEmpty, toText, type Value } from '../values/value.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import { type Filling, type Ref, readRef, refsOf, type Scope } from './filling.ts';
import type { Cell } from './map-record.ts';

/** Something about a whole row of the mapping sheet that its writer should know, seen over all samples. */
export interface RowRemark {
  readonly kind:
    | 'same_everywhere'
    | 'order_unclear'
    | 'order_mixed'
    | 'mark_unclear'
    | 'not_in_table'
    | 'number_taken'
    | 'formula_text';
  readonly message: string;
  /** The source field it is about, where a reading settles it. */
  readonly ref?: Ref;
  /** Values that occur and the table lacks. */
  readonly values?: readonly string[];
}

/** Fewer samples say nothing about what is always the same. */
const enough = 4;

/** What the samples together show of one row. `scopes` and `cells` are of the same samples, in the same order. */
export function remarksOnRow(
  field: Field,
  filling: Filling | undefined,
  scopes: readonly Scope[],
  cells: readonly Cell[],
  around: EvaluationContext,
): RowRemark[] {
  if (!filling) return [];
  return [
    ...sameEverywhere(filling, cells),
    ...dayAndMonth(field, filling, scopes, around),
    ...decimalMark(filling, cells, around),
    ...missingInTable(filling, scopes),
    ...formulaTexts(field, cells, around),
  ];
}

function sameEverywhere(filling: Filling, cells: readonly Cell[]): RowRemark[] {
  if (refsOf(filling).length === 0 || filling.kind === 'options' || cells.length < enough) return [];
  const values = cells.map((cell) => (cell.state === 'filled' ? canonicalText(cell.value) : undefined));
  const isSame = values[0] !== undefined && values.every((value) => value === values[0]);
  // An id that the app has still to give is no value yet.
  if (!isSame || values[0] === canonicalText(assumedId)) return [];
  const [first] = cells;
  const shown = first?.state === 'filled' ? toText(first.value).slice(0, 40) : '';
  return [{ kind: 'same_everywhere', message: `All ${cells.length} samples give “${shown}”. Is it the right field?` }];
}

/** Texts of a file that the programs which open it would take for formulas. */
function formulaTexts(field: Field, cells: readonly Cell[], around: EvaluationContext): RowRemark[] {
  if (!field.readsFormulas || around.formulaTexts === 'harmless') return [];
  const some = cells.filter(
    (cell) => cell.state === 'filled' && typeof cell.value === 'string' && readsAsFormula(cell.value),
  );
  if (some.length === 0) return [];
  return [
    {
      kind: 'formula_text',
      message: `${some.length} of ${cells.length} samples begin with =, +, - or @. A spreadsheet program that opens the file may run such texts as formulas.`,
    },
  ];
}

/** Whether a filling reads a date out of text. */
function readsDates(field: Field, filling: Filling): boolean {
  if (filling.kind === 'field') return field.type === 'date' || filling.tidies.some((tidy) => tidy.kind === 'date');
  return filling.kind === 'formula' && /DATEVALUE\s*\(/i.test(filling.text);
}

function dayAndMonth(field: Field, filling: Filling, scopes: readonly Scope[], around: EvaluationContext): RowRemark[] {
  if (!readsDates(field, filling)) return [];
  return refsOf(filling).flatMap((ref): RowRemark[] => {
    if (ref.step !== 'start' || around.readings?.[ref.path]?.dates) return [];
    if (filling.kind === 'field' && filling.tidies.some((tidy) => tidy.kind === 'date' && tidy.order)) return [];
    const told = scopes.map((scope) => orderTold(toText(readRef(scope, ref)))).filter((order) => order !== undefined);
    const clear = new Set(told.filter((order): order is DayMonthOrder => order !== 'either'));
    if (clear.size === 2)
      return [
        { kind: 'order_mixed', ref, message: 'Some dates have the day first and some the month. Look at the source.' },
      ];
    const unclear = told.length - told.filter((order) => order !== 'either').length;
    if (unclear === 0) return [];
    const [only] = clear;
    if (only === orderOfCountry(around)) return [];
    const message = only
      ? `Other samples have the ${words(only)} first, and ${unclear} could be read either way.`
      : `Day and month can’t be told apart in ${unclear} of ${told.length} samples.`;
    return [{ kind: 'order_unclear', ref, message }];
  });
}

/** Numbers in which a point or comma could part thousands or stand before decimals. */
function decimalMark(filling: Filling, cells: readonly Cell[], around: EvaluationContext): RowRemark[] {
  const ref = refsOf(filling).find((one) => one.step === 'start');
  if (!ref || around.readings?.[ref.path]?.decimal) return [];
  const unclear = cells.filter(
    (cell) => cell.state === 'filled' && /read with (a decimal|the) (point|comma)/.test(cell.note ?? ''),
  );
  if (unclear.length === 0) return [];
  const message = `What a point or comma means can’t be told in ${unclear.length} of ${cells.length} samples.`;
  return [{ kind: 'mark_unclear', ref, message }];
}

const orderOfCountry = (around: EvaluationContext): DayMonthOrder => around.order ?? usualOrder(around.country);
const words = (order: DayMonthOrder): string => (order === 'day_first' ? 'day' : 'month');

function missingInTable(filling: Filling, scopes: readonly Scope[]): RowRemark[] {
  if (filling.kind !== 'options') return [];
  const missing = valuesNotIn(filling, scopes);
  if (missing.length === 0) return [];
  const shown = missing
    .slice(0, 4)
    .map((value) => `“${value}”`)
    .join(', ');
  return [
    {
      kind: 'not_in_table',
      ref: filling.ref,
      values: missing,
      message: `${shown}${missing.length > 4 ? ` and ${missing.length - 4} more` : ''} ${missing.length === 1 ? 'occurs and isn’t' : 'occur and aren’t'} in the table.`,
    },
  ];
}

/** The values that occur in the samples and that a table of options doesn't hold, the most frequent first. */
export function valuesNotIn(
  { ref, table }: Pick<Extract<Filling, { kind: 'options' }>, 'ref' | 'table'>,
  scopes: readonly Scope[],
): string[] {
  const held = new Set(table.map((row) => keyText(row.from)));
  const counts = new Map<string, { shown: string; count: number }>();
  for (const scope of scopes) {
    for (const value of [readRef(scope, ref)].flat() as Value[]) {
      const key = keyText(value);
      if (isEmpty(value) || held.has(key)) continue;
      const known = counts.get(key);
      counts.set(key, { shown: known?.shown ?? toText(value), count: (known?.count ?? 0) + 1 });
    }
  }
  return [...counts.values()].sort((one, other) => other.count - one.count).map((one) => one.shown);
}
