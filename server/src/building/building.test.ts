import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent, isReady, readWorkflowFile, takeFields, type WorkflowContent } from '@golden/core';
import { shelfAccounts, shopKeys } from '@golden/standins';
import Ajv2020 from 'ajv/dist/2020';
import { makeApi } from '../api/app.ts';
import { lastDays } from '../api/workspace/days.ts';
import { needsOf } from '../api/workspace/needs.ts';
import type { Services } from '../services.ts';
import type { TestClock } from '../testing/clock.ts';
import {
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  customer,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  placeOf,
  rowsOf,
  type World,
} from '../testing/world.ts';
import { copyBetween } from './copies.ts';
import { contentsOfFile, exportWorkflow, lookAtFile, workflowFileJsonSchema } from './files.ts';
import { driftsOf, swapConnection } from './places.ts';

let world: World;
let services: Services;
let connected: Connected;

beforeEach(async () => {
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world);
  connected = await connectBoth(world, services);
});

afterEach(async () => {
  await services.close();
  await world.close();
});

const shopPlace = () => ({ connection: connected.shop, path: ['customers'], labels: ['customers'] });
const tabPlace = () => ({
  connection: connected.shelf,
  path: ['customers.xlsx', 'Customers'],
  labels: ['customers.xlsx', 'Customers'],
});
const draftOf = async (id: string) => (await services.workflows.get(id)).draft;

describe('from three choices', () => {
  test('the draft between two real apps is ready, runs, and every customer arrives', async () => {
    addCustomers(world, 5);
    const content = await copyBetween(services, shopPlace(), tabPlace(), 'all_in_step');
    expect(isReady(content)).toBe(true);
    const { id } = await services.workflows.add(content);
    await services.engine.finish((await services.engine.makeLive(id)).run);
    const rows = await rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
    expect(rows).toHaveLength(5);
    expect(rows[0]).toMatchObject({ Name: 'Ada 1 Nair', 'E-mail': 'ada1@clay.example', Phone: '+441632960771' });
    // Plan, apply, plan again = no writes.
    const writes = world.shelf.state.writes;
    await services.engine.finish(await services.engine.checkNow(id));
    expect(world.shelf.state.writes).toBe(writes);
  });

  test('from and to the same is refused with a sentence', async () => {
    await expect(copyBetween(services, shopPlace(), shopPlace(), 'in_step')).rejects.toThrow('the same place');
  });
});

describe('drift', () => {
  test('a renamed column is told with what rests on it; the live version stops before a value lands anywhere', async () => {
    const ada = world.shop.store.add(customer({ first_name: 'Ada' }));
    const id = await customersWorkflow(services, connected, { on: 'added_or_changed' });
    await services.engine.finish((await services.engine.makeLive(id)).run);
    world.shelf.files.replace(
      'customers.xlsx',
      await emptyWorkbook('Customers', ['Number', 'Name', 'E-mail', 'Telephone', 'Postcode', 'Since']),
      undefined,
    );
    const [drift] = await driftsOf(services, await draftOf(id));
    expect(drift).toMatchObject({
      sentence: 'list',
      drift: { isStopping: true, gone: [{ label: 'Phone', proposal: { label: 'Telephone' } }] },
    });
    // A change that doesn't even touch the phone: the whole step stops all the same.
    world.shop.store.change(ada.id, { last_name: 'Lovelace' });
    const writes = world.shelf.state.writes;
    (services.seams as TestClock).pass(6000);
    await services.engine.finish(await services.engine.checkNow(id));
    expect(world.shelf.state.writes).toBe(writes);
    const [need] = await needsOf(services);
    expect(need).toMatchObject({ cause: 'drift', count: 1 });
    expect(need?.message).toContain('“Phone” is likely “Telephone” now');

    // Mapped again and made live, the record that was stopped goes on with the new version.
    const { draft, draftRev } = await services.workflows.get(id);
    const now = drift?.now ?? draft.start.source?.described;
    if (!now) throw new Error('the place is described');
    const mended = takeFields(draft, 'list', now, { '/Phone': '/Telephone' });
    await services.workflows.saveDraft(
      id,
      { ...mended, start: { ...mended.start, fromWhen: { kind: 'now' } } },
      draftRev,
    );
    const { run, version } = await services.engine.makeLive(id);
    await services.engine.finish(run);
    await services.engine.stop();
    const items = await services.db.selectFrom('item').select(['version', 'state']).orderBy('seq').execute();
    expect(items.at(-1)).toEqual({ version, state: 'delivered' });
    const rows = await rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
    expect(rows.at(-1)).toMatchObject({ Name: 'Ada Lovelace', Telephone: '+441632960771' });
    expect(await needsOf(services)).toEqual([]);
  });

  test('a place that can’t be asked now is no drift', async () => {
    const id = await customersWorkflow(services, connected);
    world.shelf.files.remove('customers.xlsx');
    expect(await driftsOf(services, await draftOf(id))).toEqual([]);
  });
});

