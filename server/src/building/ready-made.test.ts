import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  type Blank,
  emptyContent,
  type FolderFile,
  formatPointer,
  placeKey,
  type WorkflowContent,
  type WorkflowFile,
} from '@golden/core';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { goLive, settled } from '../testing/checks.ts';
import { customersHandedOver, receiverInto } from '../testing/handing.ts';
import { addCustomers, emptyWorkbook, placeOf, rowsOf } from '../testing/world.ts';
import type { PlaceLook } from './blanks.ts';
import type { NewerEdition } from './editions.ts';
import { exportWorkflow } from './files.ts';

// A ready-made workflow fits a business once its blanks are filled: judged by what stands in the workbook afterwards.

const around = productAroundEach();

beforeEach(async () => {
  const { files } = around.world.shelf;
  files.replace('theirs.xlsx', await emptyWorkbook('People', ['E-mail', 'Tag']), undefined);
  files.replace('ours.xlsx', await emptyWorkbook('Members', ['E-mail', 'Tag']), undefined);
});

const tag: Blank = { id: 'tag', label: 'What are they tagged with?', at: ['/steps/0/mapping/~1Tag/value'] };
const time: Blank = { id: 'time', label: 'At what time?', at: ['/start/trigger/at/0'] };

/** Another business's workflow, as a file: customers onto its list, tagged, each Monday. */
async function readyMade(number = 1, more: Partial<WorkflowContent> = {}): Promise<WorkflowFile> {
  const { services, connected } = around;
  const content: WorkflowContent = {
    ...emptyContent('Customers, tagged'),
    start: {
      source: await placeOf(services, connected.shop, ['customers']),
      on: 'added',
      trigger: { kind: 'times', at: ['06:00'], days: [1] },
      fromWhen: { kind: 'all' },
    },
    steps: [
      {
        id: 'list',
        kind: 'write',
        target: await placeOf(services, connected.shelf, ['theirs.xlsx', 'People']),
        mode: 'append',
        mapping: {
          [formatPointer(['E-mail'])]: { kind: 'field', ref: { step: 'start', path: '/email' }, tidies: [] },
          [formatPointer(['Tag'])]: { kind: 'fixed', value: 'their tag' },
        },
      },
    ],
    ...more,
  };
  const file = await exportWorkflow(services, content);
  return { ...file, blanks: [tag, time], edition: { id: 'tagged', number, note: 'Off by itself.' } };
}

const rows = async () =>
  (await rowsOf(around.world.shelf.files.get('ours.xlsx')?.bytes ?? Buffer.alloc(0), 'Members')).map((row) => [
    row['E-mail'],
    row['Tag'],
  ]);

/** The file taken in with our place and our tag. */
async function takenIn(file: WorkflowFile, texts: Record<string, string> = { '0.tag': 'our tag' }) {
  const { services, connected } = around;
  const target = file.content.steps[0];
  const theirs = target?.kind === 'write' && target.target ? placeKey(target.target) : '';
  return askApi<{ id: string; content: WorkflowContent; newerEdition: number | null }>(
    services,
    'POST',
    '/api/workflows/import',
    {
      text: JSON.stringify(file),
      connections: {},
      places: {
        [theirs]: { connection: connected.shelf, path: ['ours.xlsx', 'Members'], labels: ['ours', 'Members'] },
      },
      texts,
    },
  );
}

test('its blanks are listed with its maker’s words; a place that isn’t there is told, and another takes it', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 2);
  const file = await readyMade();
  world.shelf.files.remove('theirs.xlsx');
  const text = JSON.stringify(file);
  expect(await askApi(services, 'POST', '/api/workflows/import/look', { text })).toMatchObject({
    blanks: [
      { key: '0.tag', text: 'their tag', workflow: 'Customers, tagged' },
      { key: '0.time', text: '06:00' },
    ],
  });
  const look = (connections: Record<string, string>) =>
    askApi<PlaceLook[]>(services, 'POST', '/api/workflows/import/places', { text, connections });
  expect((await look({})).map(({ isThere }) => isThere)).toEqual([null, null]);
  const places = await look({ [connected.shop]: connected.shop, [connected.shelf]: connected.shelf });
  expect(places).toMatchObject([
    { purpose: 'from', isThere: true, differences: [] },
    { purpose: 'to', isThere: false, labels: ['theirs.xlsx', 'People'], differences: [expect.any(String)] },
  ]);
  const { id, content } = await takenIn(file, { '0.tag': 'our tag', '0.time': '07:30' });
  expect(content.start.trigger).toMatchObject({ at: ['07:30'] });
  await goLive(services, id);
  await settled(services);
  expect(await rows()).toEqual([
    ['ada1@clay.example', 'our tag'],
    ['ada2@clay.example', 'our tag'],
  ]);
});

