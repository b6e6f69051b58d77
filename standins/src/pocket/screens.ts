import { Hono } from 'hono';
import { html } from 'hono/html';
import type { AppKey } from '../kit/bearer.ts';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import type { PocketStore } from './store.ts';

const skin: Skin = {
  title: 'Pocket messages',
  accent: '#6b3d6e',
  links: [
    { href: '/', text: 'Phones' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

const shownAt = (instant: string): string => instant.slice(0, 16).replace('T', ' ');

/** Pocket messages' own screens: the phones that were written to, and what is on one of them. */
export function pocketScreens(store: PocketStore, keys: readonly AppKey[], state: PracticeState): Hono {
  const app = new Hono();
  const show = (title: string, body: Html): Html => page(skin, title, body);
  app.get('/', (c) => c.html(show('Phones', phones(store))));
  app.get('/phones/:phone', (c) => {
    const phone = c.req.param('phone');
    const all = store.messages.list({ phone }, { limit: 500, newestFirst: true }).reverse();
    if (all.length === 0) return c.html(show('Not found', html`<p>Nothing was sent to this phone.</p>`), 404);
    return c.html(
      show(
        phone,
        html`<table>
            <tr><th>When</th><th>From</th><th>Message</th></tr>
            ${all.map(
              ({ id, created_at, way, text }) =>
                html`<tr id="m${id}"><td>${shownAt(created_at)}</td><td>${way === 'out' ? 'the business' : 'this phone'}</td><td style="white-space:pre-wrap">${text}</td></tr>`,
            )}
          </table>
          <form method="post" class="fields" style="margin-top:20px">
            <label for="text">Answer from this phone</label><textarea id="text" name="text" rows="2" required></textarea>
            <span></span><button>Send answer</button>
          </form>`,
      ),
    );
  });
  app.post('/phones/:phone', async (c) => {
    const phone = c.req.param('phone');
    const text = String((await c.req.parseBody())['text'] ?? '').trim();
    if (text !== '' && store.messages.count({ phone }) > 0) store.answer(phone, text);
    return c.redirect(`/phones/${encodeURIComponent(phone)}`);
  });
  app.get('/practice', (c) => {
    const shown = keys.map(({ name, mayWrite, key }) => ({ name, key, rights: mayWrite ? 'read and send' : 'read' }));
    const how = 'Other programs send one of these keys as a bearer token in the Authorization header.';
    return c.html(practicePage(skin, state, shown, how));
  });
  return app;
}

function phones(store: PocketStore): Html {
  const all = store.phones();
  if (all.length === 0) return html`<p>No message was sent yet.</p>`;
  return html`<table>
    <tr><th>Phone</th><th>Last message</th><th>When</th></tr>
    ${all.map(
      ({ phone, text, created_at }) =>
        html`<tr><td><a href="/phones/${encodeURIComponent(phone)}">${phone}</a></td><td>${text.slice(0, 80)}</td><td>${shownAt(created_at)}</td></tr>`,
    )}
  </table>`;
}