describe('another connection', () => {
  async function shelfWith(token: string): Promise<string> {
    const made = await services.connections.add({
      app: 'workbook_shelf',
      name: 'Shelf, for viewing',
      settings: { address: `${world.shelf.at.url}/api` },
      key: token,
    });
    return made.id;
  }

  test('what differs is told before anything changes: a right that is missing', async () => {
    const id = await customersWorkflow(services, connected);
    const viewer = await shelfWith(shelfAccounts.find((one) => !one.mayEdit)?.token ?? '');
    const { content, differences } = await swapConnection(services, await draftOf(id), connected.shelf, viewer);
    expect(differences.join(' ')).toContain('may be viewed, not edited');
    expect(content.steps[0]).toMatchObject({ target: { connection: viewer } });
    expect(await draftOf(id)).toMatchObject({ steps: [{ target: { connection: connected.shelf } }] });
  });

  test('one of another app can’t stand in, one that is the same differs in nothing', async () => {
    const id = await customersWorkflow(services, connected);
    const other = await swapConnection(services, await draftOf(id), connected.shelf, connected.shop);
    expect(other.differences[0]).toContain('is another app');
    const twin = await shelfWith(shelfAccounts[0]?.token ?? '');
    expect((await swapConnection(services, await draftOf(id), connected.shelf, twin)).differences).toEqual([]);
  });
});

describe('files', () => {
  test('exported and imported, a workflow says the same; its connections are found again, or listed', async () => {
    const id = await customersWorkflow(services, connected);
    const file = await exportWorkflow(services, await draftOf(id));
    const text = JSON.stringify(file);
    expect(text).not.toContain(shopKeys[0]?.key);
    const look = await lookAtFile(services, text);
    expect(look.connections.map((one) => [one.name, one.here])).toEqual([
      ['Shop counter', connected.shop],
      ['Workbook shelf', connected.shelf],
    ]);
    expect(look.sentences).toHaveLength(2);
    expect((await contentsOfFile(services, text, { connections: {} })).contents).toEqual([await draftOf(id)]);
    const elsewhere = text
      .replaceAll(connected.shop, 'elsewhere')
      .replace('"app":"shop_counter"', '"app":"card_index"');
    expect((await lookAtFile(services, elsewhere)).connections[0]).toMatchObject({ here: null });
    expect(
      (await contentsOfFile(services, elsewhere, { connections: { elsewhere: connected.shop } })).contents,
    ).toEqual([await draftOf(id)]);
  });

  test.each(['x,y\n1,2', '{}', '{"kind":"golden-relay/workflow","version":1}'])('%s is refused', async (text) => {
    await expect(lookAtFile(services, text)).rejects.toThrow(/not a JSON|not an exported|damaged/);
  });

  // An independent reader of JSON Schema judges the file: ajv, by the draft that the schema names (2020-12).
  test('the published JSON Schema is served, stands in docs, and an exported file keeps to it', async () => {
    const answer = await makeApi(services).request('/api/schemas/workflow.json');
    const schema = (await answer.json()) as { required: string[]; properties: object };
    expect(schema).toEqual(JSON.parse(JSON.stringify(workflowFileJsonSchema())));
    expect(schema.required).toEqual(['kind', 'version', 'exportedAt', 'connections', 'content']);
    const file = await exportWorkflow(services, emptyContent('x'));
    expect(readWorkflowFile(JSON.stringify(file)).ok).toBe(true);
    const published = readFileSync(join(__dirname, '../../../docs/workflow.schema.json'), 'utf8');
    expect(JSON.parse(published)).toEqual(schema);
    const isValid = new Ajv2020({ strict: false }).compile(schema);
    expect(isValid(JSON.parse(JSON.stringify(file)))).toBe(true);
    expect(isValid({ ...file, kind: 'another' })).toBe(false);
  });
});

