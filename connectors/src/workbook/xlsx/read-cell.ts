import { notCalculated } from '@golden/core';
import type { Area } from '../sheet.ts';
import type { Scalar } from '../sheet-builder.ts';
import { areaOf } from './refs.ts';
import type { CellPlace, SheetFrame } from './sheet-part.ts';
import { richText, type Strings, unescaped } from './strings.ts';
import type { Styles } from './styles.ts';
import { attribute, decoded, nextTag, type Tag, textWithin } from './xml.ts';

/** A cell as data. */
export interface CellData {
  readonly value: Scalar | null;
  readonly isDate: boolean;
  readonly hasFormula: boolean;
  /** The cells that its formula fills, where it is one over an area. */
  readonly array?: Area;
}

/** What the cells of a workbook are read with. */
export interface Reading {
  readonly strings: Strings;
  readonly styles: Styles;
  readonly is1904: boolean;
}

/** Whether a formula only says yes or no, as Calc writes those: it rests on nothing, and is a value. */
export const isConstant = (text: string, formula: Tag): boolean =>
  formula.kind === 'open' && /^\s*(TRUE|FALSE)\(\)\s*</.test(text.slice(formula.end, formula.end + 20));

interface Content {
  raw?: string;
  inline?: string;
  hasFormula: boolean;
  array?: Area | undefined;
}

/** What stands in a cell: its stored value, its text in place, and whether it is calculated. */
function contentOf({ text, prefix }: SheetFrame, cell: CellPlace): Content {
  // Nearly all cells hold a value and nothing else: those are read without looking for tags.
  const from = cell.tag.end + prefix.length + 3;
  if (text.startsWith(`<${prefix}v>`, cell.tag.end)) {
    const to = text.indexOf('<', from);
    if (to + prefix.length + 4 === cell.inner && text.startsWith(`</${prefix}v>`, to))
      return { raw: decoded(text.slice(from, to)), hasFormula: false };
  }
  const content: Content = { hasFormula: false };
  let opened = 0;
  for (let tag = nextTag(text, cell.tag.end); tag && tag.start < cell.inner; tag = nextTag(text, tag.end)) {
    if (tag.name === 'f' && tag.kind !== 'close') {
      content.hasFormula = !isConstant(text, tag);
      if (attribute(text, tag, 't') === 'array') content.array = areaOf(attribute(text, tag, 'ref') ?? '');
    }
    if (tag.name !== 'v' && tag.name !== 'is') continue;
    if (tag.kind === 'open') opened = tag.end;
    else if (tag.kind === 'close' && tag.name === 'v') content.raw = textWithin(text, opened, tag.start);
    else if (tag.kind === 'close') content.inline = richText(text, opened, tag.start);
  }
  return content;
}

/** A cell as data: a formula by its stored value, or that it has none; a date as ISO 8601, rich text by its letters. */
export function readCell(frame: SheetFrame, cell: CellPlace, reading: Reading): CellData {
  if (cell.tag.kind === 'empty') return { value: null, isDate: false, hasFormula: false };
  const { raw, inline, hasFormula, array } = contentOf(frame, cell);
  const about = { hasFormula, ...(array && { array }) };
  const { type } = cell;
  if (type === 'inlineStr') return { value: inline ?? null, isDate: false, ...about };
  if (raw === undefined || (raw === '' && type !== 'str'))
    return { value: hasFormula ? notCalculated : null, isDate: false, ...about };
  const value = storedValue(raw, type, reading, cell);
  if (value === null || typeof value !== 'object') return { value, isDate: false, ...about };
  return { value: value.text, isDate: value.isDate, ...about };
}

interface Moment {
  readonly text: string;
  readonly isDate: boolean;
}

/** A stored value by its cell's type (ECMA-376 part 1, 18.18.11) and, for a number, its format. */
function storedValue(raw: string, type: string, reading: Reading, cell: CellPlace): Scalar | Moment | null {
  switch (type) {
    case 's':
      return reading.strings.at(Number(raw)) ?? null;
    case 'str':
      return unescaped(raw);
    case 'b':
      return raw === '1' || raw === 'true';
    case 'e':
      return raw;
    case 'd':
      return isoMoment(raw);
    default: {
      if (raw.trim() === '') return null;
      const number = Number(raw);
      if (!Number.isFinite(number)) return raw;
      const kind = reading.styles.kindOf(cell.format);
      if (kind === 'number') return number;
      return kind === 'duration' ? { text: clockText(number), isDate: false } : momentOf(number, reading.is1904);
    }
  }
}

const day = 86_400_000;
/** The day from which on serial numbers count: the 30th of December 1899, or the 1st of January 1904 (18.17.4.1). */
const firstDay = (is1904: boolean): number => (is1904 ? Date.UTC(1904, 0, 1) : Date.UTC(1899, 11, 30));
/** Until the 29th of February 1900, which never was, serial numbers are one behind (common practice). */
const neverWas = 60;

/** A serial number as a date, a date with a time, or a time of day. */
function momentOf(serial: number, is1904: boolean): Scalar | Moment {
  if (serial >= 0 && serial < 1 && !is1904) return { text: clockText(serial), isDate: false };
  const days = !is1904 && serial < neverWas ? serial + 1 : serial;
  const date = new Date(Math.round((firstDay(is1904) + days * day) / 1000) * 1000);
  if (Number.isNaN(date.getTime()) || date.getUTCFullYear() > 9999 || date.getUTCFullYear() < 0) return serial;
  return isoMoment(date.toISOString());
}

function isoMoment(text: string): Moment {
  const bare = text.replace(/(\.0+)?Z$/, '').replace(/T00:00(:00(\.0+)?)?$/, '');
  return { text: bare, isDate: /^\d{4}-\d{2}-\d{2}$/.test(bare) };
}

/** A share of a day as hours, minutes and seconds; a duration may have more than 24 hours. */
function clockText(serial: number): string {
  const seconds = Math.round(Math.abs(serial) * 86_400);
  const two = (number: number): string => String(number).padStart(2, '0');
  return `${serial < 0 ? '-' : ''}${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`;
}

/** The serial number of a day. */
export function serialOf(isoDate: string, is1904: boolean): number {
  const days = (Date.parse(`${isoDate}T00:00:00Z`) - firstDay(is1904)) / day;
  return !is1904 && days <= neverWas ? days - 1 : days;
}