test('what doesn’t fit is refused with the question it was said to, and nothing is made', async () => {
  const file = await readyMade();
  await expect(takenIn(file, { '0.time': 'soon' })).rejects.toThrow(/“soon” doesn’t fit “At what time\?”.*“06:00”/);
  expect(await around.services.workflows.list()).toEqual([]);
});

/** Puts files beside the product as ready-made ones, and starts it with them. */
async function besides(...files: readonly (WorkflowFile | FolderFile)[]): Promise<void> {
  const readyFolder = join(around.world.folder, 'ready');
  mkdirSync(readyFolder, { recursive: true });
  for (const [at, file] of files.entries()) writeFileSync(join(readyFolder, `${at}.json`), JSON.stringify(file));
  await around.reopen({ readyFolder });
}

test('a newer edition is shown beside an edited copy, in its places and with its texts', async () => {
  const made = await takenIn(await readyMade());
  expect(made.newerEdition).toBeNull();
  const { draft, draftRev } = await around.services.workflows.get(made.id);
  await around.services.workflows.saveDraft(made.id, { ...draft, name: 'Our members' }, draftRev);
  const newer = await readyMade(2, {
    start: { ...(await readyMade()).content.start, trigger: { kind: 'every', minutes: 30 } },
  });
  await besides(await readyMade(1), newer);
  const { services, connected } = around;
  expect(await askApi(services, 'GET', `/api/workflows/${made.id}`)).toMatchObject({ newerEdition: 2 });
  const seen = await askApi<{ newer: NewerEdition }>(services, 'GET', `/api/workflows/${made.id}/edition`);
  expect(seen.newer).toMatchObject({ number: 2, before: 1, note: 'Off by itself.' });
  // Neither the place, the tag nor the name is told as a difference: they are this business's own.
  expect(seen.newer.changes.map(({ text }) => text)).toEqual([expect.stringMatching(/is now “.*30 minutes/)]);
  expect(seen.newer.sentences.map(({ mine, newer: other }) => mine === other)).toEqual([false, true]);
  expect(seen.newer.content).toMatchObject({
    name: 'Our members',
    steps: [
      {
        target: { connection: connected.shelf, path: ['ours.xlsx', 'Members'] },
        mapping: { '/Tag': { value: 'our tag' } },
      },
    ],
  });
  // Taken into the draft, or kept as it was, it is told no more.
  const now = await services.workflows.get(made.id);
  await services.workflows.saveDraft(made.id, seen.newer.content, now.draftRev);
  expect(await askApi(services, 'GET', `/api/workflows/${made.id}/edition`)).toEqual({ newer: null });
});

test('a folder lies ready-made as one, and is taken in with what hands over to what; one alone hands over to ours', async () => {
  const { services, connected, world } = around;
  world.shelf.files.replace('people.xlsx', await emptyWorkbook('People', ['E-mail', 'Name']), undefined);
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const parent = await customersHandedOver(services, connected.shop, [step]);
  const alone = await exportWorkflow(services, (await services.workflows.get(parent)).draft);
  const made = await askApi<{ content: WorkflowContent }>(services, 'POST', '/api/workflows/import', {
    text: JSON.stringify(alone),
    connections: {},
  });
  const [handing] = made.content.steps;
  const inbox = (await services.workflows.get(receiver)).draft.start.source?.path;
  expect(handing?.kind === 'hand_over' && handing.target?.path).toEqual(inbox);
  // Where nobody takes it in any more, it has to be chosen.
  const gone = JSON.stringify(alone).replaceAll(inbox?.[0] ?? '', 'gone');
  const other = await askApi<{ content: WorkflowContent }>(services, 'POST', '/api/workflows/import', {
    text: gone,
    connections: {},
  });
  expect(other.content.steps[0]).toMatchObject({ kind: 'hand_over', target: null });

  const receiving = await exportWorkflow(services, (await services.workflows.get(receiver)).draft);
  await besides({
    kind: 'golden-relay/folder',
    version: 1,
    exportedAt: services.seams.now(),
    name: 'Members',
    workflows: [receiving, alone],
  });
  const [ready] = await askApi<{ id: string; name: string; note: string }[]>(around.services, 'GET', '/api/ready');
  expect(ready).toMatchObject({ name: 'Members', note: 'People onto the list · Shop customers, handed over' });
  const { text } = await askApi<{ text: string }>(around.services, 'GET', `/api/ready/${ready?.id}`);
  await askApi(around.services, 'POST', '/api/workflows/import', { text, connections: {} });
  const names = (await around.services.workflows.list()).filter(({ folder }) => folder === 'Members');
  expect(names.map(({ draft }) => draft.name).sort()).toEqual(['People onto the list', 'Shop customers, handed over']);
});
