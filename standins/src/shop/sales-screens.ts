import type { Hono } from 'hono';
import { html } from 'hono/html';
import { type Html, page, type Skin } from '../kit/page.ts';
import { type Order, orderStates, type Product, totalsOf } from './sales.ts';
import type { ShopStore } from './store.ts';

const pageSize = 50;

/** The shop's screens of what it sells and sold: a person sells something, sees it paid and sent. */
export function addSalesScreens(app: Hono, skin: Skin, store: ShopStore): void {
  const { sales, webhooks } = store;
  app.get('/orders', (c) => {
    const at = Number(c.req.query('at') ?? 0) || 0;
    const orders = sales.orders.list({}, { limit: pageSize, offset: at, newestFirst: true });
    const rows = orders.map(
      (
        one,
      ) => html`<tr><td><a href="/orders/${one.id}">${one.number}</a></td><td>${one.customer_name}</td><td>${one.email}</td><td>${one.status}</td>
        <td>${one.lines.length}</td><td>${one.total} ${one.currency}</td><td>${one.placed_at.slice(0, 16).replace('T', ' ')}</td></tr>`,
    );
    return c.html(
      page(
        skin,
        `Orders (${sales.orders.count()})`,
        html`<p class="bar"><a href="/orders/new">Sell something</a></p>
          <table><tr><th>No.</th><th>Customer</th><th>E-mail</th><th>Status</th><th>Lines</th><th>Total</th><th>Placed</th></tr>${rows}</table>
          ${older(at, orders.length)}`,
      ),
    );
  });
  app.get('/orders/new', (c) => c.html(page(skin, 'Sell something', orderForm(products(store)))));
  app.post('/orders/new', async (c) => {
    const form = await c.req.parseBody();
    const lines = products(store).flatMap((product) => {
      const quantity = Number(form[`quantity_${product.sku}`] ?? 0);
      if (!(quantity > 0)) return [];
      return [
        {
          sku: product.sku,
          name: product.name,
          quantity,
          unit_price: product.price,
          discount: '0.00',
          tax_rate: product.tax_rate,
        },
      ];
    });
    const name = String(form['customer_name'] ?? '').trim();
    if (name === '' || lines.length === 0)
      return c.html(
        page(skin, 'Sell something', orderForm(products(store), 'Enter a name, and how many of at least one product.')),
        400,
      );
    const order: Order = {
      number: `S-${90_000 + sales.orders.count()}`,
      status: 'open',
      customer_id: null,
      customer_name: name,
      email: String(form['email'] ?? '').trim() || null,
      phone: null,
      company: null,
      currency: 'GBP',
      placed_at: new Date().toISOString(),
      paid_at: null,
      ship_to: { street: null, city: null, postcode: null, country: 'GB' },
      shipping: '4.95',
      note: String(form['note'] ?? '').trim() || null,
      ...totalsOf(lines, '4.95'),
    };
    const added = sales.orders.add(order);
    webhooks.tell('orders.added', added);
    return c.redirect(`/orders/${added.id}`);
  });
  app.get('/orders/:id', (c) => {
    const order = sales.orders.get(Number(c.req.param('id')));
    if (!order) return c.html(page(skin, 'Not found', html`<p>There is no such order.</p>`), 404);
    return c.html(page(skin, `Order ${order.number}`, orderView(order)));
  });
  app.post('/orders/:id', async (c) => {
    const id = Number(c.req.param('id'));
    const form = await c.req.parseBody();
    const wanted = orderStates.find((one) => one === form['status']);
    if (wanted) {
      const paid = wanted === 'paid' ? { paid_at: new Date().toISOString() } : {};
      const changed = sales.orders.change(id, { status: wanted, ...paid });
      if (changed) webhooks.tell('orders.changed', changed);
    }
    return c.redirect(`/orders/${id}`);
  });
  app.get('/products', (c) =>
    c.html(
      page(
        skin,
        `Products (${sales.products.count()})`,
        html`<table><tr><th>Code</th><th>Name</th><th>Price without tax</th><th>Tax</th><th>In stock</th></tr>
          ${products(store).map((one) => html`<tr><td>${one.sku}</td><td>${one.name}</td><td>${one.price} ${one.currency}</td><td>${one.tax_rate} %</td><td>${one.in_stock}</td></tr>`)}
        </table>`,
      ),
    ),
  );
  app.get('/refunds', (c) =>
    c.html(
      page(
        skin,
        `Refunds (${sales.refunds.count()})`,
        html`<table><tr><th>Order</th><th>Amount</th><th>Reason</th></tr>
          ${sales.refunds.list({}, { limit: 200, newestFirst: true }).map((one) => html`<tr><td><a href="/orders/${one.order_id}">${one.order_number}</a></td><td>${one.amount} ${one.currency}</td><td>${one.reason}</td></tr>`)}
        </table>`,
      ),
    ),
  );
}

const products = (store: ShopStore): Product[] => store.sales.products.list({}, { limit: 200 });

const older = (at: number, count: number): Html => html`<p class="bar">
  ${at > 0 ? html`<a href="?at=${Math.max(0, at - pageSize)}">Newer</a>` : ''}
  ${count === pageSize ? html`<a href="?at=${at + pageSize}">Older</a>` : ''}
</p>`;

function orderView(order: Order & { readonly id: number }): Html {
  return html`<p>${order.customer_name}, ${order.email ?? 'no e-mail'}. Placed ${order.placed_at.slice(0, 10)}. ${order.note ?? ''}</p>
    <table>
      <tr><th>Code</th><th>Name</th><th>Quantity</th><th>Price</th><th>Discount</th><th>Tax</th><th>Line</th></tr>
      ${order.lines.map((line) => html`<tr><td>${line.sku}</td><td>${line.name}</td><td>${line.quantity}</td><td>${line.unit_price}</td><td>${line.discount}</td><td>${line.tax_rate} %</td><td>${line.line_total}</td></tr>`)}
    </table>
    <p>Delivery ${order.shipping}, tax ${order.tax_total}, total <strong>${order.total} ${order.currency}</strong>.</p>
    <form method="post" action="/orders/${order.id}" class="bar">
      <label for="status">Status</label>
      <select id="status" name="status">${orderStates.map((one) => html`<option ${one === order.status ? 'selected' : ''}>${one}</option>`)}</select>
      <button>Save status</button>
    </form>`;
}

function orderForm(all: readonly Product[], error?: string): Html {
  return html`${error ? html`<p class="error" role="alert">${error}</p>` : ''}
    <form method="post" action="/orders/new" class="fields">
      <label for="customer_name">Customer</label><input id="customer_name" name="customer_name" />
      <label for="email">E-mail</label><input id="email" name="email" type="email" />
      <label for="note">Note</label><input id="note" name="note" />
      ${all.map((one) => html`<label for="quantity_${one.sku}">${one.name}</label><input id="quantity_${one.sku}" name="quantity_${one.sku}" type="number" min="0" value="0" />`)}
      <span></span><button>Sell</button>
    </form>`;
}
