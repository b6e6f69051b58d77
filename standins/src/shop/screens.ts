import { Hono } from 'hono';
import { html } from 'hono/html';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { addBookingScreens } from './booking-screens.ts';
import type { ShopKey } from './keys.ts';
import { addSalesScreens } from './sales-screens.ts';
import type { Customer, CustomerInput, ShopStore } from './store.ts';

const skin: Skin = {
  title: 'Shop counter',
  accent: '#7a3b1d',
  links: [
    { href: '/', text: 'Customers' },
    { href: '/orders', text: 'Orders' },
    { href: '/products', text: 'Products' },
    { href: '/refunds', text: 'Refunds' },
    { href: '/bookings', text: 'Bookings' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

const pageSize = 50;

/** The shop's own screens, where a person adds and changes customers. */
export function shopScreens(store: ShopStore, keys: readonly ShopKey[], state: PracticeState): Hono {
  const app = new Hono();
  app.get('/', (c) => {
    const search = c.req.query('q') ?? '';
    const at = Number(c.req.query('at') ?? 0) || 0;
    return c.html(page(skin, `Customers (${store.count()})`, list(store.search(search, pageSize, at), search, at)));
  });
  app.get('/customers/new', (c) => c.html(page(skin, 'Add a customer', form('/customers/new', undefined))));
  app.post('/customers/new', async (c) => {
    const input = readForm(await c.req.parseBody());
    const error = check(input);
    if (error) return c.html(page(skin, 'Add a customer', form('/customers/new', input, error)), 400);
    const added = store.add(input);
    store.webhooks.tell('customers.added', added);
    return c.redirect(`/customers/${added.id}`);
  });
  app.get('/customers/:id', (c) => {
    const customer = store.get(Number(c.req.param('id')));
    if (!customer) return c.html(page(skin, 'Not found', html`<p>There is no such customer.</p>`), 404);
    return c.html(page(skin, `Customer ${customer.id}`, form(`/customers/${customer.id}`, customer)));
  });
  app.post('/customers/:id', async (c) => {
    const id = Number(c.req.param('id'));
    const input = readForm(await c.req.parseBody());
    const error = check(input);
    if (error) return c.html(page(skin, `Customer ${id}`, form(`/customers/${id}`, input, error)), 400);
    const changed = store.change(id, input);
    if (changed) store.webhooks.tell('customers.changed', changed);
    return c.redirect(`/customers/${id}`);
  });
  addSalesScreens(app, skin, store);
  addBookingScreens(app, skin, store);
  app.get('/practice', (c) => {
    const shown = keys.map((one) => ({
      key: one.key,
      name: one.name,
      rights: one.mayWrite ? 'read and write' : 'read only',
    }));
    return c.html(practicePage(skin, state, shown, 'Other programs send one of these keys in the header Shop-Key.'));
  });
  return app;
}

function list(customers: readonly Customer[], search: string, at: number): Html {
  const name = (one: Customer): string =>
    [one.first_name, one.last_name].filter(Boolean).join(' ') || one.company || 'no name';
  return html`<form class="bar">
      <input name="q" value="${search}" placeholder="Name, e-mail or number" aria-label="Search customers" />
      <button class="quiet">Search</button>
      <a href="/customers/new">Add a customer</a>
    </form>
    <table>
      <tr><th>No.</th><th>Name</th><th>Company</th><th>E-mail</th><th>Phone</th><th>Country</th><th>Changed</th></tr>
      ${customers.map(
        (one) => html`<tr>
          <td>${one.id}</td>
          <td><a href="/customers/${one.id}">${name(one)}</a></td>
          <td>${one.company}</td>
          <td>${one.email}</td>
          <td>${one.phone}</td>
          <td>${one.address.country}</td>
          <td>${one.updated_at.slice(0, 16).replace('T', ' ')}</td>
        </tr>`,
      )}
    </table>
    ${customers.length === 0 ? html`<p>No customers here. <a href="/customers/new">Add the first one.</a></p>` : ''}
    <p class="bar">
      ${at > 0 ? html`<a href="/?q=${search}&at=${Math.max(0, at - pageSize)}">Newer</a>` : ''}
      ${customers.length === pageSize ? html`<a href="/?q=${search}&at=${at + pageSize}">Older</a>` : ''}
    </p>`;
}

function form(action: string, customer: CustomerInput | undefined, error?: string): Html {
  const input = (name: string, label: string, value: string | null | undefined): Html =>
    html`<label for="${name}">${label}</label><input id="${name}" name="${name}" value="${value ?? ''}" />`;
  const address = customer?.address;
  const type = customer?.account_type ?? 'hobby';
  return html`${error ? html`<p class="error" role="alert">${error}</p>` : ''}
    <form method="post" action="${action}" class="fields">
      ${input('first_name', 'First name', customer?.first_name)} ${input('last_name', 'Last name', customer?.last_name)}
      ${input('company', 'Company', customer?.company)} ${input('email', 'E-mail', customer?.email)}
      ${input('phone', 'Phone', customer?.phone)}
      <label for="account_type">Account</label>
      <select id="account_type" name="account_type">
        <option value="hobby" ${type === 'hobby' ? 'selected' : ''}>hobby</option>
        <option value="trade" ${type === 'trade' ? 'selected' : ''}>trade</option>
      </select>
      ${input('vat_number', 'Tax number', customer?.vat_number)} ${input('street', 'Street', address?.street)}
      ${input('city', 'City', address?.city)} ${input('postcode', 'Postcode', address?.postcode)}
      ${input('country', 'Country (two letters)', address?.country)}
      <span></span><button>Save customer</button>
    </form>`;
}

function readForm(form: Record<string, unknown>): CustomerInput {
  const text = (name: string): string | null => String(form[name] ?? '') || null;
  return {
    first_name: text('first_name'),
    last_name: text('last_name'),
    company: text('company'),
    email: text('email'),
    phone: text('phone'),
    account_type: form['account_type'] === 'trade' ? 'trade' : 'hobby',
    vat_number: text('vat_number'),
    address: {
      street: text('street'),
      city: text('city'),
      postcode: text('postcode'),
      country: text('country')?.toUpperCase() ?? null,
    },
    newsletter: false,
  };
}

function check(input: CustomerInput): string | undefined {
  if (!input.first_name && !input.last_name && !input.company) return 'Enter a name or a company.';
  if (input.address.country && !/^[A-Z]{2}$/.test(input.address.country))
    return 'The country is two letters, such as GB.';
  return undefined;
}
