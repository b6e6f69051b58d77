import fc from 'fast-check';
import { aField } from '../testing/workflows.ts';
import type { Field } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
import { chooseAwkward } from './awkward.ts';
import { conceptOf, nameLikeness, nameWords } from './concepts.ts';
import { profileField, profileFields } from './profile.ts';
import { suggestKey, suggestMapping, suggestSources } from './suggest.ts';

const customers: JsonRecord[] = Array.from({ length: 40 }, (_, at) => ({
  id: 10001 + at,
  first_name: at === 3 ? ' Zoë ' : `Ada${at}`,
  last_name: 'Nair',
  email: at === 5 ? null : `ada${at === 7 ? 6 : at}@clay.example`,
  phone: at % 8 === 0 ? null : '01632 960 771',
  account_type: at % 3 === 0 ? 'trade' : 'hobby',
  address: { postcode: at === 2 ? 'zz4 2bd' : 'ZZ4 2BD', country: 'GB' },
  created_at: '2026-03-04T09:00:00Z',
}));

const shopFields: Field[] = [
  aField('/id', { type: 'id', readOnly: true, idOf: 'customers' }),
  aField('/first_name', { label: 'first name' }),
  aField('/last_name', { label: 'last name' }),
  aField('/email', { type: 'email' }),
  aField('/phone', { type: 'phone' }),
  aField('/account_type', { label: 'account type', type: 'choice' }),
  aField('/address/postcode', { label: 'address · postcode' }),
  aField('/address/country', { label: 'address · country', type: 'country' }),
  aField('/created_at', { label: 'created at', type: 'instant' }),
];

const listFields = ['Number', 'Name', 'E-mail', 'Telephone', 'Post code', 'Account', 'Since', 'Note'].map((name) =>
  aField(`/${name}`, { type: name === 'Since' ? 'date' : 'text' }),
);

describe('the profile of a field', () => {
  const of = (path: string) => profileField(customers, shopFields.find((field) => field.path === path) as Field);

  test('shares, frequent values with counts, examples and the longest are those of the samples', () => {
    const type = of('/account_type');
    expect(type.filled).toBe(1);
    expect(type.distinct).toBeCloseTo(2 / 40);
    expect(type.frequent).toEqual([
      { value: 'hobby', count: 26 },
      { value: 'trade', count: 14 },
    ]);
    const email = of('/email');
    expect(email.filled).toBeCloseTo(39 / 40);
    expect(email.distinct).toBeCloseTo(38 / 39);
    expect(email.examples).toHaveLength(3);
  });

  test('what is fit to identify a record: an id is, an e-mail nearly, a country is not', () => {
    expect(of('/id').fitness).toBe('fit');
    expect(of('/email').fitness).toBe('weak');
    expect(of('/address/country').fitness).toBe('unfit');
    expect(of('/created_at').fitness).toBe('unfit');
    // Common practice: names are not identifiers, also where no two of the samples share one.
    const names = customers.map((_, at) => ({ surname: `Nair ${at}` }));
    expect(profileField(names, aField('/surname')).fitness).toBe('unfit');
  });

  test('text columns are told by their values; 00420 is a code, not a number', () => {
    const look = (values: string[]) =>
      profileField(
        values.map((a) => ({ a })),
        aField('/a'),
      ).looksLike;
    expect(look(['a@b.example', 'c@d.example'])).toBe('email');
    expect(look(['2026-03-04', '2026-12-31'])).toBe('date');
    expect(look(['12', '7', '0'])).toBe('integer');
    expect(look(['00420', '00421'])).toBe('text');
    expect(look(['+44 1632 960771', '01632 960 772'])).toBe('phone');
  });

  test('text that the source cut short is told: a preview by name, values that stop at one length', () => {
    const cut = (label: string, values: string[]) =>
      profileField(
        values.map((a) => ({ a })),
        aField('/a', { label }),
      ).isCutShort;
    expect(cut('message preview', ['short'])).toBe(true);
    expect(cut('message', ['x'.repeat(60), 'y'.repeat(60), 'z'.repeat(60), 'hello'])).toBe(true);
    expect(cut('message', ['x'.repeat(60), 'y'.repeat(52), 'hello'])).toBe(false);
    expect(cut('postcode', ['ZZ4 2BD', 'ZZ4 2BE', 'ZZ4 2BF'])).toBe(false);
  });

  test('shares stay between 0 and 1 and counts add up, whatever the records hold', () => {
    const values = fc.array(fc.record({ a: fc.oneof(fc.string(), fc.integer(), fc.boolean(), fc.constant(null)) }));
    fc.assert(
      fc.property(values, (records) => {
        const [profile] = profileFields(records as JsonRecord[], [aField('/a')]);
        if (!profile) throw new Error('one field gives one profile');
        expect(profile.filled).toBeGreaterThanOrEqual(0);
        expect(profile.filled).toBeLessThanOrEqual(1);
        expect(profile.distinct).toBeLessThanOrEqual(1);
        const counted = profile.frequent.reduce((sum, one) => sum + one.count, 0);
        expect(counted).toBeLessThanOrEqual(Math.round(profile.filled * records.length));
      }),
      { seed: 3, numRuns: 100 },
    );
  });
});

