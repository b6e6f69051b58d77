import { createHmac } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { XMLParser } from 'fast-xml-parser';
import { challengeOf } from '../kit/sign-in.ts';
import { totalsOf } from '../shop/sales.ts';
import { shopCounter, shopKeys } from '../shop/shop.ts';
import { ledger } from './ledger.ts';
import { writePhone } from './store.ts';
import { checkTotals, taxBreakdown } from './totals.ts';

let folder: string;
let books: ReturnType<typeof ledger>;
let headers: Record<string, string>;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'ledger-'));
  books = ledger(join(folder, 'ledger.sqlite'));
  const { access_token } = books.signIn.issue({ user: 'Mira', client: 'test', scope: 'ledger.read ledger.write' });
  headers = { authorization: `Bearer ${access_token}`, 'content-type': 'application/json' };
});
afterEach(() => {
  books.store.close();
  rmSync(folder, { recursive: true, force: true });
});

const send = (path: string, body: object, method = 'POST') =>
  books.app.request(`http://ledger/api/retail${path}`, { method, headers, body: JSON.stringify(body) });

/** Worked example: 3 × 10.10 − 0.30, 1 × 90.20 at 20 %, 2 × 5.00 at 0 %, delivery 4.95 at 20 %. */
const line = {
  itemName: 'Clay',
  invoicedQuantity: 3,
  priceAmount: 1010,
  allowanceAmount: 30,
  lineExtensionAmount: 3000,
  taxCategory: 'S',
  taxPercent: 20,
};
const example = {
  invoiceNumber: 'S-1',
  issueDate: '2026-11-24',
  currencyCode: 'GBP',
  customerId: 3001,
  invoiceLines: [
    line,
    {
      ...line,
      itemName: 'Glaze',
      invoicedQuantity: 1,
      priceAmount: 9020,
      allowanceAmount: 0,
      lineExtensionAmount: 9020,
    },
    {
      ...line,
      itemName: 'Book',
      invoicedQuantity: 2,
      priceAmount: 500,
      allowanceAmount: 0,
      lineExtensionAmount: 1000,
      taxCategory: 'Z',
      taxPercent: 0,
    },
  ],
  chargeTotalAmount: 495,
  lineExtensionAmount: 13020,
  taxExclusiveAmount: 13515,
  // 20 % of 30.00 + 90.20 + 4.95 = 25.03, nothing on the book.
  taxAmount: 2503,
  taxInclusiveAmount: 16018,
  payableAmount: 16018,
};

async function addCustomer(): Promise<void> {
  const answer = await send('/customers', { name: 'Thistle Studio', telephone: '+441632960771' });
  expect(await answer.json()).toMatchObject({ id: 3001, telephone: '+44 1632 960 771', paymentTermsDays: 30 });
}

describe('PKCE and tokens', () => {
  test('the published vector of RFC 7636, appendix B', () => {
    expect(challengeOf('dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk')).toBe(
      'E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM',
    );
  });

  test('a code counts once, only with its verifier; expired and read-only tokens are refused', async () => {
    const { signIn, app } = books;
    const pending = {
      user: 'Mira',
      client: 'c',
      scope: 'ledger.read',
      challenge: challengeOf('v'.repeat(43)),
      redirect: 'http://127.0.0.1:1/back',
    };
    expect(signIn.redeem(signIn.addCode(pending), 'w'.repeat(43), 'c', pending.redirect)).toBeUndefined();
    const code = signIn.addCode(pending);
    const tokens = signIn.redeem(code, 'v'.repeat(43), 'c', pending.redirect);
    expect(signIn.redeem(code, 'v'.repeat(43), 'c', pending.redirect)).toBeUndefined();
    const reading = { authorization: `Bearer ${tokens?.access_token}` };
    expect((await app.request('http://ledger/api/me', { headers: reading })).status).toBe(200);
    const write = await app.request('http://ledger/api/retail/customers', {
      method: 'POST',
      headers: { ...reading, 'content-type': 'application/json' },
      body: '{"name":"x"}',
    });
    expect(write.status).toBe(403);
    signIn.expireAll();
    expect((await app.request('http://ledger/api/me', { headers: reading })).status).toBe(401);
    const renewed = signIn.refresh(tokens?.refresh_token ?? '', 'c');
    // Until the new token was used the old refresh token counts, so that an answer lost on its way ends nothing.
    expect(signIn.refresh(tokens?.refresh_token ?? '', 'c')).toBeDefined();
    expect(signIn.grantOf(renewed?.access_token ?? '')).toMatchObject({ user: 'Mira' });
  });

  test('only programs on this machine are sent back to, and only with a challenge', async () => {
    const ask = (query: Record<string, string>) =>
      books.app.request(
        `http://ledger/oauth/authorize?${new URLSearchParams({ response_type: 'code', client_id: 'g', redirect_uri: 'http://127.0.0.1:5/b', code_challenge: 'x', code_challenge_method: 'S256', scope: 'ledger.read', ...query })}`,
      );
    expect((await ask({})).status).toBe(200);
    expect((await ask({ redirect_uri: 'https://evil.example/b' })).status).toBe(400);
    expect((await ask({ code_challenge_method: 'plain' })).status).toBe(400);
    expect((await ask({ scope: 'everything' })).status).toBe(400);
  });
});

