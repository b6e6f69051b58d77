import type { Value } from './value.ts';

/** What a cell holds whose formula no program has worked out: a value it is not. */
export const notCalculated = '#not calculated yet';

/**
 * Errors as spreadsheets keep them in cells (ECMA-376 part 1, 18.17.3; those from #SPILL! on as newer
 * programs write them, common practice). They come out of exported lists as well.
 */
const errors =
  /^#(DIV\/0!|N\/A|NAME\?|NULL!|NUM!|REF!|VALUE!|GETTING_DATA|SPILL!|CALC!|FIELD!|BLOCKED!|CONNECT!|UNKNOWN!|BUSY!)$/i;

/** Why a cell's content is no value, in a sentence; undefined where it may be one. */
export function cellError(value: Value | undefined): string | undefined {
  if (typeof value !== 'string' || !value.startsWith('#')) return undefined;
  if (value === notCalculated)
    return 'This is a formula that no program has worked out yet. Open the file in a spreadsheet program and save it.';
  return errors.test(value.trim())
    ? `“${value.trim()}” is an error of the spreadsheet, not a value. Mend the cell it comes from.`
    : undefined;
}
