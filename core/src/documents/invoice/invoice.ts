import Decimal from 'decimal.js';
import { readCountry } from '../../values/countries.ts';
import { minorUnits } from '../../values/numbers.ts';
import { readPointer } from '../../values/pointer.ts';
import { isRecord, type JsonRecord, toText, type Value } from '../../values/value.ts';
import { taxCategories } from './fields.ts';

// An invoice as EN 16931 wants it: its amounts are calculated by the rules BR-CO-10 to BR-CO-17, in decimals, each sum
// rounded to two of them, half a cent away from nought.

/** Amounts are decimals with two places, such as `118.80`. */
export type Amount = string;

export interface InvoiceTax {
  readonly category: string;
  /** In per cent, as it is written: `20`, `5.5`; absent for what is not subject to tax. */
  readonly rate: string | undefined;
}

export interface InvoiceParty {
  readonly name: string;
  readonly taxNumber: string;
  readonly registration: string;
  readonly street: string;
  readonly city: string;
  readonly postcode: string;
  readonly country: string;
  readonly email: string;
}

export interface InvoiceLine {
  readonly item: string;
  readonly description: string;
  readonly article: string;
  readonly quantity: string;
  readonly unit: string;
  readonly price: string;
  readonly discount: Amount;
  /** Quantity times price, less the discount (BT-131). */
  readonly net: Amount;
  readonly tax: InvoiceTax;
}

/** What has to be said of one category and rate of tax (BG-23). */
export interface TaxSubtotal extends InvoiceTax {
  readonly taxable: Amount;
  readonly tax: Amount;
}

export interface Invoice {
  readonly number: string;
  readonly issueDate: string;
  readonly dueDate: string;
  readonly currency: string;
  readonly buyerReference: string;
  readonly order: string;
  readonly note: string;
  readonly terms: string;
  readonly iban: string;
  readonly exemption: string;
  readonly seller: InvoiceParty;
  readonly buyer: InvoiceParty;
  readonly lines: readonly InvoiceLine[];
  readonly discount: Amount;
  readonly charge: Amount;
  readonly wholeTax: InvoiceTax;
  readonly taxes: readonly TaxSubtotal[];
  readonly totals: InvoiceTotals;
}

export interface InvoiceTotals {
  /** Of all lines (BT-106). */
  readonly lines: Amount;
  readonly withoutTax: Amount;
  readonly tax: Amount;
  readonly withTax: Amount;
  readonly prepaid: Amount;
  /** What is to be paid (BT-115). */
  readonly due: Amount;
}

/** An invoice with what the rules don't allow in it, in sentences; empty where it may go out. */
export interface ReadInvoice {
  readonly invoice: Invoice;
  readonly problems: readonly string[];
}

/** An invoice of the values of `invoiceFields`. What is missing is empty in it, and told. */
export function readInvoice(record: JsonRecord): ReadInvoice {
  const problems: string[] = [];
  const reading = new Reading(record, '', problems);
  const whole = reading.tax('/wholeTaxCategory', '/wholeTaxRate');
  const given = readPointer(record, '/lines');
  const lines = (Array.isArray(given) ? given : []).map((line, at) => readLine(line, at, problems));
  const [discount, charge] = [reading.amount('/discount', 'discount'), reading.amount('/charge', 'charge')];
  const taxes = taxBreakdown(lines, charge.minus(discount), whole);
  const prepaid = reading.amount('/prepaid', 'amount paid already');
  const totals = totalsOf(lines, taxes, charge.minus(discount), prepaid);
  const invoice: Invoice = {
    number: reading.text('/number'),
    issueDate: reading.text('/issueDate'),
    dueDate: reading.text('/dueDate'),
    currency: reading.text('/currency').toUpperCase(),
    buyerReference: reading.text('/buyerReference'),
    order: reading.text('/order'),
    note: reading.text('/note'),
    terms: reading.text('/terms'),
    iban: reading.text('/iban').replace(/\s/g, ''),
    exemption: reading.text('/exemption'),
    seller: readParty(reading, 'seller'),
    buyer: readParty(reading, 'buyer'),
    lines,
    discount: twoPlaces(discount),
    charge: twoPlaces(charge),
    wholeTax: whole,
    taxes,
    totals,
  };
  const total = reading.text('/total') === '' ? undefined : reading.decimal('/total', 'total with tax');
  if (total && !total.equals(totals.withTax))
    problems.push(`Your books say ${twoPlaces(total)} with tax, and the lines come to ${totals.withTax}.`);
  return { invoice, problems: [...problems, ...brokenRules(invoice)] };
}

/** Reads values of a record or of one of its lines, and tells what can't be read. */
class Reading {
  constructor(
    private readonly record: JsonRecord,
    private readonly where: string,
    private readonly problems: string[],
  ) {}

