import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { PlannedWrite, Pointer, Value } from '@golden/core';
import { type Listening, listen, pocketKeys, pocketMessages } from '@golden/standins';
import { pocketMessagesDescription } from './pocket-messages.ts';
import { RestConnector } from './rest-connector.ts';

let folder: string;
let pocket: ReturnType<typeof pocketMessages>;
let at: Listening;

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'golden-pocket-'));
  pocket = pocketMessages(join(folder, 'pocket.sqlite'));
  at = await listen(pocket.app, 0);
});
afterEach(async () => {
  await at.close();
  pocket.store.close();
  rmSync(folder, { recursive: true });
});

const connector = (key = pocketKeys[0]?.key ?? '') =>
  new RestConnector(pocketMessagesDescription, { address: `${at.url}/api`, key, retries: 0 });
const write = (values: Readonly<Record<Pointer, Value>>): PlannedWrite => ({
  kind: 'create',
  target: { connection: 'c', path: ['messages'], recordType: 'messages' },
  values,
  types: {},
});

test('a text message is described as one: to whom it goes, and a text that goes in parts', async () => {
  const described = await connector().describe(['messages']);
  expect(described.sentTo).toEqual({ to: '/phone', copies: [], subject: '/text', body: '/text' });
  const text = described.fields.find(({ path }) => path === '/text');
  expect(text).toMatchObject({ isTextMessage: true, required: true, byPersonOnly: true });
  expect(described.fields.find(({ path }) => path === '/phone')?.type).toBe('phone');
});

test('the same request twice sends one message; what a phone answers is listed beside it', async () => {
  const messages = connector();
  const sent = await messages.create({
    write: write({ '/phone': '+441632960771', '/text': 'Your kiln is here.' }),
    token: 't',
  });
  await messages.create({ write: write({ '/phone': '+441632960771', '/text': 'Your kiln is here.' }), token: 't' });
  expect(pocket.store.messages.count({ phone: '+441632960771' })).toBe(1);
  pocket.store.answer('+441632960771', 'STOP');
  const replies = await messages.list({ path: ['replies'] });
  expect(replies.records.map(({ record }) => record)).toEqual([
    expect.objectContaining({ from: '+441632960771', text: 'STOP' }),
  ]);
  expect((await messages.fetch(['messages'], sent.id))?.record).toMatchObject({ text: 'Your kiln is here.' });
});

test('a number without its country is refused in the app’s words, and so is a key that may only read', async () => {
  const wrong = write({ '/phone': '01632 960771', '/text': 'Hello' });
  await expect(connector().create({ write: wrong, token: 't' })).rejects.toThrow('with its country');
  const right = write({ '/phone': '+441632960771', '/text': 'Hello' });
  await expect(connector(pocketKeys[1]?.key).create({ write: right, token: 't' })).rejects.toThrow();
  expect(pocket.store.phones()).toEqual([]);
});
