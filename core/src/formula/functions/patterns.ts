import { RE2JS } from 're2js';
import type { Decimal, FormulaValue } from '../values.ts';
import { type FormulaError, isError, notAvailable, valueError } from '../values.ts';
import { definer } from './define.ts';

const pattern = definer('pattern');

const known = new Map<string, RE2JS | FormulaError>();
const longestPattern = 1000;

/**
 * Compiles a regular expression for the linear-time engine RE2, which no pattern can hang. What it
 * leaves out for that (looking around, going back) is refused with a sentence.
 */
function compiled(source: string): RE2JS | FormulaError {
  const made = known.get(source);
  if (made) return made;
  let result: RE2JS | FormulaError;
  try {
    result = source.length > longestPattern ? valueError('The pattern is too long.') : RE2JS.compile(source);
  } catch (error) {
    const what = error instanceof Error ? error.message : 'not understood';
    result = valueError(`The pattern can’t be used: ${what}.`);
  }
  if (known.size > 500) known.clear();
  known.set(source, result);
  return result;
}

/** Says what is wrong with a pattern; undefined when it can be used. For the checker. */
export function patternProblem(source: string): string | undefined {
  const made = compiled(source);
  return isError(made) ? made.message : undefined;
}

/** Regular expressions, in RE2's syntax. */
export const patternFunctions = [
  pattern(
    'REGEX.TEST',
    'text:text pattern:text',
    'boolean',
    'Whether a regular expression matches anywhere in a text.',
    ([text, source]: [string, string]): FormulaValue => {
      const expression = compiled(source);
      return isError(expression) ? expression : expression.matcher(text).find();
    },
    { isExtra: true },
  ),
  pattern(
    'REGEX.FIND',
    'text:text pattern:text group:number?',
    'text',
    'What a regular expression matches first, or one group of it.',
    ([text, source, group]: [string, string, Decimal?]): FormulaValue => {
      const expression = compiled(source);
      if (isError(expression)) return expression;
      const matcher = expression.matcher(text);
      if (!matcher.find()) return notAvailable('The pattern matches nothing in the text.');
      const at = group?.trunc().toNumber() ?? 0;
      if (at < 0 || at > matcher.groupCount()) return valueError(`The pattern has ${matcher.groupCount()} groups.`);
      return matcher.group(at) ?? '';
    },
    { isExtra: true },
  ),
  pattern(
    'REGEX.REPLACE',
    'text:text pattern:text new:text',
    'text',
    'With every match of a regular expression replaced; $1 stands for its first group.',
    ([text, source, fresh]: [string, string, string]): FormulaValue => {
      const expression = compiled(source);
      if (isError(expression)) return expression;
      try {
        return expression.matcher(text).replaceAll(fresh);
      } catch {
        return valueError('The replacement names a group that the pattern doesn’t have.');
      }
    },
    { isExtra: true },
  ),
];
