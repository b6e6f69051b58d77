import type { Field } from '../values/field.ts';
import { nest, writePointer } from '../values/pointer.ts';
import type { JsonRecord } from '../values/value.ts';
import type { PlannedWrite } from './plan.ts';

/** The id that a record has that nobody has made yet: on the sheet and in a rehearsal. */
export const assumedId = 'given by the app';

/** The record that a create would make, as far as it is known: what is sent, and an id that the app will give. */
export function assumedRecord(write: PlannedWrite, fields: readonly Field[], id = assumedId): JsonRecord {
  const idField = fields.find((field) => field.type === 'id' && field.readOnly);
  const record = nest(write.values);
  return idField ? writePointer(record, idField.path, id) : record;
}
