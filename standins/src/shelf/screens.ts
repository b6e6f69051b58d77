import { Hono } from 'hono';
import { html, raw } from 'hono/html';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { mediaTypeOf, type ShelfAccount } from './accounts-and-types.ts';
import { ShelfFiles } from './files.ts';
import { type CellValue, type Edit, editTab, readTabs, type Tab } from './workbook.ts';

const skin: Skin = {
  title: 'Workbook shelf',
  accent: '#2d4f8a',
  links: [
    { href: '/', text: 'Files' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

/** The shelf's own screens: the files, and a tab as a grid that a person edits. */
export function shelfScreens(files: ShelfFiles, accounts: readonly ShelfAccount[], state: PracticeState): Hono {
  const app = new Hono();
  app.get('/', (c) => c.html(page(skin, 'Files', fileList(files))));
  app.post('/upload', async (c) => {
    const file = (await c.req.parseBody())['file'];
    if (!(file instanceof File) || !ShelfFiles.isName(file.name)) return c.text('Choose an .xlsx or .csv file.', 400);
    files.replace(file.name, Buffer.from(await file.arrayBuffer()), undefined);
    return c.redirect('/');
  });
  app.post('/files/:name/settings', async (c) => {
    const form = await c.req.parseBody();
    const name = c.req.param('name');
    if (form['right'] === 'view' || form['right'] === 'edit') files.set(name, { right: form['right'] });
    if (form['lock']) files.set(name, { isLocked: form['lock'] === 'on' });
    return c.redirect('/');
  });
  app.get('/download/:name{.+}', (c) => {
    const found = files.get(c.req.param('name'));
    if (!found) return c.text('There is no such file.', 404);
    const disposition = `attachment; filename*=UTF-8''${encodeURIComponent(found.file.name)}`;
    return c.body(new Uint8Array(found.bytes), 200, {
      'content-type': mediaTypeOf(found.file.name),
      'content-disposition': disposition,
    });
  });
  app.get('/files/:name', async (c) => {
    const found = files.get(c.req.param('name'));
    if (!found) return c.html(page(skin, 'Not found', html`<p>There is no such file.</p>`), 404);
    const tabs = await readTabs(found.file.name, found.bytes);
    const tab = tabs.find((one) => one.name === c.req.query('tab')) ?? tabs[0];
    return c.html(page(skin, found.file.name, tab ? grid(found.file.name, tabs, tab) : html`<p>No tabs here.</p>`));
  });
  app.post('/files/:name/edit', async (c) => {
    const found = files.get(c.req.param('name'));
    if (!found) return c.json({ title: 'There is no such file.' }, 404);
    const { tab, edit } = (await c.req.json()) as { tab: string; edit: Edit };
    await files.change(found.file.name, (bytes) => editTab(found.file.name, bytes, tab, edit));
    return c.json({ ok: true });
  });
  app.get('/practice', (c) => {
    const shown = accounts.map((one) => ({
      key: one.token,
      name: one.name,
      rights: one.mayEdit ? 'view and edit' : 'view only',
    }));
    return c.html(
      practicePage(
        skin,
        state,
        shown,
        'Other programs send one of these as a bearer token in the header Authorization.',
      ),
    );
  });
  return app;
}

function fileList(files: ShelfFiles): Html {
  const rows = files.list().map(
    (file) => html`<tr>
      <td><a href="/files/${file.name}">${file.name}</a></td>
      <td>${(file.size / 1024).toFixed(1)} kB</td>
      <td>${file.modified.slice(0, 16).replace('T', ' ')}</td>
      <td>${file.right === 'edit' ? 'view and edit' : 'view only'}${file.isLocked ? ', open elsewhere' : ''}</td>
      <td>
        <form method="post" action="/files/${file.name}/settings" class="bar" style="margin:0">
          <button class="quiet" name="right" value="${file.right === 'edit' ? 'view' : 'edit'}">
            ${file.right === 'edit' ? 'Make view only' : 'Allow editing'}
          </button>
          <button class="quiet" name="lock" value="${file.isLocked ? 'off' : 'on'}">${file.isLocked ? 'Release' : 'Open elsewhere'}</button>
          <a href="/download/${file.name}">Download</a>
        </form>
      </td>
    </tr>`,
  );
  const others = files.others().map(
    ({ name, size, modified }) => html`<tr>
      <td><a href="/download/${name.split('/').map(encodeURIComponent).join('/')}">${name}</a></td>
      <td>${(size / 1024).toFixed(1)} kB</td>
      <td>${modified.slice(0, 16).replace('T', ' ')}</td>
    </tr>`,
  );
  const besides =
    others.length === 0
      ? ''
      : html`<h2>Other files and folders</h2>
          <table><tr><th>File</th><th>Size</th><th>Changed</th></tr>${others}</table>`;
  return html`<p class="muted">Files in <code>${files.folder}</code>. One that you put there appears here.</p>
    <table><tr><th>File</th><th>Size</th><th>Changed</th><th>Right</th><th></th></tr>${rows}</table>
    ${besides}
    <form method="post" action="/upload" enctype="multipart/form-data" class="bar" style="margin-top:18px">
      <input type="file" name="file" accept=".xlsx,.csv" aria-label="File to put on the shelf" /><button>Put on the shelf</button>
    </form>`;
}

const shown = (value: CellValue): string =>
  value instanceof Date ? value.toISOString().slice(0, 10) : String(value ?? '');

function grid(name: string, tabs: readonly Tab[], tab: Tab): Html {
  const cell = (value: CellValue, row: number, column: number): Html =>
    html`<td class="${typeof value === 'number' ? 'num' : ''}">
      <input data-row="${row}" data-column="${column}" value="${shown(value)}" aria-label="${tab.columns[column]} of row ${row + 2}" />
    </td>`;
  return html`<div class="bar">
      ${tabs.map((one) => (one.name === tab.name ? html`<strong>${one.name}</strong>` : html`<a href="/files/${name}?tab=${one.name}">${one.name}</a>`))}
      <button class="quiet" data-edit="add_row">Add a row</button>
      <button class="quiet" data-edit="add_column">Add a column</button>
      <a href="/download/${name}">Download</a>
      <span class="muted">${tab.rows.length} rows</span>
    </div>
    <div class="scroll">
      <table class="grid" data-tab="${tab.name}">
        <tr>
          <th></th>
          ${tab.columns.map(
            (column, at) => html`<th>
              ${column || html`<em>no name</em>`}
              <button class="quiet" data-edit="rename_column" data-column="${at}" aria-label="Rename ${column}">rename</button>
              <button class="quiet" data-edit="delete_column" data-column="${at}" aria-label="Delete ${column}">delete</button>
            </th>`,
          )}
        </tr>
        ${tab.rows.map((row, at) => html`<tr id="row-${at + 2}"><td>${at + 2}</td>${row.map((value, column) => cell(value, at, column))}</tr>`)}
      </table>
    </div>
    <script>
      ${raw(gridScript)}
    </script>`;
}

const gridScript = `
  const tab = document.querySelector('table.grid').dataset.tab;
  const send = (edit) => fetch(location.pathname + '/edit', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ tab, edit }) });
  const reload = () => location.reload();
  document.addEventListener('change', (event) => {
    const { row, column } = event.target.dataset;
    if (row !== undefined) send({ kind: 'cell', row: Number(row), column: Number(column), value: event.target.value });
  });
  document.addEventListener('click', (event) => {
    const { edit, column } = event.target.dataset;
    if (!edit) return;
    if (edit === 'add_row') return send({ kind: edit }).then(reload);
    if (edit === 'delete_column') return confirm('Delete this column?') && send({ kind: edit, column: Number(column) }).then(reload);
    const name = prompt('Name of the column');
    if (name) send({ kind: edit, name, column: Number(column) }).then(reload);
  });
`;
