import { isRecord, readPointer, toText } from '@golden/core';
import type { Subscribed } from '../connector.ts';
import { NotUnderstood } from '../errors.ts';
import type { HttpClient } from '../http/client.ts';
import type { RestDescription } from './description.ts';

/**
 * Asks an app to post at an address what happens to records of one type. What was asked for at the same address
 * before ends: its secret was told once, and nobody has it any more.
 *
 * @throws AppError
 */
export async function subscribeTo(
  http: HttpClient,
  events: NonNullable<RestDescription['events']>,
  { type, place }: { readonly type: string; readonly place: string },
  url: string,
): Promise<Subscribed> {
  const known = readPointer(http.jsonData(await http.read({ method: 'GET', path: events.path })), events.items);
  for (const one of Array.isArray(known) ? known : [])
    if (isRecord(one) && one['url'] === url)
      await http.write({ method: 'DELETE', path: `${events.path}/${toText(readPointer(one, events.id))}` });
  const names = events.names.map((name) => name.replace('{type}', type).replace('{place}', place));
  const made = http.jsonData(await http.write({ method: 'POST', path: events.path, json: { url, events: names } }));
  const secret = toText(readPointer(made, events.secret));
  if (secret === '') throw new NotUnderstood('The app told no secret by which its posts could be known.');
  return { secret, record: events.record, eventId: events.eventId, signature: events.signature };
}
