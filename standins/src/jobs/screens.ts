import { Hono } from 'hono';
import { html } from 'hono/html';
import type { AppKey } from '../kit/bearer.ts';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { mailInOf } from './mail-in.ts';
import type { Board, JobStore } from './store.ts';

const skin: Skin = {
  title: 'Job board',
  accent: '#7a4a12',
  links: [
    { href: '/', text: 'Boards' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

/** The Job board's own screens: departments with their boards, and the tasks of one by its columns. */
export function jobsScreens(store: JobStore, keys: readonly AppKey[], state: PracticeState): Hono {
  const app = new Hono();
  const show = (title: string, body: Html): Html => page(skin, title, body);
  app.get('/', (c) => c.html(show('Boards', boards(store))));
  app.get('/boards/:board', (c) => {
    const board = store.board(c.req.param('board'));
    if (!board) return c.html(show('Not found', html`<p>There is no such board.</p>`), 404);
    return c.html(show(board.name, tasks(store, board)));
  });
  app.post('/boards/:board', async (c) => {
    const board = store.board(c.req.param('board'));
    const body = await c.req.parseBody();
    const title = String(body['title'] ?? '').trim();
    const text = (name: string): string | null => String(body[name] ?? '').trim() || null;
    if (board && title !== '')
      store.add({
        board: board.id,
        title,
        notes: text('notes'),
        column: board.columns[0] ?? '',
        person: text('person'),
        due: text('due'),
        mailId: null,
      });
    return c.redirect(`/boards/${c.req.param('board')}`);
  });
  app.post('/tasks/:id', async (c) => {
    const id = Number(c.req.param('id'));
    const column = String((await c.req.parseBody())['column'] ?? '');
    const task = store.tasks.get(id);
    if (task && store.board(task.board)?.columns.includes(column)) store.change(id, { column });
    return c.redirect(`/boards/${task?.board ?? ''}`);
  });
  app.get('/practice', (c) => {
    const shown = keys.map(({ name, mayWrite, key }) => ({ name, key, rights: mayWrite ? 'read and write' : 'read' }));
    const how = 'Other programs send one of these keys as a bearer token in the Authorization header.';
    return c.html(practicePage(skin, state, shown, how));
  });
  return app;
}

function boards(store: JobStore): Html {
  const lost = store.lostMails();
  return html`<table>
      <tr><th>Department</th><th>Board</th><th>Tasks</th><th>Mails to this address become tasks</th></tr>
      ${store
        .departments()
        .flatMap((department) =>
          store
            .boards(department.id)
            .map(
              ({ id, name }) =>
                html`<tr><td>${department.name}</td><td><a href="/boards/${id}">${name}</a></td><td>${store.tasks.count({ board: id })}</td><td><code>${mailInOf(id)}</code></td></tr>`,
            ),
        )}
    </table>
    <p class="muted" style="margin-top:16px">Only mails of these people become tasks: ${store
      .people()
      .map(({ name, email }) => `${name} (${email})`)
      .join(', ')}. “For: name” and “Due: 2026-12-24” at the beginning say who does it, and by when.</p>
    ${
      lost.length > 0
        ? html`<h2 style="font-size:17px;margin-top:24px">Mails without a task</h2>
          <table><tr><th>When</th><th>Board</th><th>From</th><th>Subject</th></tr>
          ${lost.map((one) => html`<tr><td>${one.at.slice(0, 16).replace('T', ' ')}</td><td>${one.board}</td><td>${one.sender}</td><td>${one.subject}</td></tr>`)}</table>`
        : ''
    }`;
}

function tasks(store: JobStore, board: Board): Html {
  const all = store.tasks.list({ board: board.id }, { limit: 500, newestFirst: true });
  return html`<table>
      <tr>${board.columns.map((column) => html`<th>${column}</th>`)}</tr>
      <tr>
        ${board.columns.map(
          (column) =>
            html`<td style="width:${Math.floor(100 / board.columns.length)}%">
              ${all
                .filter((task) => task.column === column)
                .map(
                  (
                    task,
                  ) => html`<div id="t${task.id}" style="border:1px solid #ccc;border-radius:4px;padding:6px 8px;margin-bottom:8px">
                    <strong>${task.title}</strong>
                    <div class="muted">${[task.person, task.due ? `by ${task.due}` : ''].filter(Boolean).join(', ')}</div>
                    ${task.notes ? html`<div style="white-space:pre-wrap">${task.notes}</div>` : ''}
                    <form method="post" action="/tasks/${task.id}" class="bar" style="margin:6px 0 0">
                      <select name="column" aria-label="Column of ${task.title}">${board.columns.map((one) => html`<option ${one === column ? 'selected' : ''}>${one}</option>`)}</select>
                      <button class="quiet">Move</button>
                    </form>
                  </div>`,
                )}
            </td>`,
        )}
      </tr>
    </table>
    <form method="post" class="fields" style="margin-top:20px">
      <label for="title">Another task</label><input id="title" name="title" required />
      <label for="notes">Notes</label><textarea id="notes" name="notes" rows="2"></textarea>
      <label for="person">Who does it</label><select id="person" name="person"><option value="">nobody yet</option>${store
        .people()
        .map(({ name }) => html`<option>${name}</option>`)}</select>
      <label for="due">Due</label><input id="due" name="due" type="date" />
      <span></span><button>Add task</button>
    </form>`;
}
