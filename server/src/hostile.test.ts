import { createServer, type Server } from 'node:http';
import { emptyContent, formatPointer, type WorkflowContent } from '@golden/core';
import { makeApi } from './api/app.ts';
import { defaultSettings, loadSettings, saveSettings } from './settings.ts';
import { productAroundEach } from './testing/around.ts';
import { goLive } from './testing/checks.ts';
import { addCustomers, customer, customersWorkflow, placeOf } from './testing/world.ts';

// What comes from outside, a file, an app, a damaged row, does no harm to what is there.

const product = productAroundEach();

async function ask<T = Record<string, unknown>>(name: string, body?: unknown): Promise<{ status: number; body: T }> {
  const [method = 'GET', path = ''] = name.split(' ');
  const answer = await makeApi(product.services).request(path, {
    method,
    headers: { 'content-type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  return { status: answer.status, body: (await answer.json()) as T };
}

const fileOf = (content: unknown, connections: unknown[] = []): string =>
  JSON.stringify({
    kind: 'golden-relay/workflow',
    version: 1,
    exportedAt: '2026-11-27T09:00:00Z',
    connections,
    content,
  });

describe('an imported workflow file', () => {
  test('can’t carry a key to another host, not even while rehearsing', async () => {
    const thiefs: (string | undefined)[] = [];
    const thief: Server = createServer((request, response) => {
      thiefs.push(request.headers.authorization);
      response.end('{}');
    });
    await new Promise<void>((resolve) => thief.listen(0, '127.0.0.1', resolve));
    const asked: string[] = [];
    const own: Server = createServer((request, response) => {
      asked.push(request.url ?? '');
      response.writeHead(200, { 'content-type': 'application/json' }).end('{}');
    });
    await new Promise<void>((resolve) => own.listen(0, '127.0.0.1', resolve));
    const { port } = thief.address() as { port: number };
    await saveSettings(product.services.db, { ...defaultSettings, mayCallInside: true });
    const desk = await product.services.connections.add({
      app: 'web_address',
      name: 'Desk',
      settings: {
        address: `http://127.0.0.1:${(own.address() as { port: number }).port}/api`,
        header: 'Authorization',
      },
      key: 'Bearer a-key-worth-stealing',
    });
    addCustomers(product.world, 2);
    const steal = (address: string): WorkflowContent['steps'][number] => ({
      id: `steal${address.length}`,
      kind: 'write',
      mode: 'append',
      mapping: {},
      target: {
        connection: 'theirs',
        path: [JSON.stringify({ method: 'GET', address, headers: [], fields: [], onlyReads: true })],
        labels: ['A note'],
        described: {
          ...{ name: 'call', singular: 'call', plural: 'calls', fields: [] },
          can: { list: false, find: false, create: true, update: false, readBack: false },
        },
      },
    });
    const content: WorkflowContent = {
      ...emptyContent('Harmless'),
      start: {
        source: await placeOf(product.services, product.connected.shop, ['customers']),
        on: 'added',
        trigger: { kind: 'every', minutes: 5 },
        fromWhen: { kind: 'all' },
      },
      steps: [`@127.0.0.1:${port}/x`, `//127.0.0.1:${port}/xy`, `http://127.0.0.1:${port}/xyz`].map(steal),
    };
    const text = fileOf(content, [{ id: 'theirs', app: 'web_address', name: 'Their desk' }]);
    const look = await ask<{ connections: { does: string[]; here: string }[] }>('POST /api/workflows/import/look', {
      text,
    });
    expect(look.body.connections[0]).toMatchObject({
      here: desk.id,
      does: expect.arrayContaining([`calls GET /@127.0.0.1:${port}/x (also while rehearsing)`]),
    });
    const made = await ask<{ id: string }>('POST /api/workflows/import', { text, connections: { theirs: desk.id } });
    await product.services.engine.rehearse(made.body.id, 'samples');
    await product.services.engine.rehearsals.wait(made.body.id);
    for (const { id } of content.steps) await ask(`POST /api/workflows/${made.body.id}/try`, { step: id });
    expect(thiefs).toEqual([]);
    // What was asked went where the key belongs, and nowhere else.
    expect(asked.length).toBeGreaterThan(0);
    expect(asked.every((path) => path.startsWith('/api/'))).toBe(true);
    thief.close();
    own.close();
  });

  test.each(['constructor', '__proto__', 'toString', 'hasOwnProperty'])(
    'with a connection or a sentence called “%s” is refused, and what is there goes on',
    async (id) => {
      const good = await customersWorkflow(product.services, product.connected);
      const { draft } = await product.services.workflows.get(good);
      const source = { ...draft.start.source, connection: id };
      const asConnection = fileOf({ ...draft, start: { ...draft.start, source } }, [
        { id, app: 'shop_counter', name: 'Shop' },
      ]);
      const asStep = fileOf({ ...draft, steps: draft.steps.map((step) => ({ ...step, id })) });
      for (const text of [asConnection, asStep]) {
        expect((await ask('POST /api/workflows/import/look', { text })).status).toBe(409);
        const made = await ask<{ detail: string }>('POST /api/workflows/import', { text, connections: {} });
        expect(made.status).toBe(409);
        expect(made.body.detail).toContain('can’t be an id');
      }
      expect((await ask<unknown[]>('GET /api/workflows')).body).toHaveLength(1);
      // Put in place of a connection, it is refused as well.
      const text = fileOf(draft);
      const by = { [product.connected.shop]: id };
      expect((await ask('POST /api/workflows/import', { text, connections: by })).status).toBe(400);
      expect((await ask('GET /api/today')).status).toBe(200);
    },
  );
});

describe('what can’t be read', () => {
  test.each([
    ['{"schema":1,"name":"Old one","start":null}', 'Old one'],
    ['{broken', 'A workflow that can’t be read'],
    ['null', 'A workflow that can’t be read'],
    ['{"name":["x"]}', 'A workflow that can’t be read'],
  ])('a draft of %s is shown as such beside all others, saved and removed', async (stored, name) => {
    addCustomers(product.world, 2);
    const good = await customersWorkflow(product.services, product.connected);
    const bad = (await product.services.workflows.add(emptyContent('Will be damaged'))).id;
    await product.services.db.updateTable('workflow').set({ draft: stored }).where('id', '=', bad).execute();
    for (const path of ['/api/workflows', '/api/today']) {
      const { status, body } = await ask<{ workflows: unknown[] }>(`GET ${path}`);
      expect(status).toBe(200);
      expect(path.endsWith('today') ? body.workflows : body).toMatchObject([
        { id: good, unreadable: null },
        { id: bad, name, unreadable: expect.stringContaining('can’t be read') },
      ]);
    }
    expect(await ask(`GET /api/workflows/${bad}`)).toMatchObject({ status: 409 });
    await goLive(product.services, good);
    expect(await ask(`GET /api/connections/${product.connected.shop}`)).toMatchObject({ status: 200 });
    expect((await ask<{ draft: string }>(`GET /api/workflows/${bad}/stored`)).body.draft).toBe(stored);
    expect((await ask(`DELETE /api/workflows/${bad}`)).status).toBe(200);
    expect((await ask<unknown[]>('GET /api/workflows')).body).toHaveLength(1);
  });

  test('a live version that is damaged holds up its own workflow only', async () => {
    const [good, bad] = [
      await customersWorkflow(product.services, product.connected),
      await customersWorkflow(product.services, product.connected),
    ];
    await goLive(product.services, bad);
    await goLive(product.services, good);
    await product.services.db
      .updateTable('workflow_version')
      .set({ content: '{}' })
      .where('workflow_id', '=', bad)
      .execute();
    await product.reopen();
    await product.services.engine.start();
    addCustomers(product.world, 1, 7);
    const run = await product.services.engine.checkNow(good);
    await product.services.engine.finish(run);
    expect(
      (await product.services.db.selectFrom('item').select('state').where('workflow_id', '=', good).execute()).length,
    ).toBe(1);
    await expect(product.services.engine.checkNow(bad)).rejects.toThrow('can’t be read');
    for (const path of ['today', 'workflows', 'decide', 'connections'])
      expect((await ask(`GET /api/${path}`)).status).toBe(200);
    expect((await ask(`GET /api/connections/${product.connected.shop}`)).status).toBe(200);
  });

  test('settings of which one is damaged keep all others', async () => {
    await saveSettings(product.services.db, {
      ...defaultSettings,
      workspace: 'Saltmarsh',
      zone: 'Europe/Dublin',
      isSetUp: true,
    });
    const set = (value: string) =>
      product.services.db.updateTable('setting').set({ value }).where('name', '=', 'workspace').execute();
    await set(JSON.stringify({ workspace: 'Saltmarsh', zone: 'Europe/Dublin', retryHours: 'often', country: 7 }));
    expect(await loadSettings(product.services.db)).toMatchObject({
      workspace: 'Saltmarsh',
      zone: 'Europe/Dublin',
      retryHours: 6,
    });
    await set('{broken');
    expect(await loadSettings(product.services.db)).toMatchObject({ country: 'GB', isSetUp: true });
    expect((await ask('GET /api/settings')).status).toBe(200);
  });
});

describe('what used to be a fault has its sentence', () => {
  test.each([
    ['POST /api/merges/none/undo', undefined, 409, 'This merge isn’t there any more.'],
    [
      'POST /api/connections/SHOP/taken',
      { path: ['customers'], field: 'email', values: ['a'] },
      400,
      'begins with “/”',
    ],
    ['POST /api/items/ITEM/rule', { candidate: 'x', says: 'new', take: true }, 409, 'no rule to make of it'],
    ['POST /api/workflows/FLOW/weights', { step: 'list' }, 409, 'nothing to learn'],
    ['GET /api/runs/none', undefined, 409, 'isn’t there any more'],
  ])('%s', async (route, body, status, sentence) => {
    addCustomers(product.world, 1);
    const id = await customersWorkflow(product.services, product.connected);
    await goLive(product.services, id);
    const item = await product.services.db.selectFrom('item').select('id').executeTakeFirstOrThrow();
    const name = route.replace('SHOP', product.connected.shop).replace('ITEM', item.id).replace('FLOW', id);
    const answer = await ask<{ detail: string }>(name, body);
    expect(answer).toMatchObject({ status, body: { detail: expect.stringContaining(sentence) } });
  });

  test('a mapping to a field whose path doesn’t begin with “/” isn’t stored', async () => {
    const id = await customersWorkflow(product.services, product.connected);
    const { draft, draftRev } = await product.services.workflows.get(id);
    const steps = draft.steps.map((step) =>
      step.kind === 'write' ? { ...step, mapping: { email: { kind: 'fixed', value: 'x' } } } : step,
    );
    const saved = await ask<{ detail: string }>(`PUT /api/workflows/${id}/draft`, {
      content: { ...draft, steps },
      rev: draftRev,
    });
    expect(saved).toMatchObject({ status: 400, body: { detail: expect.stringContaining('begins with “/”') } });
    expect((await product.services.workflows.get(id)).draft).toEqual(draft);
  });
});

describe('a CSV file that people open in a spreadsheet program', () => {
  test.each([
    [undefined, '=HYPERLINK("http://x.example")'],
    ['harmless', `'=HYPERLINK("http://x.example")`],
  ] as const)('takes texts like formulas as chosen: %s', async (formulaTexts, expected) => {
    product.world.shelf.files.replace('list.csv', Buffer.from('Name,Balance\r\n'), undefined);
    product.world.shop.store.add(customer({ first_name: '=HYPERLINK("http://x.example")', last_name: null }));
    const content: WorkflowContent = {
      ...emptyContent('Customers to a file'),
      start: {
        source: await placeOf(product.services, product.connected.shop, ['customers']),
        on: 'added',
        trigger: { kind: 'every', minutes: 5 },
        fromWhen: { kind: 'all' },
      },
      steps: [
        {
          id: 'list',
          kind: 'write',
          mode: 'append',
          target: await placeOf(product.services, product.connected.shelf, ['list.csv', 'list']),
          mapping: {
            [formatPointer(['Name'])]: { kind: 'field', ref: { step: 'start', path: '/first_name' }, tidies: [] },
            [formatPointer(['Balance'])]: { kind: 'fixed', value: '-12.50' },
          },
          ...(formulaTexts && { formulaTexts }),
        },
      ],
    };
    await goLive(product.services, (await product.services.workflows.add(content)).id);
    const text = product.world.shelf.files.get('list.csv')?.bytes.toString() ?? '';
    expect(text).toBe(`Name,Balance\r\n"${expected.replaceAll('"', '""')}",-12.50\r\n`);
  });
});