  text(path: string): string {
    return toText(readPointer(this.record, path)).trim();
  }

  decimal(path: string, name: string): Decimal {
    const text = this.text(path);
    if (text === '') return new Decimal(0);
    if (/^-?\d{1,15}(\.\d{1,10})?$/.test(text)) return new Decimal(text);
    this.problems.push(`${this.where}“${text}” is no ${name}: it has to be a number.`);
    return new Decimal(0);
  }

  /** An amount that may have two decimals at most (BR-DEC). */
  amount(path: string, name: string): Decimal {
    const amount = this.decimal(path, name);
    if (amount.decimalPlaces() > 2)
      this.problems.push(`${this.where}The ${name} ${amount.toFixed()} has more than two decimals.`);
    return amount;
  }

  tax(categoryPath: string, ratePath: string): InvoiceTax {
    const rate = this.decimal(ratePath, 'tax rate').toFixed();
    const category = this.text(categoryPath).toUpperCase() || (rate === '0' ? 'Z' : 'S');
    if (!taxCategories.some(({ value }) => value === category))
      this.problems.push(`${this.where}“${category}” is no tax category.`);
    return { category, rate: category === 'O' ? undefined : rate };
  }
}

function readLine(given: Value, at: number, problems: string[]): InvoiceLine {
  const reading = new Reading(isRecord(given) ? given : {}, `Line ${at + 1}: `, problems);
  const [quantity, price] = [reading.decimal('/quantity', 'quantity'), reading.decimal('/price', 'price')];
  const discount = reading.amount('/discount', 'discount');
  const line = {
    item: reading.text('/item'),
    description: reading.text('/description'),
    article: reading.text('/article'),
    quantity: quantity.toFixed(),
    unit: unitOf(reading.text('/unit')),
    price: price.toFixed(),
    discount: twoPlaces(discount),
    net: twoPlaces(rounded(quantity.times(price)).minus(discount)),
    tax: reading.tax('/taxCategory', '/taxRate'),
  };
  if (!/^[A-Z0-9]{2,3}$/.test(line.unit))
    problems.push(`Line ${at + 1}: “${line.unit}” is no unit: a code of UN/ECE Recommendation 20, KGM or C62.`);
  if (line.item === '') problems.push(`Line ${at + 1}: The item has no name.`);
  if (reading.text('/quantity') === '') problems.push(`Line ${at + 1}: It has no quantity.`);
  if (reading.text('/price') === '') problems.push(`Line ${at + 1}: It has no price.`);
  if (price.isNegative())
    problems.push(
      `Line ${at + 1}: A price can’t be less than nought. Make the quantity negative for what is given back.`,
    );
  return line;
}

/** Words for units that people write (common practice), by their codes of UN/ECE Recommendation 20. */
const units: Readonly<Record<string, string>> = {
  '': 'C62',
  pc: 'H87',
  pcs: 'H87',
  piece: 'H87',
  pieces: 'H87',
  kg: 'KGM',
  g: 'GRM',
  l: 'LTR',
  litre: 'LTR',
  litres: 'LTR',
  m: 'MTR',
  h: 'HUR',
  hour: 'HUR',
  hours: 'HUR',
  day: 'DAY',
  days: 'DAY',
  month: 'MON',
  months: 'MON',
};

const unitOf = (text: string): string => units[text.toLowerCase()] ?? text.toUpperCase();

function readParty(reading: Reading, whose: 'seller' | 'buyer'): InvoiceParty {
  const of = (name: string): string => reading.text(`/${whose}/${name}`);
  return {
    name: of('name'),
    taxNumber: of('taxNumber')
      .toUpperCase()
      .replace(/[\s.-]/g, ''),
    registration: of('registration'),
    street: of('street'),
    city: of('city'),
    postcode: of('postcode'),
    country: readCountry(of('country')) ?? of('country').toUpperCase(),
    email: of('email'),
  };
}

const rounded = (amount: Decimal): Decimal => amount.toDecimalPlaces(2, Decimal.ROUND_HALF_UP);
const twoPlaces = (amount: Decimal): Amount => (amount.isZero() ? '0.00' : amount.toFixed(2, Decimal.ROUND_HALF_UP));
const sum = (amounts: readonly (string | Decimal)[]): Decimal =>
  amounts.reduce<Decimal>((all, one) => all.plus(one), new Decimal(0));

