import type { Field } from '../values/field.ts';
import { readPointer, writePointer } from '../values/pointer.ts';
import { isRecord, type JsonRecord } from '../values/value.ts';

/** A record in which what the mapping leaves out is empty. @param tell - is told the names of what is */
export function completedRecord(
  fields: readonly Field[],
  record: JsonRecord,
  tell: (label: string) => void,
): JsonRecord {
  let whole = record;
  for (const { path, label, type, fields: inner = [] } of fields) {
    const value = readPointer(whole, path);
    if (value === undefined) {
      tell(label);
      whole = writePointer(whole, path, type === 'list' ? [] : '');
    } else if (Array.isArray(value))
      whole = writePointer(
        whole,
        path,
        value.map((item) => (isRecord(item) ? completedRecord(inner, item, (one) => tell(`${label}: ${one}`)) : item)),
      );
  }
  return whole;
}
