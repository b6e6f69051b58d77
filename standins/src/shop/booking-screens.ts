import type { Hono } from 'hono';
import { html } from 'hono/html';
import { page, type Skin } from '../kit/page.ts';
import type { ShopStore } from './store.ts';

const openDays = ['2026-12-05', '2026-12-12', '2026-12-19', '2027-01-09', '2027-01-16'];

/** The bookings of open days, and the form by which somebody books a place. */
export function addBookingScreens(app: Hono, skin: Skin, { sales: { bookings } }: ShopStore): void {
  app.get('/bookings', (c) =>
    c.html(
      page(
        skin,
        `Bookings (${bookings.count()})`,
        html`<p class="bar"><a href="/bookings/new">Book an open day</a></p>
        <table><tr><th>Number</th><th>Day</th><th>Name</th><th>E-mail</th><th>Places</th><th>State</th></tr>
          ${bookings.list({}, { limit: 200, newestFirst: true }).map((one) => html`<tr><td>${one.number}</td><td>${one.day}</td><td>${one.name}</td><td>${one.email}</td><td>${one.places}</td><td>${one.status}</td></tr>`)}
        </table>`,
      ),
    ),
  );
  app.get('/bookings/new', (c) => c.html(page(skin, 'Book an open day', form())));
  app.post('/bookings/new', async (c) => {
    const given = await c.req.parseBody();
    const text = (name: string): string => String(given[name] ?? '').trim();
    const email = text('email');
    if (text('name') === '' || !email.includes('@'))
      return c.html(page(skin, 'Book an open day', form('Enter a name and an e-mail address.')), 400);
    bookings.add({
      number: `OD-${1000 + bookings.count() + 1}`,
      status: 'booked',
      day: openDays.includes(text('day')) ? text('day') : (openDays[0] as string),
      name: text('name'),
      email,
      phone: text('phone') || null,
      places: Math.max(1, Math.trunc(Number(text('places')) || 1)),
    });
    return c.redirect('/bookings');
  });
}

const form = (error?: string) => html`${error ? html`<p class="error" role="alert">${error}</p>` : ''}
  <form method="post" action="/bookings/new" class="fields">
    <label for="name">Name</label><input id="name" name="name" required maxlength="120">
    <label for="email">E-mail</label><input id="email" name="email" type="email" required maxlength="120">
    <label for="phone">Phone</label><input id="phone" name="phone" maxlength="40">
    <label for="day">Day</label>
    <select id="day" name="day">${openDays.map((day) => html`<option>${day}</option>`)}</select>
    <label for="places">Places</label><input id="places" name="places" type="number" min="1" max="20" value="1">
    <span></span><button>Book</button>
  </form>`;
