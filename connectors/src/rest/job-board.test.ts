import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { PlannedWrite, Pointer, Value } from '@golden/core';
import { type JobBoard, jobBoard, jobKeys, type Listening, listen, mailInOf, postRoom } from '@golden/standins';
import { jobBoardDescription } from './job-board.ts';
import { RestConnector } from './rest-connector.ts';

let folder: string;
let jobs: JobBoard;
let at: Listening;
const path = ['shop', 'front-desk'];

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'golden-jobs-'));
  jobs = jobBoard(join(folder, 'jobs.sqlite'));
  at = await listen(jobs.app, 0);
  jobs.store.addDepartment({ id: 'shop', name: 'Shop' });
  jobs.store.addBoard({ id: 'front-desk', department: 'shop', name: 'Front desk', columns: ['To do', 'Done'] });
  jobs.store.addBoard({
    id: 'deliveries',
    department: 'shop',
    name: 'Deliveries',
    columns: ['Asked for', 'Delivered'],
  });
  jobs.store.addPerson({ email: 'mira@saltmarsh.example', name: 'Mira Holm' });
});
afterEach(async () => {
  await at.close();
  await jobs.close();
  rmSync(folder, { recursive: true });
});

const connector = () =>
  new RestConnector(jobBoardDescription, { address: `${at.url}/api`, key: jobKeys[0]?.key ?? '', retries: 0 });
const write = (values: Readonly<Record<Pointer, Value>>, more: Partial<PlannedWrite> = {}): PlannedWrite => ({
  kind: 'create',
  target: { connection: 'c', path, recordType: 'front-desk' },
  values,
  types: {},
  ...more,
});

test('departments hold boards, and each board offers its own columns and the people', async () => {
  const board = connector();
  expect(await board.places([])).toEqual([{ id: 'shop', label: 'Shop', isPlace: false }]);
  expect((await board.places(['shop'])).map(({ id, label }) => [id, label])).toEqual([
    ['front-desk', 'Front desk'],
    ['deliveries', 'Deliveries'],
  ]);
  const columnsOf = async (name: string) =>
    (await board.describe(['shop', name])).fields
      .find((field) => field.path === '/column')
      ?.options?.map(({ value }) => value);
  expect(await columnsOf('front-desk')).toEqual(['To do', 'Done']);
  expect(await columnsOf('deliveries')).toEqual(['Asked for', 'Delivered']);
});

test('a task is added, moved and listed page by page; a column that isn’t there is refused in the app’s words', async () => {
  const board = connector();
  const made = await board.create({
    write: write({ '/title': 'Call Ada', '/person': 'Mira Holm', '/due': '2026-12-24' }),
    token: 't',
  });
  expect(jobs.store.tasks.get(Number(made.id))).toMatchObject({
    title: 'Call Ada',
    column: 'To do',
    due: '2026-12-24',
  });
  await board.update({ write: write({ '/column': 'Done' }, { kind: 'update', id: made.id }), token: 'u' });
  // What isn't said of it stays as it is.
  expect(jobs.store.tasks.get(Number(made.id))).toMatchObject({ person: 'Mira Holm', due: '2026-12-24' });
  expect(jobs.store.tasks.get(Number(made.id))?.column).toBe('Done');
  await expect(board.create({ write: write({ '/title': 'x', '/column': 'Delivered' }), token: 'v' })).rejects.toThrow(
    'has no column “Delivered”',
  );
  for (let number = 0; number < 120; number++)
    jobs.store.add({
      board: 'front-desk',
      title: `${number}`,
      notes: null,
      column: 'To do',
      person: null,
      due: null,
      mailId: null,
    });
  let [count, cursor]: [number, string | null] = [0, null];
  do {
    const page = await board.list({ path, ...(cursor !== null && { cursor }) });
    count += page.records.length;
    cursor = page.cursor;
  } while (cursor !== null);
  expect(count).toBe(121);
});

test('a mail of somebody who works there becomes a task once; a stranger’s is taken, and nothing comes of it', async () => {
  const room = postRoom(join(folder, 'post.sqlite'), { 'jobs.localhost': await jobs.listenForMails(0) });
  const send = (from: string, subject: string, text: string) =>
    room.delivery.write({ from, to: [mailInOf('front-desk')], subject, text });
  const id = await send('Mira <mira@saltmarsh.example>', 'Order clay', 'For: Mira Holm\nDue: 2026-12-01\n\nTwo bags.');
  await send('Ada <ada@clay.example>', 'A kiln', 'Is it ready?');
  await room.delivery.outside.settled();
  await room.close();
  const board = connector();
  const found = await board.find(path, { path: '/mailId', value: id });
  expect(found.map(({ record }) => record)).toMatchObject([
    { title: 'Order clay', notes: 'Two bags.', person: 'Mira Holm', due: '2026-12-01', column: 'To do', mailId: id },
  ]);
  expect(jobs.store.lostMails()).toMatchObject([{ sender: 'ada@clay.example', subject: 'A kiln' }]);
  expect(jobs.store.tasks.count()).toBe(1);
});
