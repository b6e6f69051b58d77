import { z } from 'zod';
import { isRecord, type JsonRecord, type Value } from './value.ts';

/** A place inside a record, written as a JSON Pointer (RFC 6901), such as `/address/city`. */
export type Pointer = string;

/** A JSON Pointer as a document holds it. */
export const PointerSchema = z
  .string()
  .max(1000)
  .regex(/^(?:\/|$)/, 'A field’s path is empty or begins with “/” (RFC 6901).');

/** The text is no JSON Pointer. */
export class PointerError extends Error {
  override readonly name = 'PointerError';
  constructor(readonly pointer: string) {
    super(`“${pointer}” is not a field path: it must be empty or begin with “/” (RFC 6901).`);
  }
}

/**
 * The unescaped reference tokens of a pointer (RFC 6901 section 4).
 * @throws PointerError when the text neither is empty nor begins with a slash
 */
export function parsePointer(pointer: Pointer): readonly string[] {
  const known = parsed.get(pointer);
  if (known) return known;
  if (pointer !== '' && !pointer.startsWith('/')) throw new PointerError(pointer);
  const tokens = pointer === '' ? [] : pointer.slice(1).split('/').map(unescapeToken);
  if (parsed.size >= mostParsed) parsed.clear();
  parsed.set(pointer, tokens);
  return tokens;
}

/** The same few pointers are read for every record; taking them apart once is most of the work. */
const parsed = new Map<Pointer, readonly string[]>();
const mostParsed = 5000;

const unescapeToken = (token: string): string => token.replaceAll('~1', '/').replaceAll('~0', '~');

/** The pointer made of these tokens, each escaped (RFC 6901 section 3). */
export function formatPointer(tokens: readonly string[]): Pointer {
  return tokens.map((token) => `/${token.replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');
}

/** The value at the pointer, or undefined where the record has nothing there. */
export function readPointer(record: Value, pointer: Pointer): Value | undefined {
  let here: Value | undefined = record;
  for (const token of parsePointer(pointer)) {
    if (Array.isArray(here)) here = /^(0|[1-9]\d*)$/.test(token) ? here[Number(token)] : undefined;
    else if (isRecord(here)) here = Object.hasOwn(here, token) ? here[token] : undefined;
    else return undefined;
  }
  return here;
}

/** A copy of the record with the value put at the pointer; nested records on the way are made. */
export function writePointer(record: JsonRecord, pointer: Pointer, value: Value): JsonRecord {
  const [first, ...rest] = parsePointer(pointer);
  if (first === undefined) return isRecord(value) ? value : record;
  if (rest.length === 0) return { ...record, [first]: value };
  const inner = record[first];
  return { ...record, [first]: writePointer(isRecord(inner) ? inner : {}, formatPointer(rest), value) };
}

/** The nested record that a flat map of pointers describes. */
export function nest(values: Readonly<Record<Pointer, Value>>): JsonRecord {
  return Object.entries(values).reduce<JsonRecord>(
    (record, [pointer, value]) => writePointer(record, pointer, value),
    {},
  );
}

/** A pointer as a person reads it: `address · city`. */
export function pointerLabel(pointer: Pointer): string {
  return parsePointer(pointer).join(' · ').replaceAll('_', ' ');
}
