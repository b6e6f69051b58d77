import { createHash } from 'node:crypto';
import { isEmpty, type JsonRecord, readPointer, toText } from '@golden/core';
import type { DoorSetting } from './setting.ts';

/** The longest id of a sender that is kept as it is. */
const longest = 200;

/**
 * What makes an event the same as another one: the sender's id of it, as the door is set; undefined where
 * it has none, so that it counts by itself.
 */
export function eventIdOf(
  { eventId }: Pick<DoorSetting, 'eventId'>,
  headers: Readonly<Record<string, string>>,
  record: JsonRecord | undefined,
): string | undefined {
  const said =
    eventId.kind === 'header'
      ? headers[eventId.name]
      : eventId.kind === 'field' && record
        ? textAt(record, eventId.path)
        : undefined;
  const id = said?.trim() ?? '';
  if (id === '') return undefined;
  return id.length <= longest ? id : createHash('sha256').update(id).digest('hex');
}

function textAt(record: JsonRecord, path: string): string {
  const value = readPointer(record, path);
  return isEmpty(value) || typeof value === 'object' ? '' : toText(value ?? null);
}
