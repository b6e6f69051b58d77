import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  enquiryBox,
  enquiryKeys,
  type Listening,
  listen,
  noticeBoard,
  noticeKeys,
  type Submission,
} from '@golden/standins';
import type { Page } from '../connector.ts';
import { enquiryBoxDescription } from './enquiry-box.ts';
import { noticeBoardDescription } from './notice-board.ts';
import { RestConnector } from './rest-connector.ts';

let folder: string;
let box: ReturnType<typeof enquiryBox>;
let board: ReturnType<typeof noticeBoard>;
let [boxAt, boardAt]: Listening[] = [];
beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'golden-box-'));
  box = enquiryBox(join(folder, 'box.sqlite'));
  board = noticeBoard(join(folder, 'board.sqlite'));
  [boxAt, boardAt] = [await listen(box.app, 0), await listen(board.app, 0)];
  box.store.addPage('kilns', 'Kilns', true);
  const questions = [{ key: 'litres', label: 'Litres', kind: 'number' as const }];
  box.store.addForm({ id: 'kiln-enquiry', page: 'kilns', title: 'Kiln enquiry', questions });
  box.store.addForm({ id: 'repair', page: 'kilns', title: 'Repair request', questions: [] });
});
afterEach(async () => {
  await boxAt?.close();
  await boardAt?.close();
  box.store.close();
  board.store.close();
  rmSync(folder, { recursive: true });
});

const boxConnector = () =>
  new RestConnector(enquiryBoxDescription, {
    address: `${boxAt?.url}/api`,
    key: enquiryKeys[1]?.key ?? '',
    retries: 0,
  });
const submission = (more: Partial<Submission> = {}): Submission => ({
  form: 'kiln-enquiry',
  name: 'Ada',
  email: 'ada@clay.example',
  phone: null,
  message: null,
  answers: { litres: 60 },
  ...more,
});

describe('the Enquiry box', () => {
  test('pages, their forms, and the fields that each form asks for', async () => {
    const connector = boxConnector();
    expect(await connector.places()).toEqual([{ id: 'kilns', label: 'Kilns', isPlace: false }]);
    expect(await connector.places(['kilns'])).toEqual([
      { id: 'kiln-enquiry', label: 'Kiln enquiry', isPlace: true },
      { id: 'repair', label: 'Repair request', isPlace: true },
    ]);
    const fieldsOf = async (form: string) => (await connector.describe(['kilns', form])).fields.map(({ path }) => path);
    expect(await fieldsOf('kiln-enquiry')).toContain('/answers/litres');
    expect(await fieldsOf('repair')).not.toContain('/answers/litres');
    expect((await connector.describe(['kilns', 'repair'])).singular).toBe('submission');
  });

  test('a listing goes on by the Link header, to its end', async () => {
    for (let at = 0; at < 120; at++) box.store.submit(submission({ name: `Ada ${at}` }));
    box.store.submit(submission({ form: 'repair', name: 'Not of this form' }));
    const connector = boxConnector();
    const names: unknown[] = [];
    let cursor: string | null = null;
    do {
      const page: Page = await connector.list({ path: ['kilns', 'kiln-enquiry'], ...(cursor && { cursor }) });
      names.push(...page.records.map(({ record }) => record['name']));
      ({ cursor } = page);
    } while (cursor !== null);
    expect(new Set(names).size).toBe(120);
    expect(names).toHaveLength(120);
    // No submission yet is an empty listing, not a fault.
    box.store.addForm({ id: 'empty', page: 'kilns', title: 'Empty', questions: [] });
    expect(await connector.list({ path: ['kilns', 'empty'] })).toEqual({ records: [], cursor: null });
  });

  test('a new page is told, and seen only after leave was given again', async () => {
    box.store.addPage('workshops', 'Workshops');
    box.store.addForm({ id: 'booking', page: 'workshops', title: 'Booking', questions: [] });
    const connector = boxConnector();
    expect(await connector.places()).toContainEqual({
      id: 'workshops',
      label: 'Workshops',
      isPlace: false,
      remark: 'not allowed yet',
    });
    await expect(connector.places(['workshops'])).rejects.toThrow(/newer than the leave that was given. Allow it/);
    expect((await connector.health()).sees).toEqual(['Kilns']);
    box.store.allowAll();
    expect(await connector.places(['workshops'])).toEqual([{ id: 'booking', label: 'Booking', isPlace: true }]);
  });

  test('a key that may only read writes nothing, and may be told all the same', async () => {
    const headers = { authorization: `Bearer ${enquiryKeys[1]?.key}`, 'content-type': 'application/json' };
    const post = (path: string, body: object) =>
      fetch(`${boxAt?.url}/api${path}`, { method: 'POST', headers, body: JSON.stringify(body) });
    expect((await post('/forms/repair/submissions', { name: 'Ada' })).status).toBe(403);
    const asked = await boxConnector().subscribe?.(['kilns', 'repair'], 'http://127.0.0.1:9/in/x');
    expect(asked).toMatchObject({
      record: '/data/id',
      signature: 'standard',
      secret: expect.stringMatching(/^whsec_/),
    });
    expect(box.store.webhooks.list()).toMatchObject([{ events: ['repair.submitted'] }]);
  });
});

describe('the Notice board', () => {
  const connector = () =>
    new RestConnector(noticeBoardDescription, {
      address: `${boardAt?.url}/api`,
      key: noticeKeys[0]?.key ?? '',
      retries: 0,
    });

  test('channels with their messages; one is written and read back', async () => {
    board.store.addChannel('stock', 'Stock');
    board.store.addChannel('desk', 'Front desk');
    for (let at = 0; at < 60; at++) board.store.write({ channel: 'stock', author: 'Mira', text: `No. ${at}` });
    board.store.write({ channel: 'desk', author: 'Mira', text: 'Not here' });
    expect((await connector().places()).map(({ label }) => label)).toEqual(['Stock', 'Front desk']);
    const first = await connector().list({ path: ['stock', 'messages'] });
    const rest = await connector().list({ path: ['stock', 'messages'], cursor: first.cursor ?? '' });
    expect([first.records.length, rest.records.length, rest.cursor]).toEqual([50, 10, null]);
    const target = { connection: 'board', path: ['desk', 'messages'] };
    const write = { kind: 'create' as const, target, values: { '/text': 'Kiln “B” is hot' }, types: {} };
    const { id } = await connector().create({ write: write as never, token: 'token-1' });
    expect((await connector().fetch(['desk', 'messages'], id))?.record).toMatchObject({
      text: 'Kiln “B” is hot',
      author: 'Relay',
    });
    // A channel's message is none of another's.
    expect(await connector().fetch(['stock', 'messages'], id)).toBeNull();
  });
});
