import { emptyContent, formatPointer, type WorkflowContent } from '@golden/core';
import { makeApi } from '../../api/app.ts';
import type { Services } from '../../services.ts';
import { defaultSettings, saveSettings } from '../../settings.ts';
import { goLive } from '../checks.ts';
import { TestClock } from '../clock.ts';
import { customersToPeople } from '../matching.ts';
import {
  addCard,
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  connectCards,
  customer,
  customerMapping,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  placeOf,
  type World,
} from '../world.ts';

/** What an answer of the interface was. */
export interface Answered {
  readonly status: number;
  readonly body: unknown;
}

/** A whole product with something of everything in it, to be asked odd things. */
export interface FuzzedProduct {
  readonly services: Services;
  readonly connected: Connected & { readonly cards: string };
  readonly contents: readonly WorkflowContent[];
  ask(method: string, path: string, body?: unknown): Promise<Answered>;
  /** Ids of what is there, and paths of fields. */
  known(): Promise<string[]>;
  /** What a person sees first is still to be seen. @throws where it isn't */
  expectStanding(): Promise<void>;
  close(): Promise<void>;
}

/** A secret that no answer may hold. */
const secret = 'a-secret-that-nobody-may-see';

export async function openFuzzed(): Promise<FuzzedProduct> {
  const world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  world.shelf.files.replace('list.csv', Buffer.from(`${columns.join(',')}\n`), undefined);
  const services = await openServices(world, {
    seams: new TestClock(),
    open: { timeout: 300, retries: 0 },
    backupFolder: `${world.folder}/backups`,
    logLevel: 'silent',
  });
  await saveSettings(services.db, { ...defaultSettings, mayCallInside: true, isSetUp: true });
  const both = await connectBoth(world, services);
  const connected = { ...both, cards: await connectCards(world, services) };
  await services.connections.add({
    app: 'web_address',
    name: 'Desk',
    settings: { address: 'http://127.0.0.1:9/api', header: 'X-Key' },
    key: secret,
  });
  await fill(world, services, connected);
  const api = makeApi(services);
  let fault = '';
  services.log.error = ((told: { stack?: string }) => {
    fault = told.stack ?? JSON.stringify(told);
  }) as typeof services.log.error;
  const contents = (await services.workflows.list()).map(({ draft }) => draft);
  const ask = async (method: string, path: string, body?: unknown): Promise<Answered> => {
    const answer = await api.request(path, {
      method,
      headers: { host: '127.0.0.1:4600', 'content-type': 'application/json' },
      ...(body !== undefined && { body: JSON.stringify(body) }),
    });
    const text = await answer.text();
    if (text.includes(secret)) throw new Error(`${method} ${path} gives the secret away`);
    if (answer.status === 500) throw new Error(`${method} ${path} answers 500: ${fault}`);
    return { status: answer.status, body: text === '' ? null : JSON.parse(text) };
  };
  return {
    services,
    connected,
    contents,
    ask,
    known: () => knownOf(services),
    expectStanding: async () => {
      for (const path of ['/api/today', '/api/workflows', '/api/settings', '/api/connections', '/api/decide']) {
        const { status, body } = await ask('GET', path);
        if (status !== 200) throw new Error(`${path} answers ${status}: ${JSON.stringify(body)}`);
      }
    },
    close: async () => {
      await services.close().catch(() => undefined);
      await world.close();
    },
  };
}

async function fill(world: World, services: Services, connected: FuzzedProduct['connected']): Promise<void> {
  addCustomers(world, 4);
  world.shop.store.add(customer({ first_name: 'Zoë', last_name: null, email: null, phone: '?' }));
  for (let at = 0; at < 2; at++)
    addCard(world, 'people', {
      firstName: 'Ada',
      lastName: 'Nair',
      email: 'ada1@clay.example',
      phone: '01632 960 771',
    });
  await goLive(services, await customersWorkflow(services, connected));
  await goLive(services, await customersToPeople(services, connected, connected.cards));
  const calls = await services.connections.list();
  const desk = calls.find(({ name }) => name === 'Desk')?.id ?? '';
  const spec = { method: 'GET', address: '/x/{id}', headers: [], fields: [], onlyReads: true };
  await services.workflows.add({
    ...emptyContent('Customers by many steps'),
    tables: [{ name: 'countries', rows: [{ from: 'GB', to: 'United Kingdom' }] }],
    start: {
      source: await placeOf(services, connected.shop, ['orders']),
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
      waitsToFit: true,
      doubles: { by: ['/number'], treat: 'ask' },
    },
    steps: [
      { id: 'only', kind: 'condition', condition: { kind: 'all', items: [] } },
      {
        id: 'sum',
        kind: 'compute',
        values: [
          { name: 'Upper', text: 'UPPER(order.number)', refs: { 'order.number': { step: 'start', path: '/number' } } },
        ],
      },
      { id: 'each', kind: 'each', over: { step: 'start', path: '/lines' } },
      {
        id: 'row',
        kind: 'write',
        within: 'each',
        target: await placeOf(services, connected.shelf, ['list.csv', 'list']),
        mode: 'create_or_update',
        firstDifference: 'source',
        key: formatPointer(['Number']),
        mapping: { ...customerMapping, [formatPointer(['Number'])]: { kind: 'formula', text: 'order.id', refs: {} } },
        formulaTexts: 'harmless',
      },
      {
        id: 'ring',
        kind: 'write',
        target: await placeOf(services, desk, [JSON.stringify(spec)]),
        mode: 'append',
        mapping: { '/id': { kind: 'fixed', value: '..' } },
      },
    ],
  });
}

async function knownOf({ db }: Services): Promise<string[]> {
  const tables = [
    'workflow',
    'connection',
    'run',
    'item',
    'link',
    'merge',
    'duplicate_search',
    'duplicate_group',
  ] as const;
  const ids = await Promise.all(
    tables.map(async (table) => (await db.selectFrom(table).select('id').limit(6).execute()).map(({ id }) => id)),
  );
  const words = ['start', 'list', 'person', 'each', 'row', '/id', '/email', '/lines', '/Number', 'customers', 'people'];
  return [...ids.flat(), ...words, 'GB', 'Europe/London', 'shop_counter', 'folder', '1', '2026-11-27T09:00:00Z'];
}
