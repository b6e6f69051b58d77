import type { Field } from '../../values/field.ts';
import type { PlacedStep } from '../schemas.ts';

/** Whether a step only changes what is there: what isn't found is gone on without, or leaves the record out. */
const onlyChanges = (step: PlacedStep): boolean =>
  step.kind === 'write' && step.ladder !== undefined && ['empty', 'leave_out'].includes(step.ladder.atNone);

/** The same array for the same fields, so that what is prepared of them is kept. */
const optional = new WeakMap<readonly Field[], readonly Field[]>();

/** The fields of a step's place: none has to be filled where nothing new is ever made. */
export function fieldsToFill(step: PlacedStep, fields: readonly Field[]): readonly Field[] {
  if (!onlyChanges(step)) return fields;
  const known = optional.get(fields);
  if (known) return known;
  const made = fields.map((field): Field => ({ ...field, required: undefined }));
  optional.set(fields, made);
  return made;
}
