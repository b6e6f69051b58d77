import type { Card } from '@golden/standins';
import { DateTime } from 'luxon';
import type { DemoCustomer } from './customers.ts';

/** A card of the demo with the instants of its record, and which shop customer it truly is. */
export interface DemoCard {
  readonly content: Card;
  readonly createdAt: string;
  /** The place of the shop customer among all; undefined for somebody the shop doesn't know. */
  readonly truth?: number;
}

/** The cards of the demo, by record type, in the order they were made. */
export interface DemoCards {
  readonly companies: readonly DemoCard[];
  readonly people: readonly DemoCard[];
  readonly leads: readonly DemoCard[];
  readonly deals: readonly DemoCard[];
}

const card = (type: string, attributes: Card['attributes'], relationships: Card['relationships'] = {}): Card => ({
  type,
  attributes,
  relationships,
  archived: false,
  mergedInto: null,
});

/** First names as people shorten them; common practice. */
const short: Readonly<Record<string, string>> = {
  Elizabeth: 'Liz',
  Katherine: 'Kate',
  Michael: 'Mike',
  Robert: 'Rob',
  Thomas: 'Tom',
  William: 'Will',
  Jennifer: 'Jen',
  Christopher: 'Chris',
};

const trimmed = (text: string | null): string | null => text?.trim().replace(/\s+/g, ' ') || null;
const slip = (text: string | null): string | null =>
  text && text.length > 4 ? text.slice(0, 2) + text.slice(3, 4) + text.slice(2, 3) + text.slice(4) : text;

/** The number that the Card index gives to the first record of a type. */
export const firstCompany = 2001;
/** The number that the Card index gives to the first person. */
export const firstPerson = 4001;

/**
 * The customer database as the people in sales keep it: about half of the shop's people and all of
 * its firms, spelt as they were heard, some twice, and people whom the shop never met.
 */
export function demoCards(customers: readonly DemoCustomer[], now: string): DemoCards {
  const firms = [...new Set(customers.flatMap(({ input }) => trimmed(input.company) ?? []))];
  const companies = firms.map((name, at): DemoCard => {
    const one = customers.find(({ input }) => trimmed(input.company) === name);
    return {
      createdAt: one?.createdAt ?? now,
      content: card('companies', {
        name: at % 3 === 0 ? name.replace(' & ', ' and ') : at % 3 === 1 ? name.replace(/ (Ltd|GmbH|AB)$/, '') : name,
        email: at % 4 === 0 ? null : `office@${name.toLowerCase().replace(/[^a-z]/g, '')}.example`,
        phone: null,
        street: one?.input.address.street ?? null,
        city: one?.input.address.city ?? null,
        postcode: one?.input.address.postcode ?? null,
        country: one?.input.address.country ?? null,
        taxNumber: null,
      }),
    };
  });
  const people = customers.flatMap((one, at) => personCards(one, at, firms));
  const strangers = ['Alva Strand', 'Bram Okafor', 'Cleo Marsh', 'Dov Lindqvist', 'Esme Holloway'].map(
    (name, at): DemoCard => {
      const [firstName = '', lastName = ''] = name.split(' ');
      return {
        createdAt:
          DateTime.fromISO(now, { zone: 'utc' })
            .minus({ days: 30 - at })
            .toISO() ?? now,
        content: card('people', {
          firstName,
          lastName,
          email: `${firstName}@${lastName}.example`.toLowerCase(),
          phone: `+44 7700 900${410 + at}`,
          country: 'GB',
          mayBeMailed: false,
        }),
      };
    },
  );
  const all = [...people, ...strangers];
  const known = strangers
    .slice(0, 3)
    .map(({ content, createdAt }, at) =>
      lead(
        createdAt,
        `${content.attributes['firstName']} ${content.attributes['lastName']}`,
        { email: content.attributes['email'] ?? null, source: 'open day', note: 'Asked for a kiln of 60 l' },
        { person: String(firstPerson + people.length + at) },
      ),
    );
  const leads = [...known, ...newLeads(customers, now)];
  const deals = all.slice(0, 12).map(
    ({ createdAt }, at): DemoCard => ({
      createdAt,
      content: card(
        'deals',
        {
          title: `Kiln enquiry ${at + 1}`,
          value: `${1480 + at * 120}.00`,
          stage: ['enquiry', 'visit', 'offer', 'won', 'lost'][at % 5],
        },
        { person: String(firstPerson + at), company: null },
      ),
    }),
  );
  return { companies, people: all, leads, deals };
}

