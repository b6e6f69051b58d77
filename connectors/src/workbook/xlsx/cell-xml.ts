import { type CellChange, columnLetter } from '../sheet.ts';
import { serialOf } from './read-cell.ts';
import { escapedText } from './strings.ts';
import type { Styles } from './styles.ts';
import { encoded } from './xml.ts';

/** What cells are written with. */
export interface Writing {
  readonly styles: Styles;
  readonly is1904: boolean;
  /** Whether it is a strict document (ISO/IEC 29500-1), not one of the transition. */
  readonly isStrict: boolean;
}

/** What a cell is to hold: a value, or a formula as the XML has it. */
export interface CellContent extends CellChange {
  readonly formula?: string;
}

/** Texts that a spreadsheet program would make something else of when somebody edits the cell. */
const readsAsOther = /\d|^\s*[=+\-@]|^(true|false)$/i;
const isoDay = /^\d{4}-\d{2}-\d{2}$/;

/**
 * A cell's XML. Values keep their kind: text that looks like a number stays text, dates are dates; how
 * it looks is as before, but for what the value itself asks for.
 *
 * @param prefix - of the sheet's elements
 * @param format - that the cell has, or that its neighbours have
 * @returns a character a byte
 */
export function cellXml(
  prefix: string,
  row: number,
  change: CellContent,
  format: number,
  { styles, is1904, isStrict }: Writing,
): string {
  const { value, type, column, formula } = change;
  const ref = `${columnLetter(column)}${row}`;
  const cell = (style: number, rest: string): string =>
    `<${prefix}c r="${ref}"${style > 0 ? ` s="${style}"` : ''}${rest}`;
  const simple = (style: number, kind: string, text: string): string =>
    cell(style, `${kind}><${prefix}v>${text}</${prefix}v></${prefix}c>`);
  if (formula !== undefined) return cell(format, `><${prefix}f>${formula}</${prefix}f></${prefix}c>`);
  if (value === null || value === '') return cell(format, '/>');
  if (type === 'date' && typeof value === 'string' && isoDay.test(value)) {
    // Strict documents keep dates as ISO 8601. Elsewhere, without a list of formats, a number can't be shown as a date.
    if (isStrict) return simple(format, ' t="d"', value);
    const dated = styles.kindOf(format) === 'date' ? format : styles.like(format, 'date');
    if (styles.hasFormats) return simple(dated, '', String(serialOf(value, is1904)));
  }
  if (typeof value === 'boolean') return simple(format, ' t="b"', value ? '1' : '0');
  if (typeof value === 'number' || ((type === 'integer' || type === 'decimal') && Number.isFinite(Number(value)))) {
    // Among dates a number would be shown, and read, as one of them.
    const shown = styles.kindOf(format) === 'number' ? format : styles.like(format, 'number');
    return simple(shown, '', String(Number(value)));
  }
  const style = readsAsOther.test(value) && !styles.isText(format) ? styles.like(format, 'text') : format;
  const text = encoded(escapedText(value));
  const space = value !== value.trim() || /[\n\t]| {2}/.test(value) ? ' xml:space="preserve"' : '';
  return cell(style, ` t="inlineStr"><${prefix}is><${prefix}t${space}>${text}</${prefix}t></${prefix}is></${prefix}c>`);
}
