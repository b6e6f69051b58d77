import { en, en_GB, Faker } from '@faker-js/faker';
import {
  emptyContent,
  type Filling,
  type LinesFilling,
  type Place,
  type Ref,
  type WorkflowContent,
  type WriteStep,
} from '@golden/core';
import {
  fromPence,
  type Item,
  type LedgerCustomer,
  type Order,
  type Product,
  pence,
  totalsOf,
  writePhone,
} from '@golden/standins';
import { DateTime } from 'luxon';
import type { DemoCustomer } from './customers.ts';

const seed = 20260317;

/** What the shop sells: clay, glazes, tools and kilns, with their prices and rates of tax. */
const goods: readonly (readonly [sku: string, name: string, price: string, rate: string])[] = [
  ['CLAY-STW-12', 'Stoneware clay, 12.5 kg', '10.10', '20.00'],
  ['CLAY-PORC-10', 'Porcelain clay, 10 kg', '21.45', '20.00'],
  ['CLAY-TERR-12', 'Terracotta clay, 12.5 kg', '8.75', '20.00'],
  ['GLZ-CEL-500', 'Celadon glaze, 500 ml', '14.20', '20.00'],
  ['GLZ-TMK-500', 'Tenmoku glaze, 500 ml', '13.85', '20.00'],
  ['GLZ-ASH-1L', 'Ash glaze “Quay”, 1 l', '22.00', '20.00'],
  ['TOOL-RIB-W', 'Wooden rib', '3.30', '20.00'],
  ['TOOL-WIRE', 'Cutting wire', '2.15', '20.00'],
  ['TOOL-SET-8', 'Tool set, 8 pieces', '17.99', '20.00'],
  ['BOOK-GLAZE', 'The Glaze Book', '24.00', '0.00'],
  ['BOOK-KILN', 'Firing a Small Kiln', '18.50', '0.00'],
  ['KILN-SM-20', 'Kiln, 20 l, with controller', '1480.00', '20.00'],
  ['SHELF-30', 'Kiln shelf, 30 cm', '27.60', '20.00'],
  ['CONE-06', 'Cones 06, box of 50', '9.95', '20.00'],
];

/** The goods of the merchant, with prices in pounds. */
export function demoProducts(): Product[] {
  return goods.map(([sku, name, price, tax_rate], at) => ({
    sku,
    name,
    price,
    currency: 'GBP',
    tax_rate,
    in_stock: (at * 7) % 40,
    is_active: sku !== 'CLAY-TERR-12',
  }));
}

/** An order of the made-up merchant with the instants of its record. */
export interface DemoOrder {
  readonly content: Order;
  readonly createdAt: string;
  readonly updatedAt: string;
}

/**
 * Orders of the shop's customers over the last weeks, the same for the same customers and moment:
 * with discounts, mixed rates of tax, several currencies, missing e-mails, names that are firms.
 */
export function demoOrders(customers: readonly DemoCustomer[], count: number, now: string): DemoOrder[] {
  const dice = new Faker({ locale: [en_GB, en], seed });
  const products = demoProducts();
  const end = DateTime.fromISO(now, { zone: 'utc' });
  return Array.from({ length: count }, (_, at) => {
    const placed = end.minus({ minutes: Math.round((1 - (at + 1) / count) ** 1.3 * 60 * 24 * 60) + 3 });
    const who = dice.number.int({ min: 0, max: customers.length - 1 });
    const { input } = customers[who] as DemoCustomer;
    const lines = dice.helpers.arrayElements(products, { min: 1, max: 5 }).map((product) => {
      const quantity = product.sku.startsWith('KILN') ? 1 : dice.number.int({ min: 1, max: 9 });
      const discount = dice.helpers.maybe(() => fromPence(Math.round(pence(product.price) * quantity * 0.1)), {
        probability: 0.15,
      });
      return {
        sku: product.sku,
        name: product.name,
        quantity,
        unit_price: product.price,
        discount: discount ?? '0.00',
        tax_rate: product.tax_rate,
      };
    });
    const shipping = dice.helpers.arrayElement(['0.00', '4.95', '4.95', '12.50']);
    const status =
      at > count * 0.93
        ? 'open'
        : dice.helpers.arrayElement(['paid', 'paid', 'sent', 'sent', 'sent', 'cancelled', 'refunded'] as const);
    const name = [input.first_name, input.last_name].filter(Boolean).join(' ').trim();
    const content: Order = {
      number: `S-${20_001 + at}`,
      status,
      customer_id: 10_001 + who,
      customer_name: name || input.company || 'Counter sale',
      email: input.email,
      phone: input.phone,
      company: input.company,
      currency: dice.helpers.maybe(() => 'EUR', { probability: 0.06 }) ?? 'GBP',
      placed_at: placed.toISO() as string,
      paid_at: status === 'open' || status === 'cancelled' ? null : (placed.plus({ hours: 2 }).toISO() as string),
      ship_to: input.address,
      shipping,
      note:
        dice.helpers.maybe(
          () =>
            dice.helpers.arrayElement([
              'Leave with the neighbour at no. 7',
              'School order, PO 4471',
              'Collect on Friday',
            ]),
          { probability: 0.2 },
        ) ?? null,
      ...totalsOf(lines, shipping),
    };
    const created = placed.toISO() as string;
    return { content, createdAt: created, updatedAt: content.paid_at ?? created };
  });
}

