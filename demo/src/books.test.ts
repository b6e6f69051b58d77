import { checkTotals } from '@golden/standins';
import { demoBooks } from './books.ts';
import { demoCards } from './cards.ts';
import { demoCustomers } from './customers.ts';
import { ledgerCustomers, ledgerItems } from './orders.ts';

const now = '2026-11-24T09:00:00.000Z';
const shop = demoCustomers(600, now);
const customers = ledgerCustomers(shop).map(({ content }) => content);
const books = demoBooks(customers, ledgerItems(), 150, now);

// EN 16931, BR-CO-10 to BR-CO-16, as the Ledger itself checks them.
test('the totals of all past invoices hold, in both companies', () => {
  expect(books.invoices.flatMap(({ content }) => checkTotals(content))).toEqual([]);
  for (const company of ['retail', 'trade']) {
    const own = books.invoices.filter(({ content }) => content.company === company);
    expect(own.length).toBeGreaterThan(30);
    expect(new Set(own.map(({ content }) => content.invoiceNumber)).size).toBe(own.length);
  }
});

test('an invoice is of a customer of its own company, a payment of an invoice of its own, after it and in parts of it', () => {
  for (const { content } of books.invoices)
    expect([content.company, customers[content.customerId - 3001]?.company]).toEqual([
      content.company,
      content.company,
    ]);
  for (const { content } of books.payments) {
    const invoice = books.invoices[content.invoiceId - 8001]?.content;
    expect(invoice?.company).toBe(content.company);
    expect(content.amount).toBeGreaterThan(0);
    expect(content.amount).toBeLessThanOrEqual(invoice?.payableAmount ?? 0);
    expect(content.paidDate >= (invoice?.issueDate ?? '')).toBe(true);
    expect(content.paidDate <= now.slice(0, 10)).toBe(true);
  }
  const paid = new Set(books.payments.map(({ content }) => content.invoiceId));
  const open = books.invoices.length - paid.size;
  expect(open).toBeGreaterThan(15);
  expect(paid.size).toBeGreaterThan(50);
});

test('leads are awkward on purpose: doubles, no address, no wish for news, other scripts', () => {
  const leads = demoCards(shop, now).leads.map(({ content }) => content.attributes);
  expect(leads.length).toBeGreaterThan(18);
  const mails = leads.flatMap(({ email }) => (typeof email === 'string' ? email.toLowerCase() : []));
  expect(mails.length - new Set(mails).size).toBeGreaterThan(0);
  expect(leads.some(({ email }) => email === null)).toBe(true);
  expect(leads.some(({ wantsNews }) => wantsNews === false)).toBe(true);
  expect(leads.some(({ name }) => /\p{Script=Han}/u.test(String(name)))).toBe(true);
});
