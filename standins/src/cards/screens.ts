import { Hono } from 'hono';
import { html } from 'hono/html';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import type { CardKey } from './api.ts';
import type { CardStore, KeptCard } from './store.ts';
import type { Attribute, CardType } from './types.ts';

const pageSize = 50;
const spaced = (name: string): string => name.replace(/([A-Z])/g, (letter) => ` ${letter.toLowerCase()}`);
const capital = (text: string): string => text.slice(0, 1).toUpperCase() + text.slice(1);

function skinOf(store: CardStore): Skin {
  return {
    title: 'Card index',
    accent: '#6b3d52',
    links: [
      ...store.types().map((type) => ({ href: `/${type.name}`, text: capital(type.name) })),
      { href: '/fields', text: 'Own fields' },
      { href: '/practice', text: 'Access keys and faults' },
    ],
  };
}

/** The name a card is known by. */
export function cardTitle({ attributes: a, id }: KeptCard): string {
  const name = [a['firstName'], a['lastName']].filter(Boolean).join(' ');
  return String(a['name'] ?? (name || (a['title'] ?? `No. ${id}`)));
}

/** The Card index's own screens: cards of each type, one card, a new card, fields and record types of one's own. */
export function cardScreens(store: CardStore, keys: readonly CardKey[], state: PracticeState): Hono {
  const app = new Hono();
  const show = (title: string, body: Html): Html => page(skinOf(store), title, body);
  const missing = (): Html => show('Not found', html`<p>There is no such page.</p>`);
  app.get('/', (c) => c.redirect('/companies'));
  app.get('/practice', (c) =>
    c.html(
      practicePage(
        skinOf(store),
        state,
        keys.map(({ name, mayWrite, key }) => ({ name, key, rights: mayWrite ? 'read and write' : 'read' })),
        'Other programs send one of these keys as a bearer token in the Authorization header.',
      ),
    ),
  );
  app.get('/fields', (c) => c.html(show('Fields and record types of your own', ownFields(store))));
  app.post('/fields', async (c) => {
    const form = await c.req.parseBody();
    const name = String(form['name'] ?? '').trim();
    const type = store.type(String(form['type'] ?? ''));
    if (!type || !/^[a-z][A-Za-z0-9]{1,29}$/.test(name) || type.attributes.some((one) => one.name === name))
      return c.html(
        show(
          'Fields and record types of your own',
          ownFields(
            store,
            'A field’s name is of letters and figures, begins with a small letter, and stands once in its record type.',
          ),
        ),
        400,
      );
    store.addField(type.name, { name, kind: String(form['kind']) as Attribute['kind'], maxLength: 200 });
    return c.redirect('/fields');
  });
  app.post('/types', async (c) => {
    const form = await c.req.parseBody();
    const name = String(form['name'] ?? '').trim();
    if (
      !/^[a-z][a-z0-9_]{2,29}$/.test(name) ||
      store.type(name) ||
      ['fields', 'types', 'practice', 'api'].includes(name)
    )
      return c.html(
        show(
          'Fields and record types of your own',
          ownFields(store, 'A record type’s name is of small letters, in the plural, and not taken.'),
        ),
        400,
      );
    store.addType(name, String(form['singular'] ?? '').trim() || name.replace(/s$/, ''));
    return c.redirect('/fields');
  });
  app.get('/:type', (c) => {
    const type = store.type(c.req.param('type'));
    if (!type) return c.html(missing(), 404);
    const search = c.req.query('search')?.trim() ?? '';
    const at = Number(c.req.query('at') ?? 0) || 0;
    return c.html(show(`${capital(type.name)} (${countOf(store, type)})`, overview(store, type, search, at)));
  });
  app.get('/:type/new', (c) => {
    const type = store.type(c.req.param('type'));
    return type ? c.html(show(`Add a ${type.singular}`, cardForm(type))) : c.html(missing(), 404);
  });
  app.post('/:type/new', async (c) => {
    const type = store.type(c.req.param('type'));
    if (!type) return c.html(missing(), 404);
    const attributes = readForm(type, await c.req.parseBody());
    const lacks = type.attributes.find((one) => one.isRequired && !attributes[one.name]);
    if (lacks)
      return c.html(show(`Add a ${type.singular}`, cardForm(type, undefined, `Enter the ${spaced(lacks.name)}.`)), 400);
    const made = store
      .of(type.name)
      .add({ type: type.name, attributes, relationships: {}, archived: false, mergedInto: null });
    return c.redirect(`/${type.name}/${made.id}`);
  });
  app.get('/:type/:id', (c) => {
    const type = store.type(c.req.param('type'));
    const card = type && store.of(type.name).get(Number(c.req.param('id')));
    if (!type || !card) return c.html(missing(), 404);
    return c.html(show(cardTitle(card), oneCard(store, type, card)));
  });
  app.post('/:type/:id', async (c) => {
    const type = store.type(c.req.param('type'));
    const card = type && store.of(type.name).get(Number(c.req.param('id')));
    if (!type || !card) return c.html(missing(), 404);
    store
      .of(type.name)
      .change(card.id, { attributes: { ...card.attributes, ...readForm(type, await c.req.parseBody()) } });
    return c.redirect(`/${type.name}/${card.id}`);
  });
  return app;
}

const countOf = (store: CardStore, type: CardType): number =>
  store
    .of(type.name)
    .list({}, { limit: 1_000_000 })
    .filter((card) => !card.archived).length;

function readForm(type: CardType, form: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(
    type.attributes.map(({ name, kind }) => {
      const given = String(form[name] ?? '').trim();
      return [name, kind === 'boolean' ? given === 'yes' : given || null];
    }),
  );
}

