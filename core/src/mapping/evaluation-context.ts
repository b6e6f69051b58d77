import type { Locale } from '../values/coerce.ts';
import type { DayMonthOrder } from '../values/dates.ts';
import type { Field } from '../values/field.ts';

/** How the values of one field are to be read, where they alone can't tell. */
export interface Reading {
  /** Which comes first in dates of figures. */
  readonly dates?: DayMonthOrder | undefined;
  /** Numbers are days as spreadsheets count them (ISO 8601 dates counted from 1899-12-30). */
  readonly serial?: boolean | undefined;
  /** What stands before the decimals. */
  readonly decimal?: 'point' | 'comma' | undefined;
}

/** A small table kept with the workflow, such as country names to codes. */
export interface LookupTable {
  readonly name: string;
  readonly rows: readonly { readonly from: string; readonly to: string }[];
}

/** The field that a reference names. */
export type FieldOf = (ref: { readonly step: string; readonly path: string }) => Field | undefined;

/** What filling a field may know besides the record: all given from outside, so that it computes the same everywhere. */
export interface EvaluationContext extends Locale {
  /** The moment the record was taken in: TODAY and NOW mean it. */
  readonly takenAt?: string | undefined;
  readonly tables?: readonly LookupTable[] | undefined;
  readonly fieldOf?: FieldOf | undefined;
  /** By the path of the start's field. */
  readonly readings?: Readonly<Record<string, Reading>> | undefined;
  /** The lookups that were done for each item of a list: what they found is known in its line. */
  readonly foundFor?: ((list: { readonly step: string; readonly path: string }) => readonly string[]) | undefined;
  /** How texts go into a file whose programs would take them for formulas; as they are when absent. */
  readonly formulaTexts?: 'harmless' | undefined;
  /** A text that somebody reads as it stands: it is never left out for want of a value, and gaps in it are told. */
  readonly isLetter?: boolean | undefined;
  /** People read what is written: dates and amounts stand there by the custom of the country, options by their names. */
  readonly isPrinted?: boolean | undefined;
  /** Which line of a list is being filled, counted from 1. */
  readonly lineNumber?: number | undefined;
}
