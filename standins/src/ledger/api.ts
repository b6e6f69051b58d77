import type { HttpBindings } from '@hono/node-server';
import { createRoute, OpenAPIHono, z } from '@hono/zod-openapi';
import type { Context } from 'hono';
import { tellDocument } from '../kit/document.ts';
import type { Kept, RecordTable } from '../kit/records.ts';
import type { Grant, SignIn } from '../kit/sign-in.ts';
import { type PracticeState, suffers } from '../kit/trouble.ts';
import { type CreditNote, companies, type Invoice, type LedgerStore, taxCategories, writePhone } from './store.ts';
import { checkTotals } from './totals.ts';
import { asUbl } from './ubl.ts';

type LedgerApp = OpenAPIHono<{ Bindings: HttpBindings; Variables: { grant: Grant } }>;

const readOnly = { readOnly: true };
/** Money in minor units of the currency that another field names. */
const minor = (of = '/currencyCode') => z.int().openapi({ format: 'money-minor', 'x-currency': of });
const text = (max: number) => z.string().max(max).nullable();
const currencyCode = z.string().regex(/^[A-Z]{3}$/, 'three capital letters, such as GBP');
const reference = z.string().max(64).nullable().openapi({ description: 'What the sender calls it; can be searched.' });
const times = { createdAt: z.iso.datetime().openapi(readOnly), modifiedAt: z.iso.datetime().openapi(readOnly) };
const id = z.int().openapi(readOnly);
const taxCategory = z
  .enum(taxCategories)
  .openapi({ 'x-labels': { S: 'standard rate', Z: 'zero rate', E: 'exempt from tax' } });
const taxPercent = z.number().min(0).max(100);

const customer = {
  name: z.string().min(1).max(100),
  contactName: text(80),
  electronicMail: z.email().max(120).nullable(),
  telephone: z.string().max(30).nullable().openapi({ format: 'phone' }),
  companyId: text(20),
  postalAddress: z.object({
    streetName: text(80),
    cityName: text(60),
    postalZone: text(12),
    countryCode: z
      .string()
      .regex(/^[A-Z]{2}$/)
      .nullable()
      .openapi({ format: 'country' }),
  }),
  paymentTermsDays: z.int().min(0).max(180),
  reference,
};
const item = {
  name: z.string().min(1).max(80),
  sellersItemId: z.string().min(1).max(24),
  priceAmount: minor(),
  currencyCode,
  taxCategory,
  taxPercent,
  reference,
};
const line = {
  itemId: z.int().nullable().openapi({ 'x-id-of': 'items' }),
  sellersItemId: text(24),
  itemName: z.string().min(1).max(80),
  invoicedQuantity: z.number().positive(),
  unitCode: z.string().max(3),
  priceAmount: minor(),
  allowanceAmount: minor(),
  lineExtensionAmount: minor(),
  taxCategory,
  taxPercent,
};
const invoice = {
  invoiceNumber: z.string().min(1).max(20).openapi({ 'x-unique': true }),
  issueDate: z.iso.date(),
  dueDate: z.iso.date().nullable(),
  currencyCode,
  customerId: z.int().openapi({ 'x-id-of': 'customers' }),
  buyerReference: text(40),
  note: text(500),
  invoiceLines: z.array(z.object(line)).min(1),
  allowanceTotalAmount: minor(),
  chargeTotalAmount: minor(),
  chargeTaxCategory: taxCategory,
  chargeTaxPercent: taxPercent,
  lineExtensionAmount: minor(),
  taxExclusiveAmount: minor(),
  taxAmount: minor(),
  taxInclusiveAmount: minor(),
  prepaidAmount: minor(),
  payableAmount: minor(),
  reference,
};
const { invoicedQuantity: creditedQuantity, ...creditedLine } = line;
const {
  invoiceNumber: _number,
  dueDate: _due,
  buyerReference: _buyer,
  invoiceLines: _lines,
  prepaidAmount: _prepaid,
  ...totals
} = invoice;
const creditNote = {
  creditNoteNumber: z.string().min(1).max(20).openapi({ 'x-unique': true }),
  invoiceId: z.int().openapi({ 'x-id-of': 'invoices' }),
  creditNoteLines: z.array(z.object({ ...creditedLine, creditedQuantity })).min(1),
  ...totals,
};
const payment = {
  invoiceId: z.int().openapi({ 'x-id-of': 'invoices' }),
  paidDate: z.iso.date(),
  amount: minor(),
  currencyCode,
  reference,
};

