import { createHash } from 'node:crypto';
import { type Field, type FieldType, type JsonRecord, readPointer, toText } from '@golden/core';
import ICAL from 'ical.js';
import type { DocumentMaker } from '../maker.ts';

const one = (path: string, label: string, type: FieldType = 'text', description?: string): Field => ({
  path,
  label,
  type,
  ...(description !== undefined && { description }),
});

const fields: readonly Field[] = [
  { ...one('/title', 'title'), required: true },
  one('/starts', 'starts', 'instant'),
  one('/ends', 'ends', 'instant'),
  one('/day', 'day', 'date', 'Instead of when it starts: for what takes the whole day'),
  one('/lastDay', 'last day', 'date'),
  one('/place', 'place'),
  one('/description', 'description'),
  one('/website', 'website', 'url'),
  one('/organiser', 'organiser’s e-mail', 'email'),
  one('/id', 'id of the entry', 'text', 'An entry of the same id replaces the one before in a calendar'),
];

type Texts = (path: string) => string;
const textsOf =
  (record: JsonRecord): Texts =>
  (path) =>
    toText(readPointer(record, path)).trim();

const isInstant = (text: string): boolean => /^\d{4}-\d{2}-\d{2}T/.test(text) && !Number.isNaN(Date.parse(text));
const isDay = (text: string): boolean => /^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(Date.parse(text));

function problemsIn(text: Texts): string[] {
  const [starts, ends, day, lastDay] = [text('/starts'), text('/ends'), text('/day'), text('/lastDay')];
  const found: [boolean, string][] = [
    [text('/title') === '', 'It has no title.'],
    [starts === '' && day === '', 'It says neither when it starts nor on which day it is.'],
    [starts !== '' && !isInstant(starts), `“${starts}” is no date and time.`],
    [ends !== '' && !isInstant(ends), `“${ends}” is no date and time.`],
    [day !== '' && !isDay(day), `“${day}” is no date.`],
    [lastDay !== '' && !isDay(lastDay), `“${lastDay}” is no date.`],
    [isInstant(starts) && isInstant(ends) && Date.parse(ends) < Date.parse(starts), 'It ends before it starts.'],
    [isDay(day) && isDay(lastDay) && lastDay < day, 'Its last day comes before its first.'],
  ];
  return found.flatMap(([isSo, message]) => (isSo ? [message] : []));
}

/** An entry of a calendar: iCalendar (RFC 5545). */
export const entryMaker: DocumentMaker = {
  ending: '.ics',
  fields,
  problemsOf: async (record) => problemsIn(textsOf(record)),
  make: async (record) => {
    const text = textsOf(record);
    const problems = problemsIn(text);
    const bytes = problems.length > 0 ? new Uint8Array() : Buffer.from(`${asCalendar(text)}\r\n`);
    return { bytes, problems };
  },
};

function asCalendar(text: Texts): string {
  const calendar = new ICAL.Component(['vcalendar', [], []]);
  calendar.addPropertyWithValue('version', '2.0');
  calendar.addPropertyWithValue('prodid', '-//Golden Relay//Documents//EN');
  const event = new ICAL.Component(['vevent', [], []]);
  const starts = text('/starts');
  event.addPropertyWithValue('uid', uidOf(text));
  // Nothing in it tells when it was made: the same values give the same bytes.
  event.addPropertyWithValue('dtstamp', inUtc(starts === '' ? `${text('/day')}T00:00:00Z` : starts));
  if (starts !== '') {
    event.addPropertyWithValue('dtstart', inUtc(starts));
    if (text('/ends') !== '') event.addPropertyWithValue('dtend', inUtc(text('/ends')));
  } else {
    event.addPropertyWithValue('dtstart', ICAL.Time.fromDateString(text('/day')));
    // The end isn't part of it any more (RFC 5545, section 3.6.1).
    const end = ICAL.Time.fromDateString(text('/lastDay') || text('/day'));
    end.adjust(1, 0, 0, 0);
    event.addPropertyWithValue('dtend', end);
  }
  event.addPropertyWithValue('summary', text('/title'));
  for (const [name, path] of [
    ['location', '/place'],
    ['description', '/description'],
    ['url', '/website'],
  ] as const)
    if (text(path) !== '') event.addPropertyWithValue(name, text(path));
  if (text('/organiser') !== '') event.addPropertyWithValue('organizer', `mailto:${text('/organiser')}`);
  calendar.addSubcomponent(event);
  return calendar.toString();
}

/** The id that was given, or one that is the same for the same entry. */
function uidOf(text: Texts): string {
  const given = text('/id');
  const words = given || fields.map(({ path }) => text(path)).join('\n');
  return `${createHash('sha256').update(words).digest('hex').slice(0, 32)}@golden-relay`;
}

const inUtc = (text: string): ICAL.Time => ICAL.Time.fromJSDate(new Date(text), true);
