import { isRecord, type JsonRecord, type Value } from '@golden/core';

/** What a body says as a record, or why it says none. */
export type BodyReading =
  | { readonly ok: true; readonly record: JsonRecord }
  | { readonly ok: false; readonly message: string };

/** Deeper than any business's event; what is nested deeper is no record. */
const deepest = 32;

/**
 * Reads a body by its media type (RFC 9110, section 8.3): JSON as a record, a list or a single value
 * under the name `value`, and text under the name `text`.
 */
export function readBody(mediaType: string, bytes: Uint8Array): BodyReading {
  const type = (mediaType.split(';')[0] ?? '').trim().toLowerCase();
  if (!isJson(type) && !type.startsWith('text/'))
    return refused(`It is of the kind ${type || '(none is said)'}, which can’t be read as a record.`);
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return refused('Its signs can’t be read: they aren’t UTF-8.');
  }
  if (!isJson(type)) return { ok: true, record: { text } };
  let value: Value;
  try {
    value = JSON.parse(text) as Value;
  } catch {
    return refused('It is no whole JSON: it may have been cut off.');
  }
  if (!isShallow(value, deepest)) return refused(`It is nested more than ${deepest} deep.`);
  return { ok: true, record: isRecord(value) ? value : { value } };
}

const isJson = (type: string): boolean => type === 'application/json' || type.endsWith('+json');

const refused = (message: string): BodyReading => ({ ok: false, message });

function isShallow(value: Value, left: number): boolean {
  if (typeof value !== 'object' || value === null) return true;
  if (left === 0) return false;
  return Object.values(value).every((inner) => isShallow(inner as Value, left - 1));
}
