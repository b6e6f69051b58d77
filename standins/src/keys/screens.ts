import { Hono } from 'hono';
import { html } from 'hono/html';
import type { AppKey } from '../kit/bearer.ts';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { blank, type KeyStore } from './store.ts';

const skin: Skin = {
  title: 'Key cabinet',
  accent: '#3d4a63',
  links: [
    { href: '/', text: 'Accounts' },
    { href: '/groups', text: 'Groups' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

/** The Key cabinet's own screens: who has an account, and in which groups. */
export function keyCabinetScreens(store: KeyStore, keys: readonly AppKey[], state: PracticeState): Hono {
  const app = new Hono();
  const show = (title: string, body: Html): Html => page(skin, title, body);
  app.get('/', (c) => c.html(show('Accounts', accounts(store))));
  app.post('/', async (c) => {
    const userName = String((await c.req.parseBody())['userName'] ?? '').trim();
    if (userName === '' || store.accounts.list({ userName }, { limit: 1 })[0])
      return c.html(show('Accounts', accounts(store, `“${userName}” is taken, or no name.`)), 400);
    store.accounts.add({ ...blank(userName), active: false });
    return c.redirect('/');
  });
  app.post('/accounts/:id', (c) => {
    const found = store.accounts.get(Number(c.req.param('id')));
    if (found) store.accounts.change(found.id, { active: !found.active });
    return c.redirect('/');
  });
  app.get('/groups', (c) => c.html(show('Groups', groups(store))));
  app.post('/groups', async (c) => {
    const displayName = String((await c.req.parseBody())['displayName'] ?? '').trim();
    if (displayName !== '') store.groups.add({ displayName, externalId: null, members: [] });
    return c.redirect('/groups');
  });
  app.get('/practice', (c) => {
    const shown = keys.map(({ name, mayWrite, key }) => ({ name, key, rights: mayWrite ? 'read and write' : 'read' }));
    const how = 'Other programs speak SCIM 2.0 with it, and send one of these keys as a bearer token.';
    return c.html(practicePage(skin, state, shown, how));
  });
  return app;
}

function accounts(store: KeyStore, error?: string): Html {
  const all = store.accounts.list({}, { limit: 500, newestFirst: true });
  return html`${error ? html`<p class="error">${error}</p>` : ''}
    <form method="post" class="bar">
      <label>Another account <input name="userName" placeholder="user name" required /></label>
      <button class="quiet">Add, not active yet</button>
    </form>
    <table>
      <tr><th>User name</th><th>Name</th><th>E-mail</th><th>Department</th><th>Groups</th><th>Active</th><th></th></tr>
      ${all.map(
        (one) =>
          html`<tr id="a${one.id}"><td>${one.userName}</td><td>${[one.name.givenName, one.name.familyName].filter(Boolean).join(' ')}</td><td>${one.emails.map(({ value }) => value).join(', ')}</td><td>${one.department ?? ''}</td><td>${store
            .groupsOf(one.id)
            .map(({ displayName }) => displayName)
            .join(
              ', ',
            )}</td><td>${one.active ? 'active' : 'not active yet'}</td><td><form method="post" action="/accounts/${one.id}"><button class="quiet">${one.active ? 'Switch off' : 'Activate'}</button></form></td></tr>`,
      )}
    </table>`;
}

function groups(store: KeyStore): Html {
  return html`<form method="post" class="bar">
      <label>Another group <input name="displayName" required /></label><button class="quiet">Add group</button>
    </form>
    <table>
      <tr><th>Group</th><th>Accounts</th></tr>
      ${store
        .allGroups()
        .map(
          ({ id, displayName, members }) =>
            html`<tr id="g${id}"><td>${displayName}</td><td>${members.map((one) => store.accounts.get(one)?.userName ?? '').join(', ')}</td></tr>`,
        )}
    </table>`;
}
