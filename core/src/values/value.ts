/**
 * Plain data as it travels between apps: what JSON can say and nothing else.
 * Decimals travel as text, dates as ISO 8601 text, so that nothing is rounded on the way.
 */
export type Value = string | number | boolean | null | readonly Value[] | JsonRecord;

/** A record as an app gives it: named values, possibly nested. */
export interface JsonRecord {
  readonly [name: string]: Value;
}

/** True for a nested record (not a list, not null). */
export function isRecord(value: Value | undefined): value is JsonRecord {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** True when there is nothing to carry: absent, null, or text of white space only. */
export function isEmpty(value: Value | undefined): boolean {
  if (value === undefined || value === null) return true;
  if (typeof value === 'string') return value.trim() === '';
  return Array.isArray(value) && value.length === 0;
}

/**
 * A value as a person reads it in one line. Lists are joined with commas; a nested record
 * becomes its JSON, never "[object Object]".
 */
export function toText(value: Value | undefined): string {
  if (value === undefined || value === null) return '';
  if (typeof value === 'string') return value;
  if (typeof value === 'number' || typeof value === 'boolean') return String(value);
  if (Array.isArray(value)) {
    return value
      .map(toText)
      .filter((text) => text !== '')
      .join(', ');
  }
  return JSON.stringify(value);
}

/**
 * One text for one value, whatever the order of names in nested records. Two values are equal
 * exactly when their canonical texts are.
 */
export function canonicalText(value: Value | undefined): string {
  if (value === undefined || value === null) return 'null';
  if (Array.isArray(value)) return `[${value.map(canonicalText).join(',')}]`;
  if (isRecord(value)) {
    const names = Object.keys(value).sort();
    return `{${names.map((name) => `${JSON.stringify(name)}:${canonicalText(value[name])}`).join(',')}}`;
  }
  return JSON.stringify(value);
}

/** Whether two values are the same as JSON, whatever the order of their parts; what is absent counts as null. */
export const isSameJson = (one: unknown, other: unknown): boolean =>
  one === other || canonicalText((one ?? null) as Value) === canonicalText((other ?? null) as Value);