/** The Ledger's items: the shop's goods as the bookkeeper calls them. */
export function ledgerItems(): Item[] {
  return demoProducts().map((product) => ({
    company: 'retail',
    name: product.name
      .replace(/, (\d)/, ' $1')
      .toUpperCase()
      .slice(0, 80),
    sellersItemId: product.sku.replaceAll('-', ''),
    priceAmount: pence(product.price),
    currencyCode: 'GBP',
    taxCategory: product.tax_rate === '0.00' ? 'Z' : 'S',
    taxPercent: Number(product.tax_rate),
    reference: null,
  }));
}

/** Some of the shop's people and firms as the bookkeeper wrote them: other order, other spelling, other case. */
export function ledgerCustomers(customers: readonly DemoCustomer[]): { content: LedgerCustomer; createdAt: string }[] {
  return customers.flatMap(({ input, createdAt }, at) => {
    if (at % 4 === 1 || at % 7 === 3) return [];
    const person = [input.last_name, input.first_name]
      .filter(Boolean)
      .map((part) => String(part).trim())
      .join(', ');
    const firm = input.company
      ?.replace(
        /\b(Ltd|GmbH|AB)\b\.?/,
        (form) => ({ Ltd: 'Limited', GmbH: 'G.m.b.H.', AB: 'Aktiebolag' })[form] ?? form,
      )
      .replace(' & ', ' and ');
    const name = firm ?? (at % 3 === 0 ? person : person.toUpperCase());
    if (name.trim() === '') return [];
    return [
      {
        createdAt,
        content: {
          company: input.account_type === 'trade' ? 'trade' : 'retail',
          name: name.slice(0, 100),
          contactName: firm ? person || null : null,
          electronicMail: at % 5 === 0 ? (input.email?.toUpperCase() ?? null) : (input.email?.trim() ?? null),
          telephone: at % 6 === 0 || !input.phone || !/\d{3}/.test(input.phone) ? null : writePhone(input.phone),
          companyId: input.vat_number,
          postalAddress: {
            streetName: input.address.street?.replace(/\bStreet\b/, 'St.').replace(/\bRoad\b/, 'Rd') ?? null,
            cityName: input.address.city?.toUpperCase() ?? null,
            postalZone: input.address.postcode,
            countryCode: input.address.country,
          },
          paymentTermsDays: input.account_type === 'trade' ? 30 : 0,
          reference: null,
        },
      },
    ];
  });
}

const start = (path: string): Ref => ({ step: 'start', path });
const field = (path: string, ...tidies: Extract<Filling, { kind: 'field' }>['tidies']): Filling => ({
  kind: 'field',
  ref: start(path),
  tidies,
});
const fixed = (value: string): Filling => ({ kind: 'fixed', value });
const formula = (text: string, refs: Readonly<Record<string, Ref>>): Filling => ({
  kind: 'formula',
  text,
  refs: { ...refs },
});
const line = (path: string): Ref => ({ step: 'line', path });
const lineField = (path: string): Filling => ({ kind: 'field', ref: line(path), tidies: [] });