/** Taxable amounts by category and rate in the order they come; each tax is rounded by itself (BR-CO-17). */
function taxBreakdown(lines: readonly InvoiceLine[], whole: Decimal, wholeTax: InvoiceTax): TaxSubtotal[] {
  const groups = new Map<string, { readonly tax: InvoiceTax; readonly taxable: Decimal }>();
  const add = (tax: InvoiceTax, amount: string | Decimal): void => {
    const key = `${tax.category} ${tax.rate}`;
    groups.set(key, { tax, taxable: sum([groups.get(key)?.taxable ?? '0', amount]) });
  };
  for (const { tax, net } of lines) add(tax, net);
  if (!whole.isZero()) add(wholeTax, whole);
  return [...groups.values()].map(({ tax, taxable }) => ({
    ...tax,
    taxable: twoPlaces(taxable),
    tax: twoPlaces(taxable.times(tax.rate ?? '0').dividedBy(100)),
  }));
}

function totalsOf(
  lines: readonly InvoiceLine[],
  taxes: readonly TaxSubtotal[],
  whole: Decimal,
  prepaid: Decimal,
): InvoiceTotals {
  const ofLines = sum(lines.map(({ net }) => net));
  const withoutTax = ofLines.plus(whole);
  const tax = sum(taxes.map((one) => one.tax));
  const withTax = withoutTax.plus(tax);
  return {
    lines: twoPlaces(ofLines),
    withoutTax: twoPlaces(withoutTax),
    tax: twoPlaces(tax),
    withTax: twoPlaces(withTax),
    prepaid: twoPlaces(prepaid),
    due: twoPlaces(withTax.minus(prepaid)),
  };
}

/** Categories without tax whose reason has to be said (BR-E-10, BR-AE-10, BR-IC-10, BR-G-10, BR-O-10). */
const needsReason = ['E', 'AE', 'K', 'G', 'O'];

/** Rules of EN 16931 that an invoice breaks, as a person can put it right; their numbers are from memory. */
function brokenRules(invoice: Invoice): string[] {
  const { seller, buyer, totals, taxes } = invoice;
  const categories = new Set(taxes.map(({ category }) => category));
  const has = (...some: readonly string[]): boolean => some.some((one) => categories.has(one));
  const broken: [boolean, string][] = [
    [invoice.number === '', 'It has no number (BR-02).'],
    [!isDate(invoice.issueDate), 'It has no date of issue (BR-03).'],
    [invoice.dueDate !== '' && !isDate(invoice.dueDate), `“${invoice.dueDate}” is no date to pay by.`],
    [minorUnits(invoice.currency) === undefined, `“${invoice.currency}” is no currency: three letters, GBP (BR-05).`],
    [seller.name === '', 'The seller has no name (BR-06).'],
    [buyer.name === '', 'The buyer has no name (BR-07).'],
    [
      readCountry(seller.country) !== seller.country,
      `“${seller.country}” is no country of the seller: two letters, GB (BR-09).`,
    ],
    [
      readCountry(buyer.country) !== buyer.country,
      `“${buyer.country}” is no country of the buyer: two letters, GB (BR-11).`,
    ],
    [invoice.lines.length === 0, 'It has no lines (BR-16).'],
    [
      new Decimal(totals.due).greaterThan(0) && invoice.dueDate === '' && invoice.terms === '',
      'Something is to be paid, and neither a due date nor terms of payment say when (BR-CO-25).',
    ],
    [
      seller.taxNumber === '' && seller.registration === '',
      'The seller has neither a VAT number nor a registration number (BR-CO-26).',
    ],
    ...[seller, buyer].map(({ taxNumber }): [boolean, string] => [
      taxNumber !== '' && !/^(EL|XI|[A-Z]{2})/.test(taxNumber),
      `The VAT number “${taxNumber}” doesn’t begin with its country: GB123456789 (BR-CO-09).`,
    ]),
    [has('S', 'Z', 'E', 'AE', 'K', 'G') && seller.taxNumber === '', 'The seller has no VAT number (BR-S-02).'],
    [has('AE', 'K') && buyer.taxNumber === '', 'The buyer has no VAT number, which reverse charge needs (BR-AE-02).'],
    [has(...needsReason) && invoice.exemption === '', 'It doesn’t say why no tax is charged (BR-E-10).'],
    [has('O') && categories.size > 1, 'What is not subject to tax can’t stand beside other categories (BR-O-11).'],
    ...taxes.map(({ category, rate }): [boolean, string] => [
      category === 'S' ? new Decimal(rate ?? 0).lessThanOrEqualTo(0) : !new Decimal(rate ?? 0).isZero(),
      category === 'S'
        ? 'Standard rate needs a rate above nought (BR-S-05).'
        : `The category ${category} has no tax, and its rate is ${rate} (BR-Z-05).`,
    ]),
  ];
  return [...new Set(broken.flatMap(([isBroken, message]) => (isBroken ? [message] : [])))];
}

const isDate = (text: string): boolean => /^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(Date.parse(text));
