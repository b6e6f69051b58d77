import type { JsonRecord, Value } from '@golden/core';
import ICAL from 'ical.js';
import { DateTime } from 'luxon';
import { parsedComponents } from './components.ts';
import type { FileRecord } from './file-record.ts';

/**
 * The events of an iCalendar text (RFC 5545, section 3.6.1), each with its own id, in UTC. One that comes
 * again and again is one record with its rule.
 *
 * @param zone - the IANA zone of times that name none ("floating", section 3.3.5)
 * @throws NotPossible where it is no whole calendar
 */
export function readCalendar(name: string, text: string, zone: string): FileRecord[] {
  const records: FileRecord[] = [];
  for (const calendar of parsedComponents(name, text)) {
    const events = calendar.name === 'vevent' ? [calendar] : calendar.getAllSubcomponents('vevent');
    for (const event of events) records.push({ at: `entry ${records.length + 1}`, record: recordOf(event, zone) });
  }
  return records;
}

function recordOf(event: InstanceType<typeof ICAL.Component>, zone: string): JsonRecord {
  const text = (property: string): string | null => {
    const value = event.getFirstPropertyValue(property);
    return value === null || value === undefined ? null : String(value);
  };
  const start = event.getFirstProperty('dtstart');
  const again = event.getFirstPropertyValue('recurrence-id');
  const uid = text('uid');
  return {
    // A changed occurrence of an event that comes again has its id, and the time at which it would have been.
    id: again === null ? uid : `${uid} ${String(again)}`,
    summary: text('summary'),
    start: timeOf(start, zone),
    end: timeOf(event.getFirstProperty('dtend'), zone),
    wholeDay: (start?.getFirstValue() as { isDate?: boolean } | null)?.isDate === true,
    location: text('location'),
    description: text('description'),
    status: text('status'),
    organiser: withoutScheme(text('organizer')),
    attendees: event.getAllProperties('attendee').map(
      (one): Value => ({
        email: withoutScheme(String(one.getFirstValue())),
        name: (one.getFirstParameter('cn') as string | undefined) ?? null,
        answer: (one.getFirstParameter('partstat') as string | undefined)?.toLowerCase() ?? null,
      }),
    ),
    repeats: text('rrule'),
    url: text('url'),
    changed: timeOf(event.getFirstProperty('last-modified'), zone),
  };
}

const withoutScheme = (address: string | null): string | null => address?.replace(/^mailto:/i, '') ?? null;

/** A day as ISO 8601, a time as an instant in UTC. */
function timeOf(property: InstanceType<typeof ICAL.Property> | null, zone: string): string | null {
  const value = property?.getFirstValue();
  if (!(value instanceof ICAL.Time)) return null;
  if (value.isDate) return value.toString();
  if (value.zone === ICAL.Timezone.utcTimezone) return asInstant(DateTime.fromISO(value.toString(), { zone: 'utc' }));
  const named = property?.getFirstParameter('tzid') as string | undefined;
  if (named === undefined) return asInstant(DateTime.fromISO(value.toString(), { zone }));
  const here = DateTime.fromISO(value.toString(), { zone: named });
  if (here.isValid) return asInstant(here);
  // A zone that only the file itself describes (a VTIMEZONE).
  const described = describedZone(property as InstanceType<typeof ICAL.Property>, named);
  if (!described) return asInstant(DateTime.fromISO(value.toString(), { zone }));
  const { year, month, day, hour, minute, second } = value;
  const local = new ICAL.Time({ year, month, day, hour, minute, second, isDate: false }, described);
  return asInstant(DateTime.fromSeconds(local.toUnixTime()));
}

function describedZone(property: InstanceType<typeof ICAL.Property>, named: string) {
  const above = property.parent?.parent;
  const zones = above?.getAllSubcomponents('vtimezone') ?? [];
  const component = zones.find(
    (one: InstanceType<typeof ICAL.Component>) => one.getFirstPropertyValue('tzid') === named,
  );
  return component && new ICAL.Timezone({ component, tzid: named });
}

const asInstant = (time: DateTime): string | null => time.toUTC().toISO();
