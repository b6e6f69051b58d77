import { formatPointer, type Pointer, parsePointer, readPointer } from './pointer.ts';
import { isRecord, type JsonRecord, type Value } from './value.ts';

/** The token that stands for every item of a list: “/lines/…/quantity” with it is the quantities of all lines. */
export const everyItem = '*';

const hasEvery = new Map<Pointer, boolean>();

/**
 * The value at a pointer in which `*` stands for every item of a list; then it is a list itself.
 * A member that is really called `*` goes before. Undefined where the record has nothing there.
 */
export function readPath(record: Value, path: Pointer): Value | undefined {
  let isList = hasEvery.get(path);
  if (isList === undefined) {
    isList = parsePointer(path).includes(everyItem);
    if (hasEvery.size > 5000) hasEvery.clear();
    hasEvery.set(path, isList);
  }
  return isList ? readEvery(record, parsePointer(path)) : readPointer(record, path);
}

function readEvery(record: Value | undefined, tokens: readonly string[]): Value | undefined {
  const at = tokens.indexOf(everyItem);
  if (at < 0 || record === undefined)
    return record === undefined ? undefined : readPointer(record, formatPointer(tokens));
  const list = at === 0 ? record : readPointer(record, formatPointer(tokens.slice(0, at)));
  const rest = tokens.slice(at + 1);
  if (isRecord(list))
    return Object.hasOwn(list as JsonRecord, everyItem) ? readEvery(list[everyItem], rest) : undefined;
  if (!Array.isArray(list)) return undefined;
  return list.flatMap((item): Value[] => {
    const inner = rest.length === 0 ? item : readEvery(item, rest);
    // An item without the field keeps its place, so that lists stay beside each other.
    return rest.includes(everyItem) && Array.isArray(inner) ? inner : [inner ?? null];
  });
}

/** The pointer of a list that a path goes through, and the rest within one item; undefined for other paths. */
export function splitAtList(path: Pointer): { list: Pointer; item: Pointer } | undefined {
  const tokens = parsePointer(path);
  const at = tokens.indexOf(everyItem);
  if (at < 0) return undefined;
  return { list: formatPointer(tokens.slice(0, at)), item: formatPointer(tokens.slice(at + 1)) };
}
