import { evaluateFormula } from '../../formula/formula.ts';
import { FormulaError, toValue } from '../../formula/values.ts';
import type { Target } from '../../run/plan.ts';
import { toText } from '../../values/value.ts';
import type { Place } from '../../workflow/place.ts';
import type { Doing } from '../definition.ts';
import type { PlacedStep } from '../schemas.ts';
import type { WriteStep } from '../write/schema.ts';

/** A placed step that is being done, with the place it reaches into for this record. */
export interface At<S extends PlacedStep = PlacedStep> extends Doing<S> {
  readonly place: Place;
}

/**
 * Where a step reaches: its place as chosen, or with one choice worked out for this record. A
 * text says why it can't be told; null when no place is chosen.
 */
export function placeHere({ step, scope, evaluation }: Doing<PlacedStep>): Place | string | null {
  const { target } = step;
  if (!target || step.kind !== 'write' || !step.placeBy) return target;
  const value = evaluateFormula(step.placeBy, scope, evaluation);
  if (value instanceof FormulaError) return value.message;
  const name = toText(toValue(value)).trim();
  if (name === '') return 'The formula for the place gives an empty text.';
  const part = partByFormula(step, target);
  return { ...target, path: withPart(target.path, part, name), labels: withPart(target.labels, part, name) };
}

/** Which choice of a write's place is worked out for each record. */
export const partByFormula = ({ placePart }: Pick<WriteStep, 'placePart'>, { path }: Place): number =>
  Math.min(placePart ?? path.length, path.length - 1);

/** Choices with another name at one place. A CSV file's one tab is called after it, and goes with it. */
function withPart(choices: readonly string[], part: number, name: string): string[] {
  const tab = /^(.+)\.csv$/i.exec(choices[part] ?? '')?.[1];
  return choices.map((one, at) => {
    if (at === part) return name;
    return at === part + 1 && one === tab ? name.replace(/\.csv$/i, '') : one;
  });
}

/** The place as effects name it. */
export const targetOf = ({ place, step }: Pick<At, 'place' | 'step'>): Target => ({
  connection: place.connection,
  path: place.path,
  recordType: place.described.name,
  ...(step.kind === 'write' && step.placeBy && step.makesPlace && step.target && { likeLast: step.target.path }),
});
