import type { FormulaFunction } from '../function.ts';
import { businessFunctions } from './business.ts';
import { dateFunctions } from './dates.ts';
import { logicFunctions } from './logic.ts';
import { listFunctions, numberFunctions } from './numbers.ts';
import { patternFunctions } from './patterns.ts';
import { textFunctions } from './texts.ts';

/** Every function of the language, in alphabetical order. */
export const formulaFunctions: readonly FormulaFunction[] = [
  ...textFunctions,
  ...logicFunctions,
  ...numberFunctions,
  ...listFunctions,
  ...dateFunctions,
  ...patternFunctions,
  ...businessFunctions,
].sort((one, other) => (one.name < other.name ? -1 : 1));

const byName = new Map(formulaFunctions.map((fn) => [fn.name, fn]));

/** The function of this name, in capitals or not. */
export function functionNamed(name: string): FormulaFunction | undefined {
  return byName.get(name.toUpperCase());
}