const blanks: Readonly<Record<string, Record<string, unknown>>> = {
  customers: {
    contactName: null,
    electronicMail: null,
    telephone: null,
    companyId: null,
    postalAddress: { streetName: null, cityName: null, postalZone: null, countryCode: null },
    paymentTermsDays: 30,
    reference: null,
  },
  items: { reference: null },
  invoices: {
    dueDate: null,
    buyerReference: null,
    note: null,
    allowanceTotalAmount: 0,
    chargeTotalAmount: 0,
    chargeTaxCategory: 'S',
    chargeTaxPercent: 20,
    prepaidAmount: 0,
    reference: null,
  },
  payments: { reference: null },
  creditNotes: {
    note: null,
    allowanceTotalAmount: 0,
    chargeTotalAmount: 0,
    chargeTaxCategory: 'S',
    chargeTaxPercent: 20,
    reference: null,
  },
};
const blankLine = { itemId: null, sellersItemId: null, unitCode: 'C62', allowanceAmount: 0 };

interface Fault {
  readonly field: string;
  readonly reason: string;
}

/** The Ledger's own shape of errors: a code, a message, and what is wrong with which field. */
function refuse(
  c: Context,
  status: 400 | 401 | 403 | 404 | 409,
  code: string,
  message: string,
  faults: readonly Fault[] = [],
) {
  return c.json({ error: { code, message, fields: faults } }, status);
}

/** The Ledger's HTTP interface: camelCase after UBL, OAuth tokens, page paging, minor units, strict. */
export function ledgerApi(store: LedgerStore, signIn: SignIn, state: PracticeState): LedgerApp {
  const app: LedgerApp = new OpenAPIHono<{ Bindings: HttpBindings; Variables: { grant: Grant } }>({
    defaultHook: (result, c) => {
      if (result.success) return undefined;
      const faults = result.error.issues.map((issue) => ({ field: issue.path.join('.'), reason: issue.message }));
      return refuse(c, 400, 'notValid', faults.map((one) => `${one.field}: ${one.reason}`).join('; '), faults);
    },
  });
  tellDocument(app, { title: 'Ledger', version: '1', description: 'Books of two companies.' });
  app.use('*', async (c, next) => {
    if (c.req.path.endsWith('/openapi.json')) return next();
    const token = /^Bearer (\S+)$/.exec(c.req.header('authorization') ?? '')?.[1] ?? '';
    const grant = signIn.grantOf(token);
    if (!grant) {
      c.header('www-authenticate', 'Bearer error="invalid_token"');
      return refuse(c, 401, 'notSignedIn', 'The access token has expired or is none.');
    }
    if (c.req.method !== 'GET' && !grant.scope.split(' ').includes('ledger.write'))
      return refuse(c, 403, 'noRight', `${grant.user} let this program read, not write.`);
    c.set('grant', grant);
    return next();
  });
  app.get('/me', (c) => {
    const { user, scope } = c.get('grant');
    return c.json({
      ledger: state.account,
      name: user,
      mayWrite: scope.includes('ledger.write'),
      companies: companies.map((one) => one.name),
    });
  });
  app.get('/companies', (c) => c.json({ items: companies }));
  collection(app, state, 'customers', 'Customer', store.customers, customer, [
    'electronicMail',
    'name',
    'companyId',
    'reference',
  ]);
  collection(app, state, 'items', 'Item', store.items, item, ['sellersItemId', 'reference']);
  collection(
    app,
    state,
    'invoices',
    'Invoice',
    store.invoices,
    invoice,
    ['invoiceNumber', 'reference', 'customerId'],
    (given, company, own) => invoiceFaults(store, given as unknown as Invoice, company, own),
  );
  collection(
    app,
    state,
    'payments',
    'Payment',
    store.payments,
    payment,
    ['invoiceId', 'reference'],
    (given, company) =>
      store.invoices.get(given['invoiceId'] as number)?.company === company
        ? []
        : [{ field: 'invoiceId', reason: 'there is no such invoice in this company' }],
  );
  collection(
    app,
    state,
    'creditNotes',
    'CreditNote',
    store.creditNotes,
    creditNote,
    ['creditNoteNumber', 'invoiceId', 'reference'],
    (given, company, own) => creditNoteFaults(store, given as unknown as CreditNote, company, own),
  );
  app.get('/:company/invoices/:id/ubl', (c) => {
    const company = companies.find((one) => one.id === c.req.param('company'));
    const found = store.invoices.get(Number(c.req.param('id')));
    if (!company || found?.company !== company.id) return refuse(c, 404, 'notFound', 'There is no such invoice.');
    return c.body(asUbl(company, found, store.customers.get(found.customerId)), 200, {
      'content-type': 'application/xml',
    });
  });
  return app;
}