describe('names', () => {
  test.each([
    ['electronicMail', 'e-mail'],
    ['E-mail address', 'e-mail'],
    ['postalZone', 'postcode'],
    ['address · post code', 'postcode'],
    ['Customer name', 'name'],
    ['registrationName', 'company'],
    ['Kiln wanted', undefined],
    ['Telefon', 'phone'],
    ['Tel.-Nr.', 'phone'],
    ['Straße', 'street'],
    ['STRASSE', 'street'],
    ['PLZ', 'postcode'],
    ['Ort', 'city'],
    ['Firma', 'company'],
    ['Rechnungsnr.', 'number'],
    ['Vorname', 'first name'],
    ['USt-IdNr.', 'tax number'],
    ['téléphone', 'phone'],
    ['raison sociale', 'company'],
    ['nom de famille', 'last name'],
    ['código postal', 'postcode'],
    ['Correo electrónico', 'e-mail'],
    ['apellidos', 'last name'],
    ['partita IVA', 'tax number'],
    ['cognome', 'last name'],
    ['CAP', 'postcode'],
    ['telemóvel', 'phone'],
    ['voornaam', 'first name'],
    ['btw-nummer', 'tax number'],
    ['imię', 'first name'],
    ['kod pocztowy', 'postcode'],
    ['förnamn', 'first name'],
    ['postnummer', 'postcode'],
    ['efternavn', 'last name'],
    ['Menge', 'quantity'],
    ['prix unitaire', 'price'],
    ['Geburtsdatum', 'birthday'],
  ])('“%s” is about %s', (label, concept) => {
    expect(conceptOf(label)).toBe(concept);
  });

  test('words are taken apart at capitals, signs and accents', () => {
    expect(nameWords('taxSchemeId')).toEqual(['tax', 'scheme', 'id']);
    expect(nameWords('Prénom_du client')).toEqual(['prenom', 'du', 'client']);
  });

  // Dice's example pair is from memory: night/nacht share one of their four pairs each, 0.25.
  test('likeness is the Sørensen–Dice coefficient of letter pairs', () => {
    expect(nameLikeness('night', 'nacht')).toBeCloseTo(0.25);
    expect(nameLikeness('Net price', 'Net prices')).toBeGreaterThan(0.9);
    expect(nameLikeness('Phone', 'Kiln')).toBeLessThan(0.3);
  });
});

