import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type CopyKind, itemStates, type WorkflowContent } from '@golden/core';
import ExcelJS from 'exceljs';
import { daysOf } from '../api/workspace/days.ts';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { checkNow, goLive } from '../testing/checks.ts';
import { addCustomers, customer, customersWorkflow, rowsOf } from '../testing/world.ts';
import { firstSteps } from './first-steps.ts';
import { Practice } from './practice.ts';

const around = productAroundEach();

const ask = <T>(method: string, path: string, body?: unknown): Promise<T> =>
  askApi<T>(around.services, method, path, body);

interface Made {
  readonly id: string;
  readonly rev: number;
  readonly content: WorkflowContent;
}

const drop = (name: string, bytes: Uint8Array | string): Promise<Made> =>
  ask('POST', '/api/lists', { name, bytes: Buffer.from(bytes).toString('base64') });

const fair =
  'Nr;Name;E-Mail\r\n56;"Schäfer, Anke";anke@messe.example\r\n57;"Müller, Jürgen";\r\n58;Zoë;zoe@clay.example\r\n';

test('a dropped list goes all the way: its own draft, where to, and every row arrives once, none twice on a second look', async () => {
  const { id, content } = await drop('messe.csv', fair);
  expect(content).toMatchObject({
    name: 'messe',
    steps: [],
    start: { trigger: { kind: 'hand' }, fromWhen: { kind: 'all' }, identity: '/Nr' },
  });
  const to = {
    connection: around.connected.shelf,
    path: ['customers.xlsx', 'Customers'],
    labels: ['customers.xlsx', 'Customers'],
  };
  const filled = (kind: CopyKind) =>
    ask<{ content: WorkflowContent }>('POST', `/api/workflows/${id}/where-to`, { to, kind }).then((one) => one.content);
  expect((await filled('each_new')).start).toMatchObject({ on: 'added', fromWhen: { kind: 'now' } });
  const whole = await filled('all_in_step');
  expect(whole.start).toMatchObject({ on: 'added_or_changed', fromWhen: { kind: 'all' }, trigger: { kind: 'hand' } });
  const { draft, draftRev } = await around.services.workflows.get(id);
  // Asked only: the draft itself is as it was.
  expect(draft.steps).toEqual([]);
  await around.services.workflows.saveDraft(id, whole, draftRev);
  await goLive(around.services, id);
  await checkNow(around.services, id);
  const there = await rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
  expect(there.map((row) => row['Name']).sort()).toEqual(['Müller, Jürgen', 'Schäfer, Anke', 'Zoë']);
});

test('lists are kept once, never over each other, under a name that is none of a folder; what is none is kept nowhere', async () => {
  const book = new ExcelJS.Workbook();
  book.addWorksheet('First').addRows([['Nr'], [1], [2]]);
  await drop('messe.csv', fair);
  await drop('messe.csv', fair);
  await drop('messe.csv', `${fair}59;Priya;\r\n`);
  await drop('C:\\Users\\Mira\\..\\messe.csv', fair);
  await drop('../../etc/list: "one"?.csv', fair);
  await drop('orders.xlsx', Buffer.from(await book.xlsx.writeBuffer()));
  for (const [name, bytes, said] of [
    ['letter.docx', 'Dear', 'is no .csv, .xlsx or .ods file'],
    ['none.csv', 'Nr;Name\n', 'no rows'],
    ['bytes.csv', Buffer.from([0x4e, 0x72, 0x0a, 0xff, 0x00, 0x0a]), 'not a text file'],
    ['book.xlsx', 'PK no book', 'not an .xlsx workbook'],
  ] as const)
    await expect(drop(name, bytes)).rejects.toThrow(said);
  expect(readdirSync(around.services.lists.folder).sort()).toEqual([
    'list   one  .csv',
    'messe (2).csv',
    'messe.csv',
    'orders.xlsx',
  ]);
  const ours = (await around.services.connections.list()).filter((one) => one.app === 'folder');
  expect(ours.map((one) => one.name)).toEqual(['List folder']);
});

test('the first steps tick themselves: a sheet, rehearsed, one sent, live', async () => {
  const { db, workflows, engine } = around.services;
  const steps = () => firstSteps(db, workflows);
  expect(await steps()).toEqual({ hasSheet: false, isRehearsed: false, isSent: false, isLive: false });
  addCustomers(around.world, 3);
  const id = await customersWorkflow(around.services, around.connected);
  expect(await steps()).toEqual({ hasSheet: true, isRehearsed: false, isSent: false, isLive: false });
  await engine.rehearse(id, 'samples');
  await engine.rehearsals.wait(id);
  expect(await steps()).toMatchObject({ isRehearsed: true, isSent: false });
  const [sample] = await ask<{ id: string }[]>('GET', `/api/workflows/${id}/samples`);
  await ask('POST', `/api/workflows/${id}/send-one`, { sourceId: sample?.id });
  expect(await steps()).toMatchObject({ isSent: true, isLive: false });
  await goLive(around.services, id);
  expect(await steps()).toEqual({ hasSheet: true, isRehearsed: true, isSent: true, isLive: true });
});