const lead = (
  createdAt: string,
  name: string,
  more: Card['attributes'],
  relationships: Card['relationships'] = {},
): DemoCard => ({ createdAt, content: card('leads', { name, wantsNews: true, ...more }, relationships) });

/** Who asked at fairs, open days and on the website: names as they were heard, some twice, not all want news. */
function newLeads(customers: readonly DemoCustomer[], now: string): DemoCard[] {
  const heard: readonly (readonly [name: string, email: string | null, more?: Card['attributes']])[] = [
    ['Ines Quayle', 'ines@quayle.example', { source: 'website' }],
    ['Quayle, Ines', 'Ines@Quayle.example', { source: 'fair' }],
    ['Dr. Anneke van der Meer', 'anneke@vandermeer.example', { companyName: 'Meer Keramiek', source: 'fair' }],
    ['Jürgen Schäfer', 'j.schaefer@ton.example', { companyName: 'Töpferei Schäfer', source: 'fair' }],
    ['Rosa García Iglesias', 'rosa@barro.example', { source: 'website' }],
    ['山田 花子', 'hanako@yaki.example', { source: 'website' }],
    ['M. Yilmaz', 'yilmaz@cini.example', { source: 'phone', wantsNews: false }],
    ['Boyle', null, { phone: '01632 960 455', source: 'phone' }],
    ['Tamsin Wheelwright', 'TAMSIN@studio.example', { source: 'open day' }],
    ['Óskar Leirsson', 'oskar@kiln.example', { source: 'open day', wantsNews: false }],
    ['Priya Nair', 'priya.nair@example.org', { companyName: 'Two Wheels Pottery', source: 'open day' }],
    ['Leaflet stand', null, { note: 'Twelve leaflets taken', source: 'fair', wantsNews: false }],
  ];
  const fromShop = customers
    .filter(({ input }) => input.email && input.first_name && input.last_name)
    .filter((_, at) => at % 40 === 3)
    .map(({ input }): (typeof heard)[number] => [
      `${trimmed(input.first_name)} ${trimmed(input.last_name)}`,
      trimmed(input.email),
      { companyName: trimmed(input.company), source: 'website', wantsNews: input.newsletter },
    ]);
  const all = [...heard, ...fromShop];
  return all.map(([name, email, more = {}], at) => {
    const days = Math.round((1 - at / all.length) * 40);
    const createdAt = DateTime.fromISO(now, { zone: 'utc' }).minus({ days, hours: 1 }).toISO() ?? now;
    return lead(createdAt, name, { email, ...more });
  });
}

/** The people of sales as they were written down: some without e-mail or telephone, some twice. */
function personCards({ input, createdAt }: DemoCustomer, at: number, firms: readonly string[]): DemoCard[] {
  if (!input.last_name || at % 9 === 4 || at % 5 === 2 || at % 3 === 0) return [];
  const company = firms.indexOf(trimmed(input.company) ?? '');
  const firstName = trimmed(input.first_name);
  const plain = {
    firstName: at % 7 === 1 ? (short[firstName ?? ''] ?? firstName) : firstName,
    lastName: trimmed(input.last_name),
    email: at % 4 === 1 ? null : (trimmed(input.email)?.toLowerCase() ?? null),
    phone: at % 6 === 2 || !/\d{3}/.test(input.phone ?? '') ? null : (input.phone ?? null),
    jobTitle: input.account_type === 'trade' ? 'Buyer' : null,
    mayBeMailed: input.newsletter,
    ...addressOnCard(input.address),
  };
  const relationships = { company: company < 0 ? null : String(firstCompany + company) };
  const first: DemoCard = { createdAt, truth: at, content: card('people', plain, relationships) };
  if (at % 14 !== 1) return [first];
  // Come in a second time, by telephone.
  const again = {
    ...plain,
    firstName: firstName?.slice(0, 1) ?? null,
    lastName: slip(plain.lastName),
    email: null,
    jobTitle: null,
  };
  const later = DateTime.fromISO(createdAt, { zone: 'utc' }).plus({ days: 3 }).toISO() ?? createdAt;
  return [first, { createdAt: later, truth: at, content: card('people', again) }];
}

const addressOnCard = ({ street, city, postcode, country }: DemoCustomer['input']['address']) => ({
  street: street?.replace(/\bStreet\b/, 'St').replace(/\bRoad\b/, 'Rd') ?? null,
  city,
  postcode,
  country,
});
