import { en, en_GB, Faker } from '@faker-js/faker';
import {
  companies,
  type Invoice,
  type InvoiceLine,
  type Item,
  type LedgerCustomer,
  lineNet,
  type Payment,
  taxBreakdown,
} from '@golden/standins';
import { DateTime } from 'luxon';

const seed = 20260402;
/** The numbers that the Ledger gives to its first customer, item and invoice. */
const firstCustomer = 3001;
const firstItem = 701;
const firstInvoice = 8001;

/** A record of the Ledger's past with its instant. */
export interface DemoEntry<T> {
  readonly content: T;
  readonly createdAt: string;
}

/** The invoices of both companies with what was paid on them. */
export interface DemoBooks {
  readonly invoices: readonly DemoEntry<Invoice>[];
  readonly payments: readonly DemoEntry<Payment>[];
}

/**
 * What the bookkeeper has invoiced before the shop's orders came by themselves: sales at the counter for
 * retail, deliveries on 30 days for trade. Some are paid, some in part, some overdue; totals hold by EN 16931.
 *
 * @param customers - the Ledger's customers in the order in which it numbers them
 * @param count - how many invoices, over both companies
 */
export function demoBooks(
  customers: readonly LedgerCustomer[],
  items: readonly Item[],
  count: number,
  now: string,
): DemoBooks {
  const dice = new Faker({ locale: [en_GB, en], seed });
  const end = DateTime.fromISO(now, { zone: 'utc' });
  const invoices: DemoEntry<Invoice>[] = [];
  const payments: DemoEntry<Payment>[] = [];
  for (let at = 0; at < count; at++) {
    const company = companies[at % 3 === 0 ? 1 : 0]?.id ?? 'retail';
    const own = customers.flatMap((one, nth) => (one.company === company ? [{ one, id: firstCustomer + nth }] : []));
    if (own.length === 0) continue;
    const { one: customer, id } = dice.helpers.arrayElement(own);
    const issued = end.minus({ hours: Math.round((1 - at / count) * 100 * 24) + 4 });
    const lines = dice.helpers.arrayElements(items, { min: 1, max: 4 }).map((item) => lineOf(dice, item, items));
    const content = invoiceOf(company, at, lines, {
      customerId: id,
      issued,
      days: customer.paymentTermsDays,
      charge: company === 'trade' ? dice.helpers.arrayElement([0, 1250, 2400]) : 0,
      buyerReference: dice.helpers.maybe(() => `PO ${dice.number.int({ min: 4000, max: 4999 })}`) ?? null,
    });
    invoices.push({ content, createdAt: issued.toISO() as string });
    const paid = dice.helpers.weightedArrayElement([
      { weight: 6, value: 1 },
      { weight: 1, value: 0.5 },
      { weight: 3, value: 0 },
    ]);
    const on = issued.plus({ days: dice.number.int({ min: 0, max: customer.paymentTermsDays + 12 }) });
    if (paid === 0 || on > end) continue;
    payments.push({
      createdAt: on.toISO() as string,
      content: {
        company,
        invoiceId: firstInvoice + invoices.length - 1,
        paidDate: on.toISODate() as string,
        amount: Math.round(content.payableAmount * paid),
        currencyCode: content.currencyCode,
        reference: null,
      },
    });
  }
  return { invoices, payments };
}

function lineOf(dice: Faker, item: Item, items: readonly Item[]): InvoiceLine {
  const invoicedQuantity = item.sellersItemId.startsWith('KILN') ? 1 : dice.number.int({ min: 1, max: 12 });
  const allowanceAmount = dice.helpers.maybe(() => Math.round(item.priceAmount * 0.05), { probability: 0.2 }) ?? 0;
  const line = { invoicedQuantity, priceAmount: item.priceAmount, allowanceAmount };
  return {
    ...line,
    itemId: firstItem + items.indexOf(item),
    sellersItemId: item.sellersItemId,
    itemName: item.name,
    unitCode: 'C62',
    lineExtensionAmount: lineNet(line),
    taxCategory: item.taxCategory,
    taxPercent: item.taxPercent,
  };
}

interface Particulars {
  readonly customerId: number;
  readonly issued: DateTime;
  readonly days: number;
  readonly charge: number;
  readonly buyerReference: string | null;
}

/** An invoice with its totals by EN 16931, BR-CO-10 to BR-CO-16. */
function invoiceOf(company: string, at: number, invoiceLines: readonly InvoiceLine[], given: Particulars): Invoice {
  const parts = {
    invoiceLines,
    allowanceTotalAmount: 0,
    chargeTotalAmount: given.charge,
    chargeTaxCategory: 'S' as const,
    chargeTaxPercent: 20,
  };
  const lineExtensionAmount = invoiceLines.reduce((sum, line) => sum + line.lineExtensionAmount, 0);
  const taxExclusiveAmount = lineExtensionAmount + given.charge;
  const taxAmount = taxBreakdown(parts).reduce((sum, one) => sum + one.taxAmount, 0);
  return {
    ...parts,
    company,
    invoiceNumber: `${company === 'trade' ? 'T' : 'R'}-${24_001 + at}`,
    issueDate: given.issued.toISODate() as string,
    dueDate: given.issued.plus({ days: given.days }).toISODate(),
    currencyCode: 'GBP',
    customerId: given.customerId,
    buyerReference: given.buyerReference,
    note: null,
    lineExtensionAmount,
    taxExclusiveAmount,
    taxAmount,
    taxInclusiveAmount: taxExclusiveAmount + taxAmount,
    prepaidAmount: 0,
    payableAmount: taxExclusiveAmount + taxAmount,
    reference: null,
  };
}
