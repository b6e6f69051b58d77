import { Hono } from 'hono';
import { html } from 'hono/html';
import { z } from 'zod';
import type { AppKey } from '../kit/bearer.ts';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { type NewsList, type NewsletterStore, subscriberStatuses } from './store.ts';

const skin: Skin = {
  title: 'Newsletter list',
  accent: '#8a4b1f',
  links: [
    { href: '/', text: 'Lists' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

/** The Newsletter list's own screens: lists, and who is on one. */
export function newsletterScreens(store: NewsletterStore, keys: readonly AppKey[], state: PracticeState): Hono {
  const app = new Hono();
  const show = (title: string, body: Html): Html => page(skin, title, body);
  const listOf = (id: string): NewsList | undefined => store.lists().find((one) => one.id === id);
  app.get('/', (c) => c.html(show('Lists', lists(store))));
  app.post('/fields', async (c) => {
    const name = String((await c.req.parseBody())['name'] ?? '')
      .trim()
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '_');
    if (name !== '') store.addOwnField(name);
    return c.redirect('/');
  });
  app.get('/lists/:list', (c) => {
    const list = listOf(c.req.param('list'));
    if (!list) return c.html(show('Not found', html`<p>There is no such list.</p>`), 404);
    return c.html(show(list.name, subscribers(store, list)));
  });
  app.post('/lists/:list', async (c) => {
    const list = listOf(c.req.param('list'));
    if (!list) return c.html(show('Not found', html`<p>There is no such list.</p>`), 404);
    const body = await c.req.parseBody();
    const email = z.email().safeParse(String(body['email'] ?? '').trim());
    if (!email.success || store.withEmail(list.id, email.data))
      return c.html(
        show(list.name, subscribers(store, list, 'It has to be an address that isn’t on the list yet.')),
        400,
      );
    const own = Object.fromEntries(store.ownFields().map((name) => [name, String(body[`own_${name}`] ?? '') || null]));
    store.add({
      list: list.id,
      email: email.data,
      name: String(body['name'] ?? '').trim() || null,
      status: 'subscribed',
      own,
    });
    return c.redirect(`/lists/${list.id}`);
  });
  app.post('/lists/:list/subscribers/:id', async (c) => {
    const status = subscriberStatuses.find((one) => one === c.req.query('status'));
    if (status) store.change(Number(c.req.param('id')), { status });
    return c.redirect(`/lists/${c.req.param('list')}`);
  });
  app.get('/practice', (c) => {
    const shown = keys.map(({ name, mayWrite, key }) => ({ name, key, rights: mayWrite ? 'read and write' : 'read' }));
    const how = 'Other programs send one of these keys as a bearer token in the Authorization header.';
    return c.html(practicePage(skin, state, shown, how));
  });
  return app;
}

function lists(store: NewsletterStore): Html {
  return html`<table>
      <tr><th>List</th><th>People</th></tr>
      ${store
        .lists()
        .map(
          ({ id, name }) =>
            html`<tr><td><a href="/lists/${id}">${name}</a></td><td>${store.subscribers.count({ list: id })}</td></tr>`,
        )}
    </table>
    <p>Own fields: ${store.ownFields().join(', ') || 'none'}</p>
    <form method="post" action="/fields" class="bar">
      <label>Another field <input name="name" required /></label><button class="quiet">Add field</button>
    </form>`;
}

function subscribers(store: NewsletterStore, list: NewsList, error?: string): Html {
  const own = store.ownFields();
  const all = store.subscribers.list({ list: list.id }, { limit: 500, newestFirst: true });
  return html`${error ? html`<p class="error">${error}</p>` : ''}
    <form method="post" class="fields">
      <label for="email">E-mail</label><input id="email" name="email" required />
      <label for="name">Name</label><input id="name" name="name" />
      ${own.map((name) => html`<label for="own_${name}">${name}</label><input id="own_${name}" name="own_${name}" />`)}
      <span></span><button>Subscribe</button>
    </form>
    <table style="margin-top:20px">
      <tr><th>E-mail</th><th>Name</th><th>Status</th>${own.map((name) => html`<th>${name}</th>`)}<th></th></tr>
      ${all.map(
        (one) =>
          html`<tr id="s${one.id}"><td>${one.email}</td><td>${one.name ?? ''}</td><td>${one.status}</td>${own.map(
            (name) => html`<td>${one.own[name] ?? ''}</td>`,
          )}<td>${
            one.status === 'subscribed'
              ? html`<form method="post" action="/lists/${list.id}/subscribers/${one.id}?status=unsubscribed" style="display:inline"><button class="quiet">Unsubscribe</button></form>
                <form method="post" action="/lists/${list.id}/subscribers/${one.id}?status=bounced" style="display:inline"><button class="quiet">Mails come back</button></form>`
              : html`<form method="post" action="/lists/${list.id}/subscribers/${one.id}?status=subscribed" style="display:inline"><button class="quiet">Subscribe again</button></form>`
          }</td></tr>`,
      )}
    </table>`;
}