test('the days of a workflow hold each of its items once, on the day its clock has, by what has become of it', async () => {
  const { services, world } = around;
  const id = await customersWorkflow(services, around.connected);
  addCustomers(world, 4);
  await goLive(services, id);
  world.shop.store.add(customer({ email: 'refused@clay.example', phone: 'ask for Dirk' }));
  await checkNow(services, id);
  const items = await services.db.selectFrom('item').select(['state', 'taken_at']).execute();
  for (const zone of ['Europe/London', 'Pacific/Auckland', 'America/Los_Angeles']) {
    const now = new Date(Date.parse(services.seams.now()) + 2 * 86_400_000).toISOString();
    const days = await daysOf(services.db, id, zone, now, 14);
    expect(days).toHaveLength(14);
    for (const state of itemStates)
      expect(days.reduce((sum, one) => sum + one.items[state], 0)).toBe(
        items.filter((one) => one.state === state).length,
      );
    const dayOf = (at: string) =>
      new Intl.DateTimeFormat('en-CA', { timeZone: zone, dateStyle: 'short' }).format(new Date(at));
    for (const { day, items: counts } of days)
      expect(itemStates.reduce((sum, state) => sum + counts[state], 0)).toBe(
        items.filter((one) => dayOf(one.taken_at) === day).length,
      );
  }
  expect((await daysOf(services.db, 'another', 'utc', services.seams.now(), 3)).length).toBe(3);
});

describe('practice apps', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'golden-practice-'));
  });
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  /** Programs that stand for the built ones: one that fills, one that serves or fails. */
  function programs(fill: string, serve: string) {
    writeFileSync(join(folder, 'fill.mjs'), fill);
    writeFileSync(join(folder, 'serve.mjs'), serve);
    return { fill: join(folder, 'fill.mjs'), serve: join(folder, 'serve.mjs') };
  }
  const keys = 'console.log("made"); console.log(JSON.stringify([{ app: "ledger", name: "Ledger", key: "k" }]));';
  const serves =
    'process.stdin.on("end", () => process.exit(0)).resume(); console.log("listening"); setInterval(() => {}, 1000);';

  test('they are filled, served on free ports, come back with the server, and leave nothing when removed', async () => {
    const data = join(folder, 'data');
    const practice = new Practice(data, programs(keys, serves), {});
    expect(practice.state).toBe('off');
    expect(await practice.start()).toEqual([{ app: 'ledger', name: 'Ledger', key: 'k' }]);
    expect([practice.state, new Set(Object.values(practice.addresses)).size]).toEqual(['on', 12]);
    const before = practice.addresses;
    await expect(practice.start()).rejects.toThrow('are running');
    practice.stop();
    const next = new Practice(data, programs(keys, serves), {});
    await next.resume();
    expect([next.state, next.addresses]).toEqual(['on', before]);
    next.stop();
    // Kept by a version that had fewer apps: the others keep their ports, the new one takes its own.
    const kept = join(data, 'ports.json');
    const { ports } = JSON.parse(readFileSync(kept, 'utf8')) as { ports: Record<string, number> };
    const { notice_board: _new, ...fewer } = ports;
    writeFileSync(kept, JSON.stringify({ ports: fewer }));
    await next.resume();
    expect(next.addresses).toMatchObject({
      ledger: before['ledger'],
      notice_board: expect.stringMatching(/:\d+\/api$/),
    });
    next.remove();
    expect([next.state, next.addresses, readdirSync(folder).includes('data')]).toEqual(['off', {}, false]);
  });

  test('what can’t be filled or served says so and leaves nothing; without programs there is none', async () => {
    const data = join(folder, 'data');
    const failing = new Practice(data, programs('process.exit(3)', serves), {});
    await expect(failing.start()).rejects.toThrow('could not be started');
    const ending = new Practice(data, programs(keys, 'console.error("Port 4601 is in use."); process.exit(1)'), {});
    await expect(ending.start()).rejects.toThrow('Port 4601 is in use.');
    expect([failing.state, ending.state, readdirSync(folder).includes('data')]).toEqual(['off', 'off', false]);
    const none = new Practice(data, undefined, {});
    expect(none.state).toBe('none');
    await expect(none.start()).rejects.toThrow('npm run build');
    expect(new Practice(data, undefined, { ledger: 'http://127.0.0.1:9/api' }).state).toBe('beside');
  });
});