describe('versions', () => {
  test('each says what it changed; going back makes the draft say what it said', async () => {
    const id = await customersWorkflow(services, connected);
    await services.workflows.freeze(id);
    const { draft, draftRev } = await services.workflows.get(id);
    const changed: WorkflowContent = {
      ...draft,
      name: 'Renamed',
      start: { ...draft.start, trigger: { kind: 'every', minutes: 60 } },
    };
    await services.workflows.saveDraft(id, changed, draftRev);
    await services.workflows.freeze(id);
    const api = makeApi(services);
    const versions = (await (await api.request(`/api/workflows/${id}/versions`)).json()) as {
      draft: unknown[];
      versions: { number: number; changes: { text: string }[] }[];
    };
    expect(versions.draft).toEqual([]);
    expect(versions.versions.map((one) => one.number)).toEqual([2, 1]);
    expect(versions.versions[0]?.changes.map((one) => one.text).join(' ')).toContain('every hour');
    const first = (await (await api.request(`/api/workflows/${id}/versions/1`)).json()) as { content: WorkflowContent };
    expect(first.content).toEqual(draft);
  });

  test('marks on proposals make no new version', async () => {
    const id = await customersWorkflow(services, connected);
    expect(await services.workflows.freeze(id)).toBe(1);
    const { draft, draftRev } = await services.workflows.get(id);
    const marked = draft.steps.map((step) =>
      step.kind === 'write' ? { ...step, suggested: { '/Name': 'same' } } : step,
    );
    await services.workflows.saveDraft(id, { ...draft, steps: marked }, draftRev);
    expect(await services.workflows.freeze(id)).toBe(1);
    expect((await services.workflows.versionsOf(id)).isDraftChanged).toBe(true);
  });
});

test('one sentence tried alone shows what it would do, and nothing is written', async () => {
  addCustomers(world, 3);
  world.shop.store.add(customer({ phone: 'ask for Dirk' }));
  const id = await customersWorkflow(services, connected);
  const writes = world.shelf.state.writes;
  const tried = await services.engine.tryStep(id, 'list');
  expect(tried.map((one) => one.state).sort()).toEqual(['delivered', 'delivered', 'delivered', 'unsettled']);
  expect(world.shelf.state.writes).toBe(writes);
  await expect(services.engine.tryStep(id, 'gone')).rejects.toThrow('isn’t in the draft');
});

test('made-up samples stay when the real ones are loaded anew, and can’t be sent', async () => {
  addCustomers(world, 60);
  const id = await customersWorkflow(services, connected);
  await services.engine.samples.addOwn(id, [{ first_name: 'Made up' }], 'made_up');
  const samples = await services.engine.samples.of(id, true);
  expect(samples.filter((one) => one.origin === 'real').length).toBeGreaterThanOrEqual(50);
  expect(samples[0]).toMatchObject({ origin: 'made_up', isOnSheet: true });
  await expect(services.engine.sendOne(id, samples[0]?.id ?? '')).rejects.toThrow('was made up');
});