describe('proposals', () => {
  const sources = suggestSources(customers, shopFields, 'start');
  const suggestions = suggestMapping(sources, listFields, []);
  const of = (path: string) => suggestions.find((one) => one.path === path);

  test('each destination field gets the source field that means the same, with its reason', () => {
    const refs = Object.fromEntries(
      suggestions.map(({ path, filling }) => [
        path,
        filling.kind === 'field'
          ? filling.ref.path
          : filling.kind === 'text' &&
            filling.parts.map((part) => (part.kind === 'field' ? part.ref.path : part.text)).join(''),
      ]),
    );
    expect(refs).toEqual({
      '/Number': '/id',
      '/Name': '/first_name /last_name',
      '/E-mail': '/email',
      '/Telephone': '/phone',
      '/Post code': '/address/postcode',
      '/Account': '/account_type',
      '/Since': '/created_at',
    });
    for (const one of suggestions) expect(one.reason).not.toBe('');
    expect(of('/Note')).toBeUndefined();
  });

  test('tidies come where the values call for them', () => {
    expect(of('/E-mail')?.filling).toMatchObject({ tidies: [{ kind: 'lower' }] });
    expect(of('/Telephone')?.filling).toMatchObject({ tidies: [{ kind: 'phone' }] });
    expect(of('/Since')?.filling).toMatchObject({ tidies: [{ kind: 'date' }] });
    expect(of('/Post code')?.filling).toMatchObject({ tidies: [{ kind: 'upper' }] });
  });

  test('values that stand on both sides speak for a pair whose names say nothing', () => {
    const there = customers.map((one) => ({ Reference: String(one['email'] ?? '') }));
    const [found] = suggestMapping(
      suggestSources(customers, [aField('/email', { label: 'login' })], 'start'),
      [aField('/Reference', { label: 'Where to' })],
      there.map((one) => ({ Reference: one.Reference })),
    );
    expect(found?.filling).toMatchObject({ kind: 'field', ref: { path: '/email' } });
  });

  test('the key is the app’s own id, else what tells the samples apart, else nothing', () => {
    expect(suggestKey(suggestions, sources, listFields, undefined)?.path).toBe('/Number');
    expect(suggestKey(suggestions, sources, listFields, ['/E-mail'])?.path).toBe('/E-mail');
    expect(suggestKey(suggestions, sources, listFields, ['/Account'])).toBeUndefined();
  });

  test('a few samples that all differ say nothing of what tells records apart, unless the name does; amounts never do', () => {
    const keyOf = (count: number, ...names: string[]) => {
      const records = Array.from({ length: count }, (_, at) =>
        Object.fromEntries(names.map((name) => [name, `${at}7`])),
      );
      const fields = names.map((name) => aField(`/${name}`, { label: name, type: 'text' }));
      const known = suggestSources(records, fields, 'start');
      return suggestKey(suggestMapping(known, fields, []), known, fields, undefined)?.path;
    };
    expect(keyOf(2, 'About')).toBeUndefined();
    expect(keyOf(30, 'About')).toBe('/About');
    expect(keyOf(2, 'About', 'Order number')).toBe('/Order number');
    expect(keyOf(30, 'Total', 'Note')).toBeUndefined();
  });

  test('nothing is proposed between fields that have nothing to do with each other', () => {
    const other = suggestMapping(sources, [aField('/Kiln wanted'), aField('/Firing cone', { type: 'integer' })], []);
    expect(other).toEqual([]);
  });
});

