import { Hono } from 'hono';
import { html } from 'hono/html';
import type { AppKey } from '../kit/bearer.ts';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import type { EnquiryStore, Form, Question, Submission } from './store.ts';

const skin: Skin = {
  title: 'Enquiry box',
  accent: '#7a4a12',
  links: [
    { href: '/', text: 'Pages and forms' },
    { href: '/submissions', text: 'Submissions' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

/** A name as an id: small letters, figures, hyphens. */
const idOf = (title: string): string =>
  title
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 40);

/** The Enquiry box's own screens: pages with their forms, a form to fill in, what was filled in. */
export function enquiryScreens(store: EnquiryStore, keys: readonly AppKey[], state: PracticeState): Hono {
  const app = new Hono();
  const show = (title: string, body: Html): Html => page(skin, title, body);
  const missing = (): Html => show('Not found', html`<p>There is no such page.</p>`);
  app.get('/', (c) => c.html(show('Pages and forms', overview(store))));
  app.post('/pages', async (c) => {
    const title = String((await c.req.parseBody())['title'] ?? '').trim();
    const id = idOf(title);
    if (id === '' || store.page(id))
      return c.html(show('Pages and forms', overview(store, 'A page needs a name that no other has.')), 400);
    store.addPage(id, title);
    return c.redirect('/');
  });
  app.post('/pages/:page/forms', async (c) => {
    const at = store.page(c.req.param('page'));
    const body = await c.req.parseBody();
    const title = String(body['title'] ?? '').trim();
    const id = idOf(title);
    if (!at || id === '' || store.form(id))
      return c.html(show('Pages and forms', overview(store, 'A form needs a name that no other has.')), 400);
    const asked = String(body['question'] ?? '').trim();
    const questions: Question[] = asked === '' ? [] : [{ key: idOf(asked), label: asked, kind: 'text' }];
    store.addForm({ id, page: at.id, title, questions });
    return c.redirect('/');
  });
  app.get('/forms/:form', (c) => {
    const form = store.form(c.req.param('form'));
    return form ? c.html(show(form.title, toFillIn(form))) : c.html(missing(), 404);
  });
  app.post('/forms/:form', async (c) => {
    const form = store.form(c.req.param('form'));
    if (!form) return c.html(missing(), 404);
    const { id } = store.submit(filledIn(form, await c.req.parseBody()));
    return c.redirect(`/submissions/${id}`);
  });
  app.get('/submissions', (c) => c.html(show('Submissions', listed(store))));
  app.get('/submissions/:id', (c) => {
    const one = store.submissions.get(Number(c.req.param('id')));
    if (!one) return c.html(missing(), 404);
    const shown = Object.entries(store.shown(one)).map(([name, value]) => [name, asText(value)] as const);
    return c.html(
      show(
        `Submission ${one.id}`,
        html`<table>${shown.map(([name, value]) => html`<tr><th>${name}</th><td>${value}</td></tr>`)}</table>`,
      ),
    );
  });
  app.post('/practice/allow', (c) => {
    store.allowAll();
    return c.redirect('/practice');
  });
  app.get('/practice', (c) => {
    const withheld = store.pages().filter(({ allowed }) => !allowed);
    const leave = html`<form method="post" action="/practice/allow" class="bar">
      <span>${
        withheld.length === 0
          ? 'Programs with a key may see all pages.'
          : `Programs don’t see these pages yet: ${withheld.map(({ title }) => title).join(', ')}.`
      }</span>
      ${withheld.length > 0 ? html`<button>Allow all pages</button>` : ''}
    </form>`;
    const shown = keys.map(({ name, mayWrite, key }) => ({ name, key, rights: mayWrite ? 'read and write' : 'read' }));
    const how = 'Other programs send one of these keys as a bearer token in the Authorization header.';
    return c.html(practicePage(skin, state, shown, how, leave));
  });
  return app;
}

const asText = (value: unknown): string =>
  typeof value === 'object' && value !== null ? JSON.stringify(value) : String(value ?? '');

function overview(store: EnquiryStore, error?: string): Html {
  return html`${error ? html`<p class="error">${error}</p>` : ''}
    ${store.pages().map(
      (one) => html`<h1 id="${one.id}">${one.title}${one.allowed ? '' : ' (new: programs don’t see it yet)'}</h1>
        <ul>
          ${store
            .forms(one.id)
            .map(
              ({ id, title }) =>
                html`<li><a href="/forms/${id}">${title}</a> · ${store.submissions.count({ form: id })} submissions</li>`,
            )}
        </ul>
        <form method="post" action="/pages/${one.id}/forms" class="bar">
          <label>Another form on “${one.title}” <input name="title" required /></label>
          <label>asks also <input name="question" /></label>
          <button class="quiet">Add form</button>
        </form>`,
    )}
    <form method="post" action="/pages" class="bar" style="margin-top:28px">
      <label>Another page <input name="title" required /></label>
      <button class="quiet">Add page</button>
    </form>`;
}

function toFillIn(form: Form): Html {
  const field = (name: string, label: string, type = 'text'): Html =>
    html`<label for="${name}">${label}</label><input id="${name}" name="${name}" type="${type}" />`;
  return html`<form method="post" class="fields">
    ${field('name', 'Name')} ${field('email', 'E-mail', 'email')} ${field('phone', 'Phone')}
    <label for="message">Message</label><textarea id="message" name="message" rows="4"></textarea>
    ${form.questions.map(({ key, label, kind }) =>
      kind === 'yes_or_no'
        ? html`<label for="q-${key}">${label}</label><input id="q-${key}" name="q-${key}" type="checkbox" />`
        : field(`q-${key}`, label, kind === 'number' ? 'number' : 'text'),
    )}
    <span></span><button>Send</button>
  </form>`;
}

function filledIn(form: Form, body: Readonly<Record<string, unknown>>): Submission {
  const text = (name: string): string | null => String(body[name] ?? '').trim() || null;
  const answer = ({ key, kind }: Question) => {
    if (kind === 'yes_or_no') return body[`q-${key}`] !== undefined;
    const said = text(`q-${key}`);
    return kind === 'number' && said !== null ? Number(said) : said;
  };
  return {
    form: form.id,
    name: text('name'),
    email: text('email'),
    phone: text('phone'),
    message: text('message'),
    answers: Object.fromEntries(form.questions.map((one) => [one.key, answer(one)])),
  };
}

function listed(store: EnquiryStore): Html {
  const all = store.submissions.list({}, { limit: 100, newestFirst: true });
  return html`<table>
    <tr><th>No.</th><th>Form</th><th>Name</th><th>E-mail</th><th>Message</th></tr>
    ${all.map(
      (one) => html`<tr>
        <td><a href="/submissions/${one.id}">${one.id}</a></td><td>${store.form(one.form)?.title ?? one.form}</td>
        <td>${one.name ?? ''}</td><td>${one.email ?? ''}</td><td>${one.message ?? ''}</td>
      </tr>`,
    )}
  </table>`;
}