describe('invoices by EN 16931', () => {
  test('a worked example is taken, and comes out as UBL 2.1 with its tax by rate', async () => {
    await addCustomer();
    const answer = await send('/invoices', example);
    const made = (await answer.json()) as { id: number };
    expect(answer.status).toBe(201);
    const xml = await (await books.app.request(`http://ledger/api/retail/invoices/${made.id}/ubl`, { headers })).text();
    const { Invoice } = new XMLParser({ ignoreAttributes: false, parseTagValue: false }).parse(xml);
    expect(Invoice['@_xmlns']).toBe('urn:oasis:names:specification:ubl:schema:xsd:Invoice-2');
    expect(Invoice['cac:LegalMonetaryTotal']['cbc:PayableAmount']).toEqual({
      '#text': '160.18',
      '@_currencyID': 'GBP',
    });
    expect(Invoice['cac:InvoiceLine']).toHaveLength(3);
    expect(
      Invoice['cac:TaxTotal']['cac:TaxSubtotal'].map(
        (one: Record<string, { '#text': string }>) => one['cbc:TaxAmount']?.['#text'],
      ),
    ).toEqual(['25.03', '0.00']);
  });

  test.each([
    [{ lineExtensionAmount: 13021 }, 'BR-CO-10'],
    [{ taxExclusiveAmount: 13514 }, 'BR-CO-13'],
    [{ taxAmount: 2504 }, 'BR-CO-14'],
    [{ taxInclusiveAmount: 16019 }, 'BR-CO-15'],
    [{ payableAmount: 16000 }, 'BR-CO-16'],
    [{ invoiceLines: [{ ...line, lineExtensionAmount: 3030 }] }, 'invoiceLines.0.lineExtensionAmount'],
    [{ customerId: 99 }, 'no such customer'],
    [{ issueDate: '24.11.2026' }, 'issueDate'],
  ])('%j is refused by %s, and nothing is kept', async (wrong, rule) => {
    await addCustomer();
    const answer = await send('/invoices', { ...example, ...wrong });
    expect(answer.status).toBe(400);
    expect(JSON.stringify(await answer.json())).toContain(rule);
    expect(books.store.invoices.count()).toBe(0);
  });

  test('an invoice number is taken once in a company', async () => {
    await addCustomer();
    expect((await send('/invoices', example)).status).toBe(201);
    expect(JSON.stringify(await (await send('/invoices', example)).json())).toContain('S-1 is taken');
  });

  test('property: what is added up by the rules is taken by them, and a penny more is not', () => {
    const oneLine = fc.record({
      invoicedQuantity: fc.integer({ min: 1, max: 50 }),
      priceAmount: fc.nat(99_999),
      taxPercent: fc.constantFrom(0, 5, 20),
    });
    fc.assert(
      fc.property(fc.array(oneLine, { minLength: 1, maxLength: 9 }), fc.nat(2000), (lines, charge) => {
        const invoiceLines = lines.map((one) => ({
          ...line,
          ...one,
          itemId: null,
          sellersItemId: null,
          unitCode: 'C62',
          taxCategory: 'S' as const,
          allowanceAmount: 0,
          lineExtensionAmount: one.invoicedQuantity * one.priceAmount,
        }));
        const net = invoiceLines.reduce((sum, one) => sum + one.lineExtensionAmount, 0);
        const base = {
          ...example,
          dueDate: null,
          buyerReference: null,
          note: null,
          reference: null,
          invoiceLines,
          allowanceTotalAmount: 0,
          chargeTotalAmount: charge,
          chargeTaxCategory: 'S' as const,
          chargeTaxPercent: 20,
          lineExtensionAmount: net,
          taxExclusiveAmount: net + charge,
          prepaidAmount: 0,
        };
        const tax = taxBreakdown(base).reduce((sum, one) => sum + one.taxAmount, 0);
        const whole = {
          ...base,
          taxAmount: tax,
          taxInclusiveAmount: net + charge + tax,
          payableAmount: net + charge + tax,
        };
        expect(checkTotals(whole)).toEqual([]);
        expect(checkTotals({ ...whole, taxAmount: tax + 1 }).map((one) => one.rule)).toContain('BR-CO-14');
      }),
      { seed: 16931, numRuns: 60 },
    );
  });

  test.each([
    ['+441632960771', '+44 1632 960 771'],
    ['0044 1632 960771', '+44 1632 960 771'],
    ['01632 960 771', '01632 960 771'],
  ])('the telephone %s is kept as %s', (given, kept) => expect(writePhone(given)).toBe(kept));

  test('what stands in one company is not found in the other', async () => {
    await addCustomer();
    const there = await books.app.request('http://ledger/api/trade/customers/3001', { headers });
    expect(there.status).toBe(404);
  });
});

