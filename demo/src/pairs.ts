import { type CopyEnd, type Field, formatPointer, type JsonRecord } from '@golden/core';
import { demoCustomers } from './customers.ts';
import { listColumns } from './workbooks.ts';

/** Two places of the demo with what a person would map between them: destination to source fields. */
export interface LabelledPair {
  readonly name: string;
  readonly from: Pick<CopyEnd, 'records'> & { readonly fields: readonly Field[] };
  readonly to: Pick<CopyEnd, 'records'> & { readonly fields: readonly Field[] };
  /** By the destination's label: the labels of the source fields that belong there, in order. */
  readonly right: Readonly<Record<string, readonly string[]>>;
}

const field = (label: string, more: Partial<Field> = {}): Field => ({
  path: formatPointer([label]),
  label,
  type: 'text',
  ...more,
});
const nested = (path: string, more: Partial<Field> = {}): Field => ({
  path,
  label: path.slice(1).replaceAll('/', ' · ').replaceAll('_', ' '),
  type: 'text',
  ...more,
});

/** The shop's fields as its OpenAPI document describes them. */
const shopFields: readonly Field[] = [
  nested('/id', { type: 'id', readOnly: true, idOf: 'customers' }),
  nested('/first_name'),
  nested('/last_name'),
  nested('/company'),
  nested('/email', { type: 'email' }),
  nested('/phone', { type: 'phone' }),
  nested('/account_type', { type: 'choice' }),
  nested('/vat_number'),
  nested('/address/street'),
  nested('/address/city'),
  nested('/address/postcode'),
  nested('/address/country', { type: 'country' }),
  nested('/newsletter', { type: 'boolean' }),
  nested('/created_at', { type: 'instant', readOnly: true }),
  nested('/updated_at', { type: 'instant', readOnly: true }),
];

const moment = '2026-11-23T12:00:00.000Z';

function customers(count: number): JsonRecord[] {
  return demoCustomers(count, moment).map(({ input, createdAt, updatedAt }, at) => ({
    id: 10_001 + at,
    ...(input as unknown as JsonRecord),
    created_at: createdAt,
    updated_at: updatedAt,
  }));
}

/** The demo's pairs of places, labelled by hand. The Ledger's names are those of UBL, with no records yet. */
export function labelledPairs(): LabelledPair[] {
  const shop = customers(200);
  const rows = shop.slice(0, 120).map(
    (one): JsonRecord => ({
      Number: String(one['id']),
      Name: [one['first_name'], one['last_name']].filter(Boolean).join(' '),
      Company: one['company'] ?? null,
      'E-mail': String(one['email'] ?? '').toLowerCase() || null,
      Phone: one['phone'] ?? null,
      Since: String(one['created_at']).slice(0, 10),
      Account: one['account_type'] ?? null,
    }),
  );
  const enquiries: JsonRecord[] = [
    { Name: 'Earth, Fire & Sons', 'E-mail': 'office@clay.example', Postcode: 'ZZ4 2BD' },
    { Name: 'Zoë Ó Briain', 'E-mail': 'zoe@obriain.example', Postcode: '00420' },
  ];
  const whole = ['first name', 'last name'];
  return [
    {
      name: 'shop customers → customer list',
      from: { records: shop, fields: shopFields },
      to: {
        records: rows,
        fields: listColumns.map((label) => field(label, label === 'Since' ? { type: 'date' } : {})),
      },
      right: {
        Number: ['id'],
        Name: whole,
        Company: ['company'],
        'E-mail': ['email'],
        Phone: ['phone'],
        Street: ['address · street'],
        Postcode: ['address · postcode'],
        Country: ['address · country'],
        Account: ['account type'],
        Since: ['created at'],
        Note: [],
      },
    },
    {
      name: 'shop customers → trade accounts',
      from: { records: shop, fields: shopFields },
      to: {
        records: [],
        fields: ['Number', 'Company', 'Name', 'E-mail', 'Tax number', 'Seen'].map((label) =>
          field(label, { type: 'any' }),
        ),
      },
      right: {
        Number: ['id'],
        Company: ['company'],
        Name: whole,
        'E-mail': ['email'],
        'Tax number': ['vat number'],
        Seen: [],
      },
    },
    {
      name: 'open-day enquiries → open-day tab',
      from: { records: enquiries, fields: ['Name', 'E-mail', 'Postcode'].map((label) => field(label)) },
      to: {
        records: [{ Name: 'Tamsin Wheelwright', 'E-mail': 'tamsin@studio.example', 'Seen on': '2026-03-14' }],
        fields: [field('Name'), field('E-mail'), field('Kiln wanted'), field('Seen on', { type: 'date' })],
      },
      right: { Name: ['Name'], 'E-mail': ['E-mail'], 'Kiln wanted': [], 'Seen on': [] },
    },
    {
      name: 'shop customers → a ledger with the names of UBL',
      from: { records: shop, fields: shopFields },
      to: {
        records: [],
        fields: [
          field('name', { maxLength: 100, required: true }),
          field('electronicMail', { type: 'email' }),
          field('telephone', { type: 'phone' }),
          field('registrationName', { maxLength: 80 }),
          field('taxSchemeId'),
          field('streetName', { maxLength: 60 }),
          field('cityName'),
          field('postalZone', { maxLength: 12 }),
          field('countryCode', { type: 'country' }),
          field('note'),
        ],
      },
      right: {
        name: whole,
        electronicMail: ['email'],
        telephone: ['phone'],
        registrationName: ['company'],
        taxSchemeId: ['vat number'],
        streetName: ['address · street'],
        cityName: ['address · city'],
        postalZone: ['address · postcode'],
        countryCode: ['address · country'],
        note: [],
      },
    },
  ];
}
