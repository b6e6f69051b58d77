import { isRecord, toText, type Value } from './value.ts';

/** A value as a person reads it: lists line by line, records by the names of what is filled in them, yes and no as words. */
export function readableValue(value: Value): string {
  if (Array.isArray(value)) return value.map(readableValue).join('\n');
  if (isRecord(value))
    return Object.entries(value)
      .filter(([, one]) => one !== null && one !== '')
      .map(([name, one]) => `${name}: ${readableValue(one)}`)
      .join(', ');
  if (value === true) return 'yes';
  return value === false ? 'no' : toText(value);
}
