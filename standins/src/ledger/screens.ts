import { Hono } from 'hono';
import { html } from 'hono/html';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import { tokensForm } from '../kit/sign-in.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { type Company, companies, type LedgerCustomer, type LedgerStore, writePhone } from './store.ts';

/** How the Ledger’s own screens look. */
export const ledgerSkin: Skin = {
  title: 'Ledger',
  accent: '#2c3e66',
  links: [
    ...companies.map((one) => ({ href: `/${one.id}/customers`, text: one.id === 'retail' ? 'Retail' : 'Trade' })),
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

const pageSize = 50;
const kinds = ['customers', 'items', 'invoices', 'payments', 'creditNotes'] as const;

const amount = (minor: number, currency: string): string => `${(minor / 100).toFixed(2)} ${currency}`;

/** The Ledger's own screens: both companies' customers, items, invoices and payments. */
export function ledgerScreens(store: LedgerStore, state: PracticeState): Hono {
  const app = new Hono();
  app.get('/', (c) => c.redirect('/retail/customers'));
  app.get('/practice', (c) =>
    c.html(
      practicePage(
        ledgerSkin,
        state,
        [],
        'Other programs sign in with a person’s leave. Access tokens hold an hour and are renewed.',
        tokensForm,
      ),
    ),
  );
  app.get('/:company/:kind', (c) => {
    const company = companies.find((one) => one.id === c.req.param('company'));
    const kind = kinds.find((one) => one === c.req.param('kind'));
    if (!company || !kind) return c.html(page(ledgerSkin, 'Not found', html`<p>There is no such page.</p>`), 404);
    const at = Number(c.req.query('at') ?? 0) || 0;
    const count = store[kind].count({ company: company.id });
    return c.html(page(ledgerSkin, `${company.name}: ${kind} (${count})`, overview(store, company, kind, at)));
  });
  app.get('/:company/customers/new', (c) => {
    const company = companies.find((one) => one.id === c.req.param('company'));
    if (!company) return c.html(page(ledgerSkin, 'Not found', html`<p>There is no such company.</p>`), 404);
    return c.html(page(ledgerSkin, 'Add a customer', customerForm(company)));
  });
  app.post('/:company/customers/new', async (c) => {
    const company = companies.find((one) => one.id === c.req.param('company'));
    if (!company) return c.html(page(ledgerSkin, 'Not found', html`<p>There is no such company.</p>`), 404);
    const form = await c.req.parseBody();
    const given = (name: string): string | null => String(form[name] ?? '').trim() || null;
    const name = given('name');
    if (!name) return c.html(page(ledgerSkin, 'Add a customer', customerForm(company, 'Enter a name.')), 400);
    const telephone = given('telephone');
    const added = store.customers.add({
      company: company.id,
      name,
      contactName: null,
      electronicMail: given('electronicMail'),
      telephone: telephone && writePhone(telephone),
      companyId: given('companyId'),
      postalAddress: { streetName: null, cityName: null, postalZone: null, countryCode: null },
      paymentTermsDays: 30,
      reference: null,
    });
    return c.redirect(`/${company.id}/customers/${added.id}`);
  });
  app.get('/:company/customers/:id', (c) => {
    const found = store.customers.get(Number(c.req.param('id')));
    if (found?.company !== c.req.param('company'))
      return c.html(page(ledgerSkin, 'Not found', html`<p>There is no such customer.</p>`), 404);
    return c.html(page(ledgerSkin, found.name, html`${facts(found)}${changeForm(found)}`));
  });
  app.post('/:company/customers/:id', async (c) => {
    const found = store.customers.get(Number(c.req.param('id')));
    if (found?.company !== c.req.param('company'))
      return c.html(page(ledgerSkin, 'Not found', html`<p>There is no such customer.</p>`), 404);
    const form = await c.req.parseBody();
    const list = `/${found.company}/customers`;
    if (form['do'] === 'remove') {
      store.customers.remove(found.id);
      return c.redirect(list);
    }
    if (form['do'] === 'copy') {
      const { id: _id, created_at: _created, updated_at: _updated, ...content } = found;
      return c.redirect(`${list}/${store.customers.add(content).id}`);
    }
    const given = (name: string): string | null => String(form[name] ?? '').trim() || null;
    const telephone = given('telephone');
    store.customers.change(found.id, {
      name: given('name') ?? found.name,
      electronicMail: given('electronicMail'),
      telephone: telephone && writePhone(telephone),
    });
    return c.redirect(`${list}/${found.id}`);
  });
  app.get('/:company/items/:id', (c) => {
    const found = store.items.get(Number(c.req.param('id')));
    if (found?.company !== c.req.param('company'))
      return c.html(page(ledgerSkin, 'Not found', html`<p>There is no such item.</p>`), 404);
    return c.html(page(ledgerSkin, found.name, facts(found)));
  });
  app.get('/:company/invoices/:id', (c) => {
    const found = store.invoices.get(Number(c.req.param('id')));
    if (found?.company !== c.req.param('company'))
      return c.html(page(ledgerSkin, 'Not found', html`<p>There is no such invoice.</p>`), 404);
    const { currencyCode: currency } = found;
    return c.html(
      page(
        ledgerSkin,
        `Invoice ${found.invoiceNumber}`,
        html`<p>${store.customers.get(found.customerId)?.name ?? found.customerId}, issued ${found.issueDate}, due ${found.dueDate ?? 'on receipt'}. Reference ${found.reference ?? 'none'}.</p>
          <table>
            <tr><th>No.</th><th>Item</th><th>Quantity</th><th>Price</th><th>Allowance</th><th>Net</th><th>Tax</th></tr>
            ${found.invoiceLines.map(
              (
                line,
                number,
              ) => html`<tr><td>${number + 1}</td><td>${line.itemName}</td><td>${line.invoicedQuantity}</td><td>${amount(line.priceAmount, currency)}</td>
                <td>${amount(line.allowanceAmount, currency)}</td><td>${amount(line.lineExtensionAmount, currency)}</td><td>${line.taxPercent} %</td></tr>`,
            )}
          </table>
          <p>Lines ${amount(found.lineExtensionAmount, currency)}, delivery ${amount(found.chargeTotalAmount, currency)}, tax ${amount(found.taxAmount, currency)}, to pay <strong>${amount(found.payableAmount, currency)}</strong>.</p>`,
      ),
    );
  });
  return app;
}

/** What somebody does to a customer by hand: changes it, copies it, removes it. */
function changeForm({ name, electronicMail, telephone }: LedgerCustomer): Html {
  return html`<h2>Change it</h2>
    <form method="post">
      <label>Name <input name="name" value="${name}"></label>
      <label>E-mail <input name="electronicMail" value="${electronicMail ?? ''}"></label>
      <label>Telephone <input name="telephone" value="${telephone ?? ''}"></label>
      <button name="do" value="save">Save</button>
      <button name="do" value="copy">Copy</button>
      <button name="do" value="remove">Remove</button>
    </form>`;
}

function overview(store: LedgerStore, company: Company, kind: (typeof kinds)[number], at: number): Html {
  const where = { company: company.id };
  const window = { limit: pageSize, offset: at, newestFirst: true };
  const link = (id: number, text: string): Html => html`<a href="/${company.id}/${kind}/${id}">${text}</a>`;
  const tabs = html`<p class="bar">${kinds.map((one) => html`<a href="/${company.id}/${one}">${one}</a>`)}</p>`;
  const rows = ((): Html[] => {
    switch (kind) {
      case 'customers':
        return store.customers
          .list(where, window)
          .map(
            (one) =>
              html`<tr><td>${one.id}</td><td>${link(one.id, one.name)}</td><td>${one.electronicMail}</td><td>${one.telephone}</td><td>${one.postalAddress.countryCode}</td><td>${one.reference}</td></tr>`,
          );
      case 'items':
        return store.items
          .list(where, window)
          .map(
            (one) =>
              html`<tr><td>${one.id}</td><td>${link(one.id, one.name)}</td><td>${one.sellersItemId}</td><td>${amount(one.priceAmount, one.currencyCode)}</td><td>${one.taxPercent} %</td><td>${one.reference}</td></tr>`,
          );
      case 'invoices':
        return store.invoices
          .list(where, window)
          .map(
            (one) =>
              html`<tr><td>${one.id}</td><td>${link(one.id, one.invoiceNumber)}</td><td>${one.issueDate}</td><td>${amount(one.payableAmount, one.currencyCode)}</td><td>${one.invoiceLines.length} lines</td><td>${one.reference}</td></tr>`,
          );
      case 'creditNotes':
        return store.creditNotes
          .list(where, window)
          .map(
            (one) =>
              html`<tr><td>${one.id}</td><td>${one.creditNoteNumber}</td><td>${one.issueDate}</td><td>${amount(one.payableAmount, one.currencyCode)}</td><td>${store.invoices.get(one.invoiceId)?.invoiceNumber}</td><td>${one.reference}</td></tr>`,
          );
      case 'payments':
        return store.payments
          .list(where, window)
          .map(
            (one) =>
              html`<tr><td>${one.id}</td><td>${one.invoiceId}</td><td>${one.paidDate}</td><td>${amount(one.amount, one.currencyCode)}</td><td></td><td>${one.reference}</td></tr>`,
          );
    }
  })();
  return html`${tabs}
    ${kind === 'customers' ? html`<p class="bar"><a href="/${company.id}/customers/new">Add a customer</a></p>` : ''}
    <table><tr>${headings[kind].map((one) => html`<th>${one}</th>`)}</tr>${rows}</table>
    ${rows.length === 0 ? html`<p class="muted">Nothing here yet.</p>` : ''}
    <p class="bar">
      ${at > 0 ? html`<a href="?at=${Math.max(0, at - pageSize)}">Newer</a>` : ''}
      ${rows.length === pageSize ? html`<a href="?at=${at + pageSize}">Older</a>` : ''}
    </p>`;
}

function customerForm(company: Company, error?: string): Html {
  const input = (name: string, label: string): Html =>
    html`<label for="${name}">${label}</label><input id="${name}" name="${name}" />`;
  return html`${error ? html`<p class="error" role="alert">${error}</p>` : ''}
    <form method="post" action="/${company.id}/customers/new" class="fields">
      ${input('name', 'Name')} ${input('electronicMail', 'E-mail')} ${input('telephone', 'Telephone')}
      ${input('companyId', 'Tax number')} <span></span><button>Save customer</button>
    </form>`;
}

const headings = {
  customers: ['No.', 'Name', 'E-mail', 'Telephone', 'Country', 'Reference'],
  items: ['No.', 'Name', 'Code', 'Price without tax', 'Tax', 'Reference'],
  invoices: ['No.', 'Invoice', 'Issued', 'To pay', '', 'Reference'],
  payments: ['No.', 'Invoice', 'Paid', 'Amount', '', 'Reference'],
  creditNotes: ['No.', 'Credit note', 'Issued', 'To pay back', 'Invoice', 'Reference'],
} as const;

/** Every fact of a record as two columns. */
function facts(record: object): Html {
  const flat = (value: object, name = ''): [string, unknown][] =>
    Object.entries(value).flatMap(([key, one]) =>
      one !== null && typeof one === 'object'
        ? flat(one, `${name}${key} · `)
        : [[`${name}${key}`, one] as [string, unknown]],
    );
  return html`<table>${flat(record).map(([name, value]) => html`<tr><th>${name}</th><td>${String(value ?? '')}</td></tr>`)}</table>`;
}