function invoiceFaults(store: LedgerStore, given: Invoice, company: string, own: number | undefined): Fault[] {
  const faults: Fault[] = [];
  const same = store.invoices.list({ company, invoiceNumber: given.invoiceNumber }, { limit: 2 });
  if (same.some((one) => one.id !== own))
    faults.push({ field: 'invoiceNumber', reason: `${given.invoiceNumber} is taken` });
  if (store.customers.get(given.customerId)?.company !== company)
    faults.push({ field: 'customerId', reason: 'there is no such customer in this company' });
  faults.push(
    ...checkTotals(given).map(({ pointer, detail }) => ({
      field: pointer.slice(1).replaceAll('/', '.'),
      reason: detail,
    })),
  );
  return faults;
}

/** Its totals hold as an invoice's do, and it takes back an invoice of its own company and customer. */
function creditNoteFaults(store: LedgerStore, given: CreditNote, company: string, own: number | undefined): Fault[] {
  const faults: Fault[] = [];
  const same = store.creditNotes.list({ company, creditNoteNumber: given.creditNoteNumber }, { limit: 2 });
  if (same.some((one) => one.id !== own))
    faults.push({ field: 'creditNoteNumber', reason: `${given.creditNoteNumber} is taken` });
  const invoice = store.invoices.get(given.invoiceId);
  if (invoice?.company !== company)
    faults.push({ field: 'invoiceId', reason: 'there is no such invoice in this company' });
  else if (invoice.customerId !== given.customerId)
    faults.push({ field: 'customerId', reason: 'the invoice is another customer’s' });
  const { creditNoteLines, ...rest } = given;
  const invoiceLines = creditNoteLines.map(({ creditedQuantity: invoicedQuantity, ...one }) => ({
    ...one,
    invoicedQuantity,
  }));
  const asInvoice = { ...rest, invoiceLines, prepaidAmount: 0, invoiceNumber: '', dueDate: null, buyerReference: null };
  faults.push(
    ...checkTotals(asInvoice).map(({ pointer, detail }) => ({
      field: pointer.slice(1).replaceAll('/', '.').replace('invoiceLines', 'creditNoteLines'),
      reason: detail,
    })),
  );
  return faults;
}

type Check = (given: Record<string, unknown>, company: string, own: number | undefined) => Fault[];

