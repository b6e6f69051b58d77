import { Hono } from 'hono';
import { html } from 'hono/html';
import type { AppKey } from '../kit/bearer.ts';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import type { WindowStore } from './store.ts';

const skin: Skin = {
  title: 'Window display',
  accent: '#5a3d6b',
  links: [
    { href: '/', text: 'Sections and entries' },
    { href: '/site', text: 'As the public sees it' },
    { href: '/mentions', text: 'Mentions' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

/** The Window display's own screens: what stands in the website's sections, hidden or shown. */
export function windowScreens(store: WindowStore, keys: readonly AppKey[], state: PracticeState): Hono {
  const app = new Hono();
  const show = (title: string, body: Html): Html => page(skin, title, body);
  app.get('/', (c) => c.html(show('Sections and entries', entries(store))));
  app.post('/entries/:id', (c) => {
    const found = store.entries.get(Number(c.req.param('id')));
    if (found) store.entries.change(found.id, { state: found.state === 'shown' ? 'hidden' : 'shown' });
    return c.redirect('/');
  });
  app.get('/site', (c) => c.html(show('What people say', site(store))));
  app.get('/mentions', (c) => c.html(show('Mentions', mentions(store))));
  app.post('/mentions', async (c) => {
    const body = await c.req.parseBody();
    const [author, text] = ['author', 'text'].map((name) => String(body[name] ?? '').trim());
    if (author && text)
      store.mentions.add({ where: 'a letter', author, text, link: `https://mentions.example/${Date.now()}` });
    return c.redirect('/mentions');
  });
  app.get('/practice', (c) => {
    const shown = keys.map(({ name, mayWrite, key }) => ({ name, key, rights: mayWrite ? 'read and write' : 'read' }));
    const how = 'Other programs send one of these keys as a bearer token in the Authorization header.';
    return c.html(practicePage(skin, state, shown, how));
  });
  return app;
}

function entries(store: WindowStore): Html {
  return html`${store.sections.list({}, { limit: 50 }).map(
    (section) =>
      html`<h1 id="s${section.id}">${section.name}</h1>
        <table style="margin-bottom:20px">
          <tr><th>Title</th><th>Text</th><th>Author</th><th>State</th><th></th></tr>
          ${store.entries
            .list({ section: String(section.id) }, { limit: 500, newestFirst: true })
            .map(
              (one) =>
                html`<tr id="e${one.id}"><td>${one.title}</td><td>${one.text}</td><td>${one.author ?? ''}</td><td>${one.state}</td><td><form method="post" action="/entries/${one.id}"><button class="quiet">${one.state === 'shown' ? 'Hide' : 'Show'}</button></form></td></tr>`,
            )}
        </table>`,
  )}`;
}

function site(store: WindowStore): Html {
  const shown = store.entries.list({}, { limit: 500, newestFirst: true }).filter(({ state }) => state === 'shown');
  return html`${shown.map(
    (one) => html`<blockquote><p>${one.text || one.title}</p><p class="muted">${one.author ?? ''}</p></blockquote>`,
  )}`;
}

function mentions(store: WindowStore): Html {
  const all = store.mentions.list({}, { limit: 500, newestFirst: true });
  return html`<form method="post" class="bar">
      <label>Author <input name="author" required /></label><label>What they wrote <input name="text" required /></label>
      <button class="quiet">Add mention</button>
    </form>
    <table>
      <tr><th>Where</th><th>Author</th><th>Text</th></tr>
      ${all.map((one) => html`<tr id="m${one.id}"><td>${one.where}</td><td>${one.author}</td><td>${one.text}</td></tr>`)}
    </table>`;
}