function overview(store: CardStore, type: CardType, search: string, at: number): Html {
  const wanted = search.toLowerCase();
  const all = store
    .of(type.name)
    .list({}, { limit: 1_000_000, newestFirst: true })
    .filter(
      (card) => !card.archived && (wanted === '' || JSON.stringify(card.attributes).toLowerCase().includes(wanted)),
    );
  const shown = type.attributes
    .filter((one) => !['firstName', 'lastName', 'name', 'title'].includes(one.name))
    .slice(0, 6);
  const rows = all.slice(at, at + pageSize);
  return html`<form class="bar" method="get">
      <input name="search" value="${search}" aria-label="Search" placeholder="Search" /><button class="quiet">Search</button>
      <a href="/${type.name}/new">Add a ${type.singular}</a>
    </form>
    <table>
      <tr><th>No.</th><th>Name</th>${shown.map((one) => html`<th>${spaced(one.name)}</th>`)}</tr>
      ${rows.map(
        (card) =>
          html`<tr><td>${card.id}</td><td><a href="/${type.name}/${card.id}">${cardTitle(card)}</a></td>${shown.map((one) => html`<td>${shownValue(card.attributes[one.name])}</td>`)}</tr>`,
      )}
    </table>
    ${rows.length === 0 ? html`<p class="muted">Nothing here yet.</p>` : ''}
    <p class="bar">
      ${at > 0 ? html`<a href="?search=${search}&at=${Math.max(0, at - pageSize)}">Newer</a>` : ''}
      ${all.length > at + pageSize ? html`<a href="?search=${search}&at=${at + pageSize}">Older</a>` : ''}
    </p>`;
}

const shownValue = (value: unknown): string => (value === true ? 'yes' : value === false ? 'no' : String(value ?? ''));

function oneCard(store: CardStore, type: CardType, card: KeptCard): Html {
  const leading = store.leadingTo(type.name, String(card.id));
  const names = Object.entries(type.relationships).map(([name, to]) => {
    const id = card.relationships[name];
    const there = id ? store.of(to).get(Number(id)) : undefined;
    return html`<tr><th>${spaced(name)}</th><td>${there ? html`<a href="/${to}/${there.id}">${cardTitle(there)}</a>` : html`<span class="muted">none</span>`}</td></tr>`;
  });
  return html`${
    card.archived
      ? html`<p class="error">Put away${card.mergedInto ? html`: merged into <a href="/${type.name}/${card.mergedInto}">no. ${card.mergedInto}</a>` : ''}.</p>`
      : ''
  }
    ${cardForm(type, card)}
    <table style="margin-top:18px">
      <tr><th>No.</th><td>${card.id}</td></tr>
      ${names}
      <tr><th>leads here</th><td>${leading.length === 0 ? html`<span class="muted">nothing</span>` : leading.map((one) => html`<a href="/${one.type}/${one.id}">${one.type} ${one.id}</a> `)}</td></tr>
      <tr><th>changed</th><td>${card.updated_at}</td></tr>
    </table>`;
}

function cardForm(type: CardType, card?: KeptCard, error?: string): Html {
  const input = ({ name, kind, options, maxLength }: Attribute): Html => {
    const value = shownValue(card?.attributes[name]);
    const choices = kind === 'boolean' ? ['yes', 'no'] : options;
    const label = html`<label for="${name}">${capital(spaced(name))}</label>`;
    if (choices)
      return html`${label}<select id="${name}" name="${name}"><option></option>${choices.map((one) => html`<option ${one === value ? 'selected' : ''}>${one}</option>`)}</select>`;
    return html`${label}<input id="${name}" name="${name}" value="${value}" ${maxLength ? html`maxlength="${maxLength}"` : ''} />`;
  };
  return html`${error ? html`<p class="error" role="alert">${error}</p>` : ''}
    <form method="post" class="fields">
      ${type.attributes.map(input)} <span></span><button>Save ${type.singular}</button>
    </form>`;
}

function ownFields(store: CardStore, error?: string): Html {
  const types = store.types();
  const own = types.flatMap((type) =>
    type.attributes.filter((one) => one.isOwn).map((one) => ({ type: type.name, ...one })),
  );
  const kinds = ['text', 'email', 'phone', 'decimal', 'date', 'boolean'];
  return html`${error ? html`<p class="error" role="alert">${error}</p>` : ''}
    <table>
      <tr><th>Record type</th><th>Field</th><th>Holds</th></tr>
      ${own.map((one) => html`<tr><td>${one.type}</td><td>${one.name}</td><td>${one.kind}</td></tr>`)}
    </table>
    ${own.length === 0 ? html`<p class="muted">No fields of your own yet.</p>` : ''}
    <h1 style="margin-top:24px">Add a field</h1>
    <form method="post" action="/fields" class="fields">
      <label for="type">Record type</label><select id="type" name="type">${types.map((type) => html`<option>${type.name}</option>`)}</select>
      <label for="name">Name</label><input id="name" name="name" placeholder="kilnType" />
      <label for="kind">Holds</label><select id="kind" name="kind">${kinds.map((kind) => html`<option>${kind}</option>`)}</select>
      <span></span><button>Add the field</button>
    </form>
    <h1 style="margin-top:24px">Add a record type</h1>
    <form method="post" action="/types" class="fields">
      <label for="typeName">Name, in the plural</label><input id="typeName" name="name" placeholder="kilns" />
      <label for="singular">One of them</label><input id="singular" name="singular" placeholder="kiln" />
      <span></span><button>Add the record type</button>
    </form>`;
}