function collection<T extends { company: string }>(
  app: LedgerApp,
  state: PracticeState,
  name: string,
  schemaName: string,
  table: RecordTable<T>,
  fields: z.ZodRawShape,
  lookUps: readonly string[],
  check: Check = () => [],
): void {
  const schema = z.object({ id, ...fields, ...times }).openapi(schemaName);
  const required = Object.fromEntries(
    Object.entries(fields).map(([key, type]) => [
      key,
      key in (blanks[name] ?? {}) ? (type as z.ZodType).optional() : type,
    ]),
  );
  const listed = Object.keys(fields).find((key) => key.endsWith('Lines'));
  const optional = { itemId: true, sellersItemId: true, unitCode: true, allowanceAmount: true } as const;
  const items = (fields[listed ?? ''] as z.ZodArray<z.ZodObject> | undefined)?.element;
  const lines = listed && items ? { [listed]: z.array(items.partial(optional).strict()).min(1) } : {};
  const input = z
    .object({ ...required, ...lines })
    .strict()
    .openapi(`${schemaName}Input`);
  const shown = (record: T & Kept): Record<string, unknown> => {
    const { company: _company, created_at, updated_at, ...rest } = record;
    return { ...rest, createdAt: created_at, modifiedAt: updated_at };
  };
  const inCompany = z.object({ company: z.enum(companies.map((one) => one.id) as [string, ...string[]]) });
  const one = inCompany.extend({ id: z.coerce.number().int() });
  const json = (of: z.ZodType, description: string) => ({
    description,
    content: { 'application/json': { schema: of } },
  });
  const body = (of: z.ZodType) => ({ required: true, content: { 'application/json': { schema: of } } });
  const path = `/{company}/${name}`;
  const missing = (c: Context) => refuse(c, 404, 'notFound', 'There is no such record in this company.') as never;
  const find = (company: string, key: number) => {
    const found = table.get(key);
    return found?.company === company ? found : undefined;
  };
  const query = z.object({
    page: z.coerce.number().int().min(1).default(1),
    pageSize: z.coerce.number().int().min(1).max(200).default(50),
    modifiedSince: z.iso.datetime().optional(),
    ...Object.fromEntries(lookUps.map((key) => [key, z.string().optional()])),
  });
  app.openapi(
    createRoute({
      method: 'get',
      path,
      request: { params: inCompany, query },
      responses: {
        200: json(
          z.object({ items: z.array(schema), page: z.int(), totalPages: z.int(), totalItems: z.int() }),
          'In the order they were last modified',
        ),
      },
    }),
    (c) => {
      const asked = c.req.valid('query') as Record<string, string | undefined> & { page: number; pageSize: number };
      const where = {
        company: c.req.valid('param').company,
        ...Object.fromEntries(lookUps.flatMap((key) => (asked[key] ? [[key, asked[key]]] : []))),
      };
      const since = asked['modifiedSince'];
      const all = table
        .list(where, { limit: asked.pageSize, offset: (asked.page - 1) * asked.pageSize, since })
        .map(shown);
      const totalItems = since ? table.list(where, { limit: 100_000, since }).length : table.count(where);
      const items = suffers(state, 'answer_twice') ? all.flatMap((item) => [item, item]) : all;
      return c.json(
        {
          items,
          page: asked.page,
          totalPages: Math.max(1, Math.ceil(totalItems / asked.pageSize)),
          totalItems,
        } as never,
        200,
      );
    },
  );
  app.openapi(
    createRoute({
      method: 'get',
      path: `${path}/{id}`,
      request: { params: one },
      responses: { 200: json(schema, 'The record') },
    }),
    (c) => {
      const { company, id: key } = c.req.valid('param');
      const found = find(company, key);
      return found ? c.json(shown(found) as never, 200) : missing(c);
    },
  );
  app.openapi(
    createRoute({
      method: 'post',
      path,
      request: { params: inCompany, body: body(input) },
      responses: { 201: json(schema, 'Added') },
    }),
    (c) => {
      const { company } = c.req.valid('param');
      const given = kept(name, c.req.valid('json') as Record<string, unknown>, blanks[name] ?? {});
      const faults = check(given, company, undefined);
      if (faults.length > 0) return refuse(c, 400, 'notValid', wordsOf(faults), faults) as never;
      return c.json(shown(table.add({ ...given, company } as unknown as T)) as never, 201);
    },
  );
  app.openapi(
    createRoute({
      method: 'put',
      path: `${path}/{id}`,
      request: { params: one, body: body(input.partial()) },
      responses: { 200: json(schema, 'Changed') },
    }),
    (c) => {
      const { company, id: key } = c.req.valid('param');
      const before = find(company, key);
      if (!before) return missing(c);
      const { id: _id, created_at: _created, updated_at: _updated, ...old } = before;
      const given = kept(name, c.req.valid('json') as Record<string, unknown>, old as Record<string, unknown>);
      const faults = check(given, company, key);
      if (faults.length > 0) return refuse(c, 400, 'notValid', wordsOf(faults), faults) as never;
      return c.json(shown(table.change(key, given as Partial<T>) as T & Kept) as never, 200);
    },
  );
  app.openapi(
    createRoute({
      method: 'delete',
      path: `${path}/{id}`,
      request: { params: one },
      responses: { 204: { description: 'Removed' } },
    }),
    (c) => {
      const { company, id: key } = c.req.valid('param');
      if (!find(company, key)) return missing(c);
      table.remove(key);
      return c.body(null, 204) as never;
    },
  );
}

const wordsOf = (faults: readonly Fault[]): string => faults.map((one) => `${one.field} ${one.reason}`).join('; ');

/** What is given as the Ledger keeps it: with its blanks, and telephone numbers in its own writing. */
function kept(name: string, given: Record<string, unknown>, before: Record<string, unknown>): Record<string, unknown> {
  const record: Record<string, unknown> = { ...before, ...given };
  if (typeof record['telephone'] === 'string') record['telephone'] = writePhone(record['telephone']);
  if (name === 'customers')
    record['postalAddress'] = {
      ...(before['postalAddress'] as object),
      ...(given['postalAddress'] as object | undefined),
    };
  for (const list of ['invoiceLines', 'creditNoteLines'])
    if (Array.isArray(record[list])) record[list] = record[list].map((one) => ({ ...blankLine, ...(one as object) }));
  return record;
}
