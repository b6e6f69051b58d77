import type { RecordType } from '../values/field.ts';
import { nest, writePointer } from '../values/pointer.ts';
import type { JsonRecord } from '../values/value.ts';
import type { PlannedWrite } from './plan.ts';

/** The id that a record has that nobody has made yet: on the sheet and in a rehearsal. */
export const assumedId = 'given by the app';

/**
 * The record that a create would make, as far as it is known: what is
 * sent, an id that the app will give, and of a call the example of its answer.
 */
export function assumedRecord(write: PlannedWrite, described: RecordType | undefined, id = assumedId): JsonRecord {
  const idField = described?.fields.find((field) => field.type === 'id' && field.readOnly);
  const record = { ...((described?.example ?? {}) as JsonRecord), ...nest(write.values) };
  return idField ? writePointer(record, idField.path, id) : record;
}
