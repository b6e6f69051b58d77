import { type Field, type FieldType, type JsonRecord, readPointer, toText } from '@golden/core';
import ICAL from 'ical.js';
import type { DocumentMaker } from '../maker.ts';

const one = (path: string, label: string, type: FieldType = 'text'): Field => ({ path, label, type });

const fields: readonly Field[] = [
  one('/name', 'name'),
  one('/firstName', 'first name'),
  one('/lastName', 'last name'),
  one('/company', 'company'),
  one('/jobTitle', 'job title'),
  one('/email', 'e-mail', 'email'),
  one('/phone', 'telephone', 'phone'),
  one('/mobile', 'mobile', 'phone'),
  one('/street', 'street'),
  one('/city', 'city'),
  one('/region', 'region'),
  one('/postcode', 'postcode'),
  one('/country', 'country'),
  one('/website', 'website', 'url'),
  one('/birthday', 'birthday', 'date'),
  one('/note', 'note'),
];

/** What a card is called by: RFC 6350 wants a name in each (section 6.2.1). */
function nameOf(text: (path: string) => string): string {
  return text('/name') || [text('/firstName'), text('/lastName')].filter(Boolean).join(' ') || text('/company');
}

const problems = (record: JsonRecord): string[] =>
  nameOf(textsOf(record)) === '' ? ['It has neither a name nor a company.'] : [];

const textsOf =
  (record: JsonRecord) =>
  (path: string): string =>
    toText(readPointer(record, path)).trim();

/** A contact card: vCard 4.0 (RFC 6350). */
export const cardMaker: DocumentMaker = {
  ending: '.vcf',
  fields,
  problemsOf: async (record) => problems(record),
  make: async (record) => ({ bytes: Buffer.from(`${asCard(textsOf(record))}\r\n`), problems: problems(record) }),
};

function asCard(text: (path: string) => string): string {
  const card = new ICAL.Component(['vcard', [], []]);
  const add = (name: string, value: string | string[], parameters: Readonly<Record<string, string>> = {}): void => {
    if ([value].flat().every((part) => part === '')) return;
    // A list stands for what has parts, such as an address, in the order that the format wants.
    const property = new ICAL.Property(name, card);
    for (const [key, parameter] of Object.entries(parameters)) property.setParameter(key, parameter);
    property.setValue(value);
    card.addProperty(property);
  };
  add('version', '4.0');
  add('fn', nameOf(text));
  add('n', [text('/lastName'), text('/firstName'), '', '', '']);
  add('org', text('/company') === '' ? '' : [text('/company')]);
  add('title', text('/jobTitle'));
  add('email', text('/email'));
  add('tel', text('/phone'), { type: 'voice' });
  add('tel', text('/mobile'), { type: 'cell' });
  add('adr', ['', '', text('/street'), text('/city'), text('/region'), text('/postcode'), text('/country')]);
  add('url', text('/website'));
  add('bday', text('/birthday'));
  add('note', text('/note'));
  return card.toString();
}