const order = {
  'order.lines.line_total': start('/lines/*/line_total'),
  'order.shipping': start('/shipping'),
  'order.total': start('/total'),
  'order.status': start('/status'),
  'order.placed_at': start('/placed_at'),
};
const only = (...names: (keyof typeof order)[]): Record<string, Ref> =>
  Object.fromEntries(names.map((name) => [name, order[name]]));

/** Each order line as an invoice line. */
export const invoiceLines: LinesFilling = {
  kind: 'lines',
  ref: start('/lines'),
  mapping: {
    '/itemName': lineField('/name'),
    '/sellersItemId': formula('SUBSTITUTE(line.sku; "-"; "")', { 'line.sku': line('/sku') }),
    '/invoicedQuantity': lineField('/quantity'),
    '/unitCode': fixed('C62'),
    '/priceAmount': lineField('/unit_price'),
    '/allowanceAmount': lineField('/discount'),
    '/lineExtensionAmount': lineField('/line_total'),
    '/taxCategory': {
      kind: 'options',
      ref: line('/tax_rate'),
      table: [
        { from: '20.00', to: 'S' },
        { from: '5.00', to: 'S' },
        { from: '0.00', to: 'Z' },
      ],
      otherwise: { kind: 'problem' },
    },
    '/taxPercent': lineField('/tax_rate'),
  },
};

/** What an order gives to each field of its invoice; whose it is comes from the step "customer". */
export const invoiceMapping: WriteStep['mapping'] = {
  '/invoiceNumber': field('/number'),
  '/issueDate': field('/placed_at', { kind: 'date' }),
  '/dueDate': formula('DATEVALUE(order.placed_at) + 30', only('order.placed_at')),
  '/currencyCode': field('/currency'),
  '/customerId': { kind: 'field', ref: { step: 'customer', path: '/id' }, tidies: [] },
  '/note': field('/note'),
  '/invoiceLines': invoiceLines,
  '/chargeTotalAmount': field('/shipping'),
  '/chargeTaxCategory': { kind: 'choice', value: 'S' },
  '/chargeTaxPercent': fixed('20'),
  '/lineExtensionAmount': formula('SUM(order.lines.line_total)', only('order.lines.line_total')),
  '/taxExclusiveAmount': formula(
    'SUM(order.lines.line_total) + order.shipping',
    only('order.lines.line_total', 'order.shipping'),
  ),
  '/taxAmount': field('/tax_total'),
  '/taxInclusiveAmount': field('/total'),
  '/prepaidAmount': formula('IF(order.status = "open"; 0; order.total)', only('order.status', 'order.total')),
  '/payableAmount': formula('IF(order.status = "open"; order.total; 0)', only('order.status', 'order.total')),
};

/** Orders of the shop into the Ledger: the customer first, then the invoice that needs the customer's id. */
export function ordersToInvoices(source: Place, customers: Place, invoices: Place): WorkflowContent {
  return {
    ...emptyContent('Shop orders to retail invoices'),
    note: 'An order becomes an invoice with its lines. Who is not in the Ledger yet is added first.',
    start: { source, on: 'added', trigger: { kind: 'every', minutes: 15 }, fromWhen: { kind: 'now' } },
    steps: [
      {
        id: 'sold',
        kind: 'condition',
        condition: {
          kind: 'all',
          items: [
            { kind: 'test', ref: start('/status'), operator: 'is_one_of', values: ['open', 'paid', 'sent'] },
            { kind: 'test', ref: start('/email'), operator: 'is_not_empty', values: [] },
          ],
        },
      },
      {
        id: 'customer',
        kind: 'write',
        target: customers,
        mode: 'create_or_update',
        firstDifference: 'source',
        key: '/electronicMail',
        mapping: {
          '/name': formula('IFEMPTY(order.company; TRIM(order.customer_name))', {
            'order.company': start('/company'),
            'order.customer_name': start('/customer_name'),
          }),
          '/electronicMail': field('/email', { kind: 'trim' }),
        },
      },
      {
        id: 'invoice',
        kind: 'write',
        target: invoices,
        mode: 'create_or_update',
        firstDifference: 'source',
        key: '/invoiceNumber',
        mapping: invoiceMapping,
      },
    ],
  };
}
