import { namesIn, parseFormula } from '../formula/syntax.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import type { Locale } from '../values/coerce.ts';
import type { Field } from '../values/field.ts';
import { everyItem } from '../values/paths.ts';
import { fillingText } from '../workflow/changes.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { asField, asFormula, asTextParts, type ValueFilling } from './convert.ts';
import { type Filling, type LinesFilling, refNamed } from './filling.ts';
import { bindFormula, type NamedField, namedFields, nameOfField } from './names.ts';

/** One row of a mapping written out as a table, to be reviewed in a spreadsheet. */
export interface SheetRow {
  /** The destination field's path; of a line's field with `*` for the list's items. */
  readonly field: string;
  /** In words; only for reading. */
  readonly filledWith: string;
  /** The same as a formula; this is what is read back. Empty for not filled. */
  readonly formula: string;
  readonly note: string;
}

/** A row as it comes back: a column that the table hasn't got is undefined, and changes nothing. */
export interface GivenRow {
  readonly field: string;
  readonly formula?: string | undefined;
  readonly note?: string | undefined;
}

/** The columns of the table, in their order. */
export const sheetColumns = ['field', 'filled with', 'formula', 'note'] as const;

/** A write's mapping as rows: every field there is, filled or not. */
export function mappingRows(content: WorkflowContent, step: WriteStep, locale: Locale): SheetRow[] {
  const fields = (step.target?.described.fields ?? []).filter((field) => !field.readOnly);
  const names = namedFields(content, { before: step.id });
  return fields.flatMap((field): SheetRow[] => {
    const filling = step.mapping[field.path];
    const row = (path: string, filled: Filling | undefined, formula: string): SheetRow => ({
      field: path,
      filledWith: filled ? fillingText(content, filled, locale) : 'not filled',
      formula,
      note: step.notes?.[path] ?? '',
    });
    if (filling?.kind !== 'lines') return [row(field.path, filling, filling ? asFormula(filling, names).text : '')];
    const inner = namedFields(content, { before: step.id, list: filling.ref });
    const items = (field.fields ?? []).filter((one) => !one.readOnly);
    return [
      row(field.path, filling, nameOfField(filling.ref, names) ?? ''),
      ...items.map((one) => {
        const each = filling.mapping[one.path];
        const text = each && each.kind !== 'lines' ? asFormula(each, inner).text : '';
        return row(`${field.path}/${everyItem}${one.path}`, each, text);
      }),
    ];
  });
}

/** What reading a table back came to. */
export interface ReadRows {
  readonly step: WriteStep;
  /** Rows that could not be taken, each with its number in the table (the names are row 1) and why. */
  readonly refused: readonly { readonly row: number; readonly message: string }[];
  readonly changed: number;
}

/**
 * A write with the fillings that a reviewed table says. Rows that say what is there already leave it
 * as it is; a row that can't be read is refused by itself and changes nothing.
 */
export function readMappingRows(content: WorkflowContent, step: WriteStep, rows: readonly GivenRow[]): ReadRows {
  const fields = (step.target?.described.fields ?? []).filter((field) => !field.readOnly);
  const refused: { row: number; message: string }[] = [];
  const mapping: Record<string, Filling> = { ...step.mapping };
  const notes: Record<string, string> = { ...step.notes };
  let changed = 0;
  for (const [at, row] of rows.entries()) {
    const problem = takeRow(row);
    if (problem) refused.push({ row: at + 2, message: problem });
  }
  const { notes: _notes, suggested: _suggested, ...rest } = step;
  return { step: { ...rest, mapping, ...(Object.keys(notes).length > 0 && { notes }) }, refused, changed };

  function takeRow(row: GivenRow): string | undefined {
    const [path = '', itemPath] = row.field.trim().split(`/${everyItem}`);
    const field = fields.find((one) => one.path === path);
    if (!field) return `There is no field “${row.field}” in the destination.`;
    if (row.note !== undefined) takeNote(row.field, row.note.trim());
    if (row.formula === undefined) return undefined;
    return itemPath === undefined ? takeField(field, row.formula) : takeItem(field, itemPath, row.field, row.formula);
  }

  function takeNote(path: string, note: string): void {
    if (note === (notes[path] ?? '')) return;
    changed += 1;
    if (note === '') delete notes[path];
    else notes[path] = note.slice(0, 500);
  }

  function takeField(field: Field, formula: string): string | undefined {
    const names = namedFields(content, { before: step.id });
    const now = mapping[field.path];
    if (now?.kind === 'lines') {
      const isSame = (nameOfField(now.ref, names) ?? '') === formula.trim();
      return isSame ? undefined : 'Which list the lines come from is chosen on the sheet.';
    }
    const read = readFilling(formula, field, now, names);
    if (typeof read === 'string') return read;
    if (read === now) return undefined;
    changed += 1;
    if (read) mapping[field.path] = read;
    else delete mapping[field.path];
    return undefined;
  }

  function takeItem(field: Field, itemPath: string, path: string, formula: string): string | undefined {
    const lines = mapping[field.path];
    if (lines?.kind !== 'lines') return `“${field.label}” isn’t filled with lines.`;
    const item = field.fields?.find((one) => one.path === itemPath);
    if (!item) return `There is no field “${path}” in the destination.`;
    const now = lines.mapping[itemPath];
    if (now?.kind === 'lines') return undefined;
    const read = readFilling(formula, item, now, namedFields(content, { before: step.id, list: lines.ref }));
    if (typeof read === 'string') return read;
    if (read === now) return undefined;
    changed += 1;
    const { [itemPath]: _old, ...others } = lines.mapping;
    const next: LinesFilling = { ...lines, mapping: read ? { ...others, [itemPath]: read } : others };
    mapping[field.path] = next;
    return undefined;
  }
}

/** The filling that a formula of the table says: the one that is there when it says the same. */
function readFilling(
  text: string,
  field: Field,
  now: ValueFilling | undefined,
  names: readonly NamedField[],
): ValueFilling | undefined | string {
  const given = text.trim().replace(/^=/, '').trim();
  if (given === '') return undefined;
  if (now && asFormula(now, names).text === given) return now;
  const { expression, issues } = parseFormula(given);
  if (!expression) return issues[0]?.message ?? 'The formula can’t be read.';
  const bound = bindFormula(given, names);
  const unknown = namesIn(given).find((name) => !refNamed(bound.refs, name));
  if (unknown) return `There is no field “${unknown}” here.`;
  if (expression.kind === 'text')
    return field.options ? { kind: 'choice', value: expression.text } : { kind: 'fixed', value: expression.text };
  return asField(bound) ?? (/&/.test(given) ? asTextParts(bound) : undefined) ?? { kind: 'formula', ...bound };
}