test('the profile looks at many more records than the samples are', async () => {
  addCustomers(world, 300);
  const id = await customersWorkflow(services, connected);
  expect((await services.engine.samples.of(id)).length).toBeLessThan(100);
  const profile = await services.engine.samples.profile(id);
  const email = profile.find((one) => one.field.path === '/email');
  expect(email).toMatchObject({ count: 300, filled: 1, distinct: 1, fitness: 'fit' });
  expect(profile.find((one) => one.field.path === '/last_name')).toMatchObject({ fitness: 'unfit' });
});

test('one broken connection is one case, whatever waits for it', async () => {
  addCustomers(world, 1);
  const ids = [await customersWorkflow(services, connected), await customersWorkflow(services, connected)];
  for (const id of ids) await services.engine.finish((await services.engine.makeLive(id)).run);
  await services.connections.change(connected.shop, {
    name: 'Shop counter',
    settings: { address: `${world.shop.at.url}/api` },
    key: 'wrong',
  });
  for (const id of ids) await services.engine.finish(await services.engine.checkNow(id));
  const needs = await needsOf(services);
  expect(needs).toHaveLength(1);
  expect(needs[0]).toMatchObject({ cause: 'connection', connectionId: connected.shop, workflow: '2 workflows' });
});

test('switched off and on again, what came meanwhile is taken in', async () => {
  const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'now' } });
  await expect(services.engine.switchOn(id)).rejects.toThrow('no live version');
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await services.engine.switchOff(id);
  addCustomers(world, 2);
  await services.engine.switchOn(id);
  const run = await services.engine.checkNow(id);
  await services.engine.finish(run);
  const { taken_in } = await services.db
    .selectFrom('run')
    .select('taken_in')
    .where('id', '=', run)
    .executeTakeFirstOrThrow();
  expect(taken_in).toBe(2);
});

test('the fourteen days are those of the workspace’s zone', async () => {
  const id = await customersWorkflow(services, connected);
  addCustomers(world, 2);
  await services.engine.finish((await services.engine.makeLive(id)).run);
  // Late on the last day in London is the next day in Auckland (IANA: UTC+13 in November).
  await services.db.updateTable('item').set({ taken_at: '2026-11-22T13:30:00.000Z' }).execute();
  const now = '2026-11-23T20:00:00.000Z';
  const london = (await lastDays(services.db, 'Europe/London', now)).get(id);
  const auckland = (await lastDays(services.db, 'Pacific/Auckland', now)).get(id);
  expect(london).toHaveLength(14);
  expect(london?.find((one) => one.takenIn > 0)).toMatchObject({ day: '2026-11-22', takenIn: 2 });
  expect(auckland?.find((one) => one.takenIn > 0)).toMatchObject({ day: '2026-11-23', takenIn: 2 });
});

test('a text of five megabytes goes through samples and rehearsal, and is refused where it doesn’t fit', async () => {
  const long = 'x'.repeat(5 * 1024 * 1024);
  world.shelf.files.replace('notes.csv', Buffer.from(`Number,Text\r\n1,${long}\r\n2,short\r\n`), undefined);
  const source = await placeOf(services, connected.shelf, ['notes.csv', 'notes']);
  const target = await placeOf(services, connected.shelf, ['customers.xlsx', 'Customers']);
  const { id } = await services.workflows.add({
    ...emptyContent('Notes'),
    start: {
      source,
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
      identity: '/Number',
    },
    steps: [
      {
        id: 'list',
        kind: 'write',
        target,
        mode: 'append',
        mapping: { '/Name': { kind: 'field', ref: { step: 'start', path: '/Text' }, tidies: [] } },
      },
    ],
  });
  await services.engine.rehearse(id, 'samples');
  await services.engine.rehearsals.wait(id);
  const items = await services.db.selectFrom('rehearsal_item').select(['state', 'message']).orderBy('at').execute();
  expect(items.map((one) => one.state).sort()).toEqual(['delivered', 'unsettled']);
  expect(items.find((one) => one.state === 'unsettled')?.message).toContain('at most 32767 fit');
});
