import type { JsonRecord, Value } from '@golden/core';
import type ICAL from 'ical.js';
import { parsedComponents } from './components.ts';
import type { FileRecord } from './file-record.ts';

type Card = InstanceType<typeof ICAL.Component>;
type Property = InstanceType<typeof ICAL.Property>;

/**
 * The contacts of a vCard text (RFC 6350, and versions 2.1 and 3.0 as they are written). Of addresses that
 * come several times the preferred one stands by itself, and all of them in a list.
 *
 * @throws NotPossible where it is broken
 */
export function readCards(name: string, text: string): FileRecord[] {
  return parsedComponents(name, text)
    .filter((card) => card.name === 'vcard')
    .map((card, at) => ({ at: `contact ${at + 1}`, record: recordOf(card) }));
}

function recordOf(card: Card): JsonRecord {
  const text = (property: string): string | null => textOf(preferred(card, property));
  const [family, given, middle, prefix, suffix] = parts(card.getFirstProperty('n'));
  const [organisation, department] = parts(card.getFirstProperty('org'));
  const [, , street, city, region, postcode, country] = parts(preferred(card, 'adr'));
  return {
    id: text('uid'),
    name: text('fn'),
    givenName: given ?? null,
    middleName: middle ?? null,
    familyName: family ?? null,
    title: prefix ?? null,
    suffix: suffix ?? null,
    organisation: organisation ?? null,
    department: department ?? null,
    jobTitle: text('title'),
    email: text('email'),
    phone: withoutScheme(text('tel')),
    street: street ?? null,
    city: city ?? null,
    region: region ?? null,
    postcode: postcode ?? null,
    country: country ?? null,
    website: text('url'),
    birthday: text('bday'),
    note: text('note'),
    emails: all(card, 'email'),
    phones: all(card, 'tel'),
    changed: text('rev'),
  };
}

const withoutScheme = (number: string | null): string | null => number?.replace(/^tel:/i, '') ?? null;

function all(card: Card, property: string): Value {
  return card.getAllProperties(property).map((one) => ({
    value: withoutScheme(textOf(one)),
    kind:
      kindsOf(one)
        .filter((kind) => kind !== 'pref')
        .join(', ') || null,
  }));
}

const kindsOf = (property: Property): string[] =>
  [property.getParameter('type') ?? []].flat().map((kind) => String(kind).toLowerCase());

/** The one that is preferred: by its number (RFC 6350, 5.3), by its kind (RFC 2426), else the first. */
function preferred(card: Card, property: string): Property | null {
  const found = card.getAllProperties(property);
  const rank = (one: Property): number =>
    Number(one.getFirstParameter('pref') ?? (kindsOf(one).includes('pref') ? 1 : 101));
  return [...found].sort((one, other) => rank(one) - rank(other))[0] ?? null;
}

function textOf(property: Property | null): string | null {
  const value = property?.getFirstValue();
  if (value === null || value === undefined) return null;
  const text = (Array.isArray(value) ? value.flat().join(' ') : String(value)).trim();
  return text === '' ? null : text;
}

/** The parts of a value that has several, each without being empty. */
function parts(property: Property | null): (string | undefined)[] {
  const value = property?.getFirstValue() as unknown;
  const list = Array.isArray(value) ? value : [value];
  return list.map((one) => {
    const text = (Array.isArray(one) ? one.join(', ') : String(one ?? '')).trim();
    return text === '' ? undefined : text;
  });
}