describe('Shop counter: orders and webhooks', () => {
  test('an order adds up, and those who asked are told with a signature that holds', async () => {
    const shop = shopCounter(join(folder, 'shop.sqlite'));
    const got: { headers: Record<string, unknown>; body: string }[] = [];
    const receiver = createServer((request, response) => {
      let body = '';
      request.on('data', (part) => {
        body += part;
      });
      request.on('end', () => {
        got.push({ headers: request.headers, body });
        // Told a second time when the first isn't taken.
        response.writeHead(got.length === 1 ? 500 : 204).end();
      });
    }).listen(0, '127.0.0.1');
    await new Promise((resolve) => receiver.once('listening', resolve));
    const url = `http://127.0.0.1:${(receiver.address() as { port: number }).port}/told`;
    const ask = (path: string, body: object) =>
      shop.app.request(`http://shop/api${path}`, {
        method: 'POST',
        headers: { 'shop-key': shopKeys[0]?.key ?? '', 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
    const { secret } = (await (await ask('/webhooks', { url, events: ['orders.added'] })).json()) as { secret: string };
    const lines = [{ sku: 'C', name: 'Clay', quantity: 3, unit_price: '10.10', discount: '0.30', tax_rate: '20.00' }];
    const order = {
      number: 'S-1',
      status: 'open',
      customer_id: null,
      customer_name: 'Zoë',
      email: null,
      phone: null,
      company: null,
      currency: 'GBP',
      placed_at: '2026-11-24T09:00:00Z',
      paid_at: null,
      ship_to: { street: null, city: null, postcode: null, country: 'GB' },
      lines,
      shipping: '4.95',
      note: null,
    };
    const made = await ask('/orders', order);
    expect(await made.json()).toMatchObject({
      id: 50001,
      total: '41.94',
      tax_total: '6.99',
      lines: [{ line_total: '30.00' }],
    });
    await shop.store.webhooks.settled();
    expect(got).toHaveLength(2);
    const last = got[1] as (typeof got)[number];
    const { 'shop-message': id, 'shop-time': time, 'shop-signature': signature } = last.headers;
    expect(createHmac('sha256', secret).update(`${id}.${time}.${last.body}`).digest('base64')).toBe(signature);
    expect(last.headers['shop-message']).toBe(got[0]?.headers['shop-message']);
    receiver.close();
    shop.store.close();
  });

  test('each rate’s tax is rounded by itself', () => {
    expect(
      totalsOf(
        [
          { sku: 'a', name: 'a', quantity: 1, unit_price: '0.12', discount: '0.00', tax_rate: '20.00' },
          { sku: 'b', name: 'b', quantity: 1, unit_price: '0.10', discount: '0.00', tax_rate: '5.00' },
        ],
        '0.00',
      ),
    ).toMatchObject({ tax_total: '0.03', total: '0.25' });
  });
});
