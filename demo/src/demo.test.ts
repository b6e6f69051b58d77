import { isReady } from '@golden/core';
import ExcelJS from 'exceljs';
import { parsePhoneNumberFromString } from 'libphonenumber-js';
import { demoCustomers } from './customers.ts';
import { customerList, listColumns, openDayCsv, priceList } from './workbooks.ts';
import { customersOntoTheList } from './workflows.ts';

const now = '2026-11-23T12:00:00.000Z';

test('the same seed gives the same customers, at any size their own', () => {
  expect(demoCustomers(300, now)).toEqual(demoCustomers(300, now));
});

describe('a thousand customers', () => {
  const customers = demoCustomers(1000, now);
  const inputs = customers.map((one) => one.input);

  // RFC 2606: example.com, example.net, example.org and the top-level domain .example.
  test('e-mail domains are only those that RFC 2606 keeps for examples', () => {
    const domains = new Set(inputs.flatMap((one) => one.email?.toLowerCase().split('@')[1] ?? []));
    expect([...domains].filter((domain) => !/(^|\.)example(\.(com|net|org))?$/.test(domain))).toEqual([]);
  });

  // From memory: Ofcom 01632 960xxx and 07700 900xxx, ComReg 020 91x xxxx, PTS 08-465 004 xx, BNetzA 030 23125 xxx.
  test('telephone numbers are only from ranges kept for fiction', () => {
    const kept = /^\+(441632960\d{3}|447700900\d{3}|3532091\d{5}|468465004\d{2}|493023125\d{3})$/;
    for (const { phone, address } of inputs) {
      const number = parsePhoneNumberFromString(phone ?? '', (address.country ?? 'GB') as 'GB');
      if (number?.isPossible()) expect([phone, kept.test(number.number)]).toEqual([phone, true]);
    }
  });

  test('they are awkward on purpose: each kind of trouble occurs', () => {
    const some = (check: (one: (typeof inputs)[number]) => boolean) => inputs.filter(check).length;
    expect(some((one) => one.email === null)).toBeGreaterThan(10);
    expect(some((one) => one.phone === null)).toBeGreaterThan(50);
    expect(some((one) => /[a-z]{3}/.test(one.phone ?? ''))).toBeGreaterThan(3);
    expect(some((one) => one.first_name === null && one.last_name === null)).toBeGreaterThan(5);
    expect(some((one) => /^\s|\s$/.test(one.first_name ?? ''))).toBeGreaterThan(5);
    expect(some((one) => /[^\p{Script=Latin}\p{Script=Common}]/u.test(one.first_name ?? ''))).toBeGreaterThan(3);
    const emails = inputs.flatMap((one) => one.email?.toLowerCase() ?? []);
    expect(emails.length - new Set(emails).size).toBeGreaterThan(5);
  });

  test('they came over half a year, each changed not before it was added and never after now', () => {
    for (const { createdAt, updatedAt } of customers) {
      expect(createdAt <= updatedAt).toBe(true);
      expect(updatedAt <= now).toBe(true);
    }
    expect(Date.parse(now) - Date.parse(customers[0]?.createdAt ?? now)).toBeGreaterThan(150 * 24 * 3600 * 1000);
  });

  test('the customer list holds them with numbers and phones as text and dates as dates', async () => {
    const records = customers
      .slice(0, 20)
      .map((one, at) => ({ id: 10001 + at, ...one.input, created_at: one.createdAt, updated_at: one.updatedAt }));
    const book = new ExcelJS.Workbook();
    await book.xlsx.load((await customerList(records)) as unknown as ArrayBuffer);
    const sheet = book.getWorksheet('Customers');
    const names = (sheet?.getRow(1).values ?? []) as string[];
    expect(names.slice(1)).toEqual(listColumns);
    expect(sheet?.getCell('A2').value).toBe('10001');
    expect(sheet?.getCell('J2').value).toBeInstanceOf(Date);
    expect(sheet?.rowCount).toBe(21);
  });
});

test('the other workbooks keep figures that are no numbers', async () => {
  const book = new ExcelJS.Workbook();
  await book.xlsx.load((await priceList()) as unknown as ArrayBuffer);
  expect(book.getWorksheet('Trade prices')?.getCell('A2').value).toBe('00420');
  expect(openDayCsv().toString()).toContain('"Earth, Fire & Sons"');
});

test('the ready workflow is ready', () => {
  const fields = [
    'id',
    'first_name',
    'last_name',
    'company',
    'email',
    'phone',
    'account_type',
    'created_at',
    'address/street',
    'address/postcode',
    'address/country',
  ];
  const can = { list: true, find: true, create: true, update: true, readBack: true };
  const source = {
    connection: 'a',
    path: ['customers'],
    labels: ['customers'],
    described: {
      name: 'customers',
      singular: 'customer',
      plural: 'customers',
      can,
      created: '/created_at',
      fields: fields.map((name) => ({
        path: `/${name}`,
        label: name,
        type: name === 'id' ? ('id' as const) : ('text' as const),
        ...(name === 'id' && { readOnly: true }),
      })),
    },
  };
  const target = {
    ...source,
    connection: 'b',
    described: {
      ...source.described,
      created: undefined,
      fields: listColumns.map((name) => ({ path: `/${name}`, label: name, type: 'text' as const })),
    },
  };
  expect(isReady(customersOntoTheList(source, target, '2026-11-01'))).toBe(true);
});
