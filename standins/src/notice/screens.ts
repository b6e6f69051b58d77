import { Hono } from 'hono';
import { html } from 'hono/html';
import type { AppKey } from '../kit/bearer.ts';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import type { NoticeStore } from './store.ts';

const skin: Skin = {
  title: 'Notice board',
  accent: '#3a4f7a',
  links: [
    { href: '/', text: 'Channels' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

/** The Notice board's own screens: channels, and the messages of one. */
export function noticeScreens(store: NoticeStore, keys: readonly AppKey[], state: PracticeState): Hono {
  const app = new Hono();
  const show = (title: string, body: Html): Html => page(skin, title, body);
  app.get('/', (c) => c.html(show('Channels', channels(store))));
  app.post('/channels', async (c) => {
    const name = String((await c.req.parseBody())['name'] ?? '').trim();
    const id = name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-|-$/g, '');
    if (id === '' || store.channels().some((one) => one.id === id))
      return c.html(show('Channels', channels(store, 'A channel needs a name that no other has.')), 400);
    store.addChannel(id, name);
    return c.redirect(`/channels/${id}`);
  });
  app.get('/channels/:channel', (c) => {
    const channel = store.channels().find(({ id }) => id === c.req.param('channel'));
    if (!channel) return c.html(show('Not found', html`<p>There is no such channel.</p>`), 404);
    const all = store.messages.list({ channel: channel.id }, { limit: 100, newestFirst: true });
    return c.html(
      show(
        channel.name,
        html`<form method="post" class="fields">
            <label for="author">From</label><input id="author" name="author" required value="Front desk" />
            <label for="text">Message</label><textarea id="text" name="text" rows="3" required></textarea>
            <span></span><button>Post message</button>
          </form>
          <table style="margin-top:20px">
            <tr><th>When</th><th>From</th><th>Message</th></tr>
            ${all.map(
              (one) =>
                html`<tr id="m${one.id}"><td>${one.created_at.slice(0, 16).replace('T', ' ')}</td><td>${one.author}</td><td>${one.text}</td></tr>`,
            )}
          </table>`,
      ),
    );
  });
  app.post('/channels/:channel', async (c) => {
    const channel = c.req.param('channel');
    const body = await c.req.parseBody();
    const [author, text] = [String(body['author'] ?? '').trim(), String(body['text'] ?? '').trim()];
    if (author !== '' && text !== '' && store.channels().some(({ id }) => id === channel))
      store.write({ channel, author, text });
    return c.redirect(`/channels/${channel}`);
  });
  app.get('/practice', (c) => {
    const shown = keys.map(({ name, mayWrite, key }) => ({ name, key, rights: mayWrite ? 'read and write' : 'read' }));
    const how = 'Other programs send one of these keys as a bearer token in the Authorization header.';
    return c.html(practicePage(skin, state, shown, how));
  });
  return app;
}

function channels(store: NoticeStore, error?: string): Html {
  return html`${error ? html`<p class="error">${error}</p>` : ''}
    <table>
      <tr><th>Channel</th><th>Messages</th></tr>
      ${store
        .channels()
        .map(
          ({ id, name }) =>
            html`<tr><td><a href="/channels/${id}">${name}</a></td><td>${store.messages.count({ channel: id })}</td></tr>`,
        )}
    </table>
    <form method="post" action="/channels" class="bar" style="margin-top:20px">
      <label>Another channel <input name="name" required /></label><button class="quiet">Add channel</button>
    </form>`;
}
