import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import ExcelJS from 'exceljs';
import { shelfAccounts, workbookShelf } from './shelf/shelf.ts';
import { editTab, readTabs } from './shelf/workbook.ts';
import { shopCounter, shopKeys } from './shop/shop.ts';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-standins-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

async function stock(): Promise<Buffer> {
  const book = new ExcelJS.Workbook();
  const tab = book.addWorksheet('Stock');
  tab.addRow(['Article', 'Net', 'From']);
  tab.addRow(['00420', 11.4, new Date('2026-03-04T00:00:00Z')]);
  return Buffer.from(await book.xlsx.writeBuffer());
}

describe('Workbook shelf', () => {
  test('edits on the screen keep the kind of each value', async () => {
    let bytes = await stock();
    for (const edit of [
      { kind: 'cell', row: 0, column: 0, value: '00421' },
      { kind: 'cell', row: 0, column: 1, value: '12' },
      { kind: 'cell', row: 0, column: 2, value: '2026-03-05' },
      { kind: 'add_column', name: 'Note' },
      { kind: 'cell', row: 0, column: 3, value: '+44' },
      { kind: 'rename_column', column: 3, name: 'Prefix' },
    ] as const) {
      bytes = await editTab('stock.xlsx', bytes, 'Stock', edit);
    }
    const [tab] = await readTabs('stock.xlsx', bytes);
    expect(tab).toEqual({
      name: 'Stock',
      columns: ['Article', 'Net', 'From', 'Prefix'],
      rows: [['00421', 12, new Date('2026-03-05T00:00:00Z'), '+44']],
    });
    expect(
      (
        await readTabs('stock.xlsx', await editTab('stock.xlsx', bytes, 'Stock', { kind: 'delete_column', column: 1 }))
      )[0]?.columns,
    ).toEqual(['Article', 'From', 'Prefix']);
    const csv = await editTab('a.csv', Buffer.from('A,B\r\n1,"x, y"\r\n'), 'a', {
      kind: 'rename_column',
      column: 0,
      name: 'No',
    });
    expect(csv.toString()).toBe('No,B\r\n1,"x, y"');
  });

  // RFC 9110 section 13: If-None-Match gives 304, a stale If-Match 412.
  test('files are given and taken whole, guarded by ETags and rights; one put into the folder appears', async () => {
    const shelf = workbookShelf(folder);
    writeFileSync(join(shelf.files.folder, 'stock.xlsx'), await stock());
    const ask = (method: string, headers: object = {}, body?: string) =>
      shelf.app.request('/api/files/stock.xlsx', {
        method,
        headers: { authorization: `Bearer ${shelfAccounts[0]?.token}`, ...headers },
        ...(body && { body }),
      });
    const etag = (await ask('GET')).headers.get('etag') ?? '';
    expect((await ask('GET', { 'if-none-match': etag })).status).toBe(304);
    expect((await ask('PUT', {}, 'x')).status).toBe(428);
    expect((await ask('PUT', { 'if-match': '"other"' }, 'x')).status).toBe(412);
    shelf.files.set('stock.xlsx', { isLocked: true });
    expect((await ask('PUT', { 'if-match': etag }, 'x')).status).toBe(423);
    shelf.files.set('stock.xlsx', { isLocked: false, right: 'view' });
    expect((await ask('PUT', { 'if-match': etag }, 'x')).status).toBe(403);
    shelf.files.set('stock.xlsx', { right: 'edit' });
    expect((await ask('PUT', { 'if-match': etag }, 'x')).status).toBe(204);
    expect((await ask('GET')).headers.get('etag')).not.toBe(etag);
    expect((await ask('GET', { authorization: 'Bearer none' })).status).toBe(401);
    expect(shelf.state.writes).toBe(1);
  });
});

describe('Shop counter', () => {
  const headers = { 'shop-key': shopKeys[0]?.key ?? '', 'content-type': 'application/json' };

  test('the screen adds and changes a customer, and keeps what was typed when it can’t', async () => {
    const shop = shopCounter(join(folder, 'shop.sqlite'));
    const send = (path: string, fields: Record<string, string>) =>
      shop.app.request(path, { method: 'POST', body: new URLSearchParams(fields) });
    const refused = await send('/customers/new', { email: 'x@clay.example' });
    expect(refused.status).toBe(400);
    expect(await refused.text()).toContain('x@clay.example');
    expect(
      (await send('/customers/new', { company: '<b>Kiln & Co.</b>', country: 'gb' })).headers.get('location'),
    ).toBe('/customers/10001');
    await send('/customers/10001', { company: 'Kiln & Co.', email: 'K@kiln.example', country: 'IE' });
    expect(shop.store.get(10001)).toMatchObject({ company: 'Kiln & Co.', address: { country: 'IE' } });
    expect(await (await shop.app.request('/')).text()).not.toContain('<b>Kiln');
    shop.store.close();
  });

  test('its OpenAPI 3.1 document describes it, and refusals are problem details', async () => {
    const shop = shopCounter(join(folder, 'shop.sqlite'));
    const document = (await (await shop.app.request('/api/openapi.json')).json()) as {
      openapi: string;
      components: { schemas: object };
    };
    expect(document.openapi).toBe('3.1.0');
    expect(Object.keys(document.components.schemas)).toEqual(expect.arrayContaining(['Customer', 'CustomerInput']));
    const refused = await shop.app.request('/api/customers', {
      method: 'POST',
      headers,
      body: JSON.stringify({ email: 'none', colour: 'red' }),
    });
    expect(refused.status).toBe(400);
    expect(await refused.json()).toMatchObject({
      status: 400,
      errors: expect.arrayContaining([expect.objectContaining({ pointer: '/email' })]),
    });
    expect((await shop.app.request('/api/customers')).status).toBe(401);
    shop.store.close();
  });
});