describe('names, numbers and words of the trade', () => {
  /** What each destination field would be filled with, as `path` or `path + path`. */
  const proposed = (records: readonly JsonRecord[], from: readonly Field[], to: readonly Field[], singular?: string) =>
    Object.fromEntries(
      suggestMapping(suggestSources(records, from, 'start'), to, [], undefined, singular).map(({ path, filling }) => [
        path,
        filling.kind === 'field'
          ? filling.ref.path
          : filling.kind === 'formula'
            ? filling.text
            : filling.kind === 'text'
              ? filling.parts.map((part) => (part.kind === 'field' ? part.ref.path : part.text)).join('')
              : filling.kind,
      ]),
    );
  const many = (one: (at: number) => JsonRecord): JsonRecord[] => Array.from({ length: 30 }, (_, at) => one(at));
  const named = (...labels: string[]): Field[] => labels.map((label) => aField(`/${label}`, { type: 'any' }));

  test('a name that differs in each record is none of a few people; a state in other words may be, by a table', () => {
    const fields = [
      aField('/sender', { label: 'sender’s name' }),
      aField('/lines/Name', { label: 'Name' }),
      aField('/status'),
    ];
    const records = Array.from({ length: 9 }, (_, at) => ({
      sender: `Ada ${at}`,
      status: at % 2 ? 'is paid' : 'is open',
    }));
    const choice = (path: string, ...values: string[]) =>
      aField(path, { type: 'choice', options: values.map((value) => ({ value, label: value })) });
    const people = ['Mira Holm', 'Tomasz Wrona'];
    const targets = [choice('/name', ...people), choice('/person', ...people), choice('/status', 'Paid', 'Open')];
    const made = suggestMapping(suggestSources(records, fields, 'start'), targets, []);
    expect(made.map(({ path }) => path)).toEqual(['/status']);
  });

  test('the number that people know a record by stands before the app’s own id, which numbers nothing else', () => {
    const id = aField('/id', { type: 'id', readOnly: true, idOf: 'invoices' });
    const number = aField('/invoiceNumber', { unique: true });
    const records = many((at) => ({ id: 8001 + at, invoiceNumber: `T-${at}` }));
    const wanted = named('Invoice no.', 'Order no.');
    expect(proposed(records, [id, number], wanted, 'invoice')).toEqual({ '/Invoice no.': '/invoiceNumber' });
    // Without such a number its own id is one, for its own records only.
    expect(proposed(records, [id], wanted, 'invoice')).toEqual({ '/Invoice no.': '/id' });
  });

  test('the id of another record is never copied into its name', () => {
    const company = aField('/company', { type: 'id', idOf: 'companies' });
    expect(
      proposed(
        many((at) => ({ company: 2001 + at })),
        [company],
        named('Company'),
        'person',
      ),
    ).toEqual({});
  });

  test('a name that may be a firm’s or a person’s is the firm’s where there is one', () => {
    const from = ['/company', '/first_name', '/last_name'].map((path) => aField(path));
    const records = many((at) => ({
      company: at % 2 ? 'Kiln & Co.' : null,
      first_name: 'Ada',
      last_name: `Nair ${at}`,
    }));
    expect(proposed(records, from, named('name', 'contactName'))).toEqual({
      '/name': 'IFEMPTY(TRIM(company); TRIM(first_name & " " & last_name))',
      '/contactName': '/first_name /last_name',
    });
    // Where the firm has a place of its own, the name is the person's.
    expect(proposed(records, from, named('name', 'company'))).toEqual({
      '/name': '/first_name /last_name',
      '/company': '/company',
    });
  });

  test('a title that has to be there says what it is with its number; one that needn’t is left alone', () => {
    const from = [aField('/number', { unique: true })];
    const records = many((at) => ({ number: `S-${at}` }));
    const title = (required: boolean) => [aField('/title', { required })];
    expect(proposed(records, from, title(true), 'order')).toEqual({ '/title': 'Order /number' });
    expect(proposed(records, from, title(false), 'order')).toEqual({});
  });

  test('“Refunded on” is the day on which a refund was added, and says nothing of an order', () => {
    const from = [aField('/created_at', { label: 'created at', type: 'instant' })];
    const records = many(() => ({ created_at: '2026-03-04T09:00:00Z' }));
    expect(proposed(records, from, named('Refunded on'), 'refund')).toEqual({ '/Refunded on': '/created_at' });
    expect(proposed(records, from, named('Refunded on'), 'order')).toEqual({});
  });

  test('what has always been empty is proposed for a field of its own name only', () => {
    const from = [aField('/fax'), aField('/telephone')];
    const records = many(() => ({ fax: null, telephone: null }));
    expect(proposed(records, from, named('fax', 'Phone'))).toEqual({ '/fax': '/fax' });
  });

  test('yes and no in any of the languages fill a yes or no', () => {
    const newsletter = [aField('/mayBeMailed', { type: 'boolean' })];
    for (const [one, other] of [
      ['ja', 'nein'],
      ['oui', 'non'],
      ['sí', 'no'],
      ['tak', 'nie'],
    ]) {
      const records = many((at) => ({ Newsletter: (at % 3 ? one : other) ?? '' }));
      expect(proposed(records, [aField('/Newsletter')], newsletter)).toEqual({ '/mayBeMailed': '/Newsletter' });
    }
  });
});

describe('awkward samples', () => {
  test('two that share an e-mail address are told as alike, and stand on the sheet', () => {
    const chosen = chooseAwkward(customers, (one) => one, shopFields, 8);
    expect(chosen.some((one) => one.why.includes('two alike') && /ada6@/.test(String(one.sample['email'])))).toBe(true);
    expect(chosen.at(-1)?.why).toBe('typical');
  });
});
