import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { join } from 'node:path';
import {
  emptyContent,
  type Filling,
  type JsonRecord,
  readFieldLines,
  type Step,
  type WorkflowContent,
} from '@golden/core';
import {
  calm,
  cardIndex,
  cardKeys,
  editTab,
  ledger,
  listen,
  shelfAccounts,
  shopCounter,
  shopKeys,
  suffers,
  workbookShelf,
} from '@golden/standins';
import type { Services } from '../../services.ts';
import { loadSettings, saveSettings } from '../../settings.ts';
import { emptyWorkbook, fieldFilling, placeOf, rowsOf } from '../world.ts';
import type { Destination, Seen, TruthWorld } from './world.ts';

/** A workflow from the shop’s customers into one kind of destination. */
export interface Scenario {
  readonly name: string;
  /** `once`: each customer that was taken in is there once; `same`: with its newest values, as long as it is in the shop. */
  readonly keeps: 'once' | 'same';
  /** Who has no address yet is taken in as soon as there is one. */
  readonly waitsToFit?: boolean;
  /** Everybody waits a while before anything is written. */
  readonly waits?: boolean;
  open(world: TruthWorld, source: string): Promise<{ destination: Destination; connection: string; steps: Step[] }>;
}

const nameFilling: Filling = {
  kind: 'text',
  parts: [
    { kind: 'field', ref: { step: 'start', path: '/first_name' } },
    { kind: 'words', text: ' ' },
    { kind: 'field', ref: { step: 'start', path: '/last_name' } },
  ],
  tidies: [{ kind: 'squeeze' }],
};

/** The draft of a scenario; `edit` varies what doesn’t change where records go. */
export async function contentOf(
  services: Services,
  source: string,
  scenario: Scenario,
  steps: Step[],
  wishes: {
    readonly mostPerRun?: number;
    readonly gather?: number;
    readonly holds?: number;
    readonly note?: string;
  } = {},
): Promise<WorkflowContent> {
  return {
    ...emptyContent(`Truth: ${scenario.name}`),
    ...(wishes.note && { note: wishes.note }),
    start: {
      source: await placeOf(services, source, ['customers']),
      on: scenario.keeps === 'once' ? 'added' : 'added_or_changed',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
      waitsToFit: scenario.waitsToFit ?? false,
      ...(wishes.holds && { holdsAbove: wishes.holds }),
      ...(wishes.mostPerRun && { mostPerRun: wishes.mostPerRun }),
      ...(wishes.gather && { gather: { records: wishes.gather, minutes: 30 } }),
    },
    steps: [...(scenario.waitsToFit ? [hasMail] : []), ...(scenario.waits ? [tenMinutes] : []), ...steps],
  };
}

const tenMinutes: Step = {
  id: 'wait',
  kind: 'wait',
  until: { kind: 'time', amount: 10, unit: 'minutes', from: 'start' },
};

/** The same, with a wait before anything is written. */
const waiting = (scenario: Scenario): Scenario => ({
  ...scenario,
  name: `${scenario.name}, ten minutes later`,
  waits: true,
});

const hasMail: Step = {
  id: 'mail',
  kind: 'condition',
  condition: { kind: 'test', ref: { step: 'start', path: '/email' }, operator: 'is_not_empty', values: [] },
};

const columns = ['E-mail', 'Name'];
const rowMapping = { '/E-mail': fieldFilling('/email'), '/Name': nameFilling };

function onTheShelf(keeps: Scenario['keeps'], isKeyed: boolean, waitsToFit = false): Scenario {
  return {
    name: `shop to shelf, ${isKeyed ? 'by key' : waitsToFit ? 'appended as soon as it meets the conditions' : 'appended'}`,
    keeps,
    waitsToFit,
    async open(world) {
      const shelf = workbookShelf(join(world.folder, 'shelf'));
      world.slowDown(shelf.state);
      shelf.files.replace('list.xlsx', await emptyWorkbook('Customers', columns), undefined);
      const at = await listen(shelf.app, 0);
      const made = await world.services.connections.add({
        app: 'workbook_shelf',
        name: 'Shelf',
        settings: { address: `${at.url}/api` },
        key: shelfAccounts[0]?.token ?? '',
      });
      let column = 'Name';
      const bytes = (): Buffer => shelf.files.get('list.xlsx')?.bytes ?? Buffer.alloc(0);
      const read = async (): Promise<Seen[]> =>
        (await rowsOf(bytes(), 'Customers')).map((row) => ({
          email: String(row['E-mail']),
          name: String(row[column]),
        }));
      const steps = async (): Promise<Step[]> => [
        {
          id: 'write',
          kind: 'write',
          target: await placeOf(world.services, made.id, ['list.xlsx', 'Customers']),
          mode: isKeyed ? 'create_or_update' : 'append',
          firstDifference: 'source',
          ...(isKeyed && { key: '/E-mail' }),
          mapping: { '/E-mail': fieldFilling('/email'), [`/${column}`]: nameFilling },
        },
      ];
      const rename = async (): Promise<Step[]> => {
        column = column === 'Name' ? 'Full name' : 'Name';
        const edit = { kind: 'rename_column', column: 1, name: column } as const;
        await shelf.files.change('list.xlsx', (now) => editTab('list.xlsx', now, 'Customers', edit));
        // Nobody maps anew while the app isn't there to be looked at.
        shelf.state.troubles.clear();
        return steps();
      };
      const destination = { state: shelf.state, read, rename, close: at.close };
      return { destination, connection: made.id, steps: await steps() };
    },
  };
}

const inAFolder: Scenario = {
  name: 'shop to a CSV file in a folder, appended',
  keeps: 'once',
  async open(world) {
    const folder = join(world.folder, 'books');
    mkdirSync(folder);
    writeFileSync(join(folder, 'list.csv'), 'E-mail,Name\r\n');
    const made = await world.services.connections.add({ app: 'folder', name: 'Books', settings: { folder } });
    const target = await placeOf(world.services, made.id, ['list.csv', 'list']);
    const read = async (): Promise<Seen[]> =>
      readFileSync(join(folder, 'list.csv'), 'utf8')
        .split('\r\n')
        .slice(1)
        .filter((line) => line !== '')
        .map((line) => ({ email: line.split(',')[0] ?? '', name: line.split(',')[1] ?? '' }));
    const state = world.shop.state;
    const step: Step = { id: 'write', kind: 'write', target, mode: 'append', mapping: rowMapping };
    return { destination: { state, read, close: async () => undefined }, connection: made.id, steps: [step] };
  },
};

const toAnotherShop: Scenario = {
  name: 'shop to another shop that keeps neither key nor reference',
  keeps: 'same',
  async open(world) {
    const other = shopCounter(':memory:');
    world.slowDown(other.state);
    const at = await listen(other.app, 0);
    const made = await world.services.connections.add({
      app: 'shop_counter',
      name: 'Other shop',
      settings: { address: `${at.url}/api` },
      key: shopKeys[0]?.key ?? '',
    });
    const target = await placeOf(world.services, made.id, ['customers']);
    const read = async (): Promise<Seen[]> =>
      other.store
        .search('', 10_000, 0)
        .map(({ email, first_name }) => ({ email: email ?? '', name: first_name ?? '' }));
    const close = async (): Promise<void> => {
      await at.close();
      other.store.close();
    };
    const mapping = { '/email': fieldFilling('/email'), '/first_name': nameFilling };
    const step: Step = {
      id: 'write',
      kind: 'write',
      target,
      mode: 'create_or_update',
      firstDifference: 'source',
      key: '/email',
      mapping,
    };
    return { destination: { state: other.state, read, close }, connection: made.id, steps: [step] };
  },
};

const intoTheLedger: Scenario = {
  name: 'shop to the Ledger, which keeps the sender’s reference, as new records',
  keeps: 'once',
  async open(world) {
    const books = ledger(':memory:');
    world.slowDown(books.state);
    const at = await listen(books.app, 0);
    const tokens = books.signIn.issue({ user: 'Mira Holm', client: 'golden-relay', scope: 'ledger.read ledger.write' });
    const made = await world.services.connections.add({
      app: 'ledger',
      name: 'Ledger',
      settings: { address: `${at.url}/api` },
      key: JSON.stringify({ access: tokens.access_token, refresh: tokens.refresh_token, expiresAt: Date.now() + 9e9 }),
    });
    const target = await placeOf(world.services, made.id, ['retail', 'customers']);
    const read = async (): Promise<Seen[]> =>
      books.store.customers
        .list({}, { limit: 10_000 })
        .map(({ electronicMail, name }) => ({ email: electronicMail ?? '', name }));
    const close = async (): Promise<void> => {
      await at.close();
      books.store.close();
    };
    const mapping = { '/electronicMail': fieldFilling('/email'), '/name': nameFilling };
    const step: Step = { id: 'write', kind: 'write', target, mode: 'append', mapping };
    return { destination: { state: books.state, read, close }, connection: made.id, steps: [step] };
  },
};

const intoTheCardIndex: Scenario = {
  name: 'shop to people of the Card index by a ladder, with an idempotency key',
  keeps: 'same',
  async open(world, source) {
    const cards = cardIndex(':memory:');
    const other = cardIndex(':memory:');
    other.state.account = 'card-index-2';
    for (const state of [cards.state, other.state]) world.slowDown(state);
    const strangers = Array.from({ length: 12 }, (_, one) => ({ email: `s${one}@stranger.example`, name: `S${one}` }));
    for (const { email, name } of strangers)
      other.store.of('people').add({
        type: 'people',
        attributes: { email, lastName: name },
        relationships: {},
        archived: false,
        mergedInto: null,
      });
    const at = await listen(cards.app, 0);
    const otherAt = await listen(other.app, 0);
    const key = cardKeys[0]?.key ?? '';
    const made = await world.services.connections.add({
      app: 'card_index',
      name: 'Card index',
      settings: { address: `${at.url}/api` },
      key,
    });
    const target = await placeOf(world.services, made.id, ['people']);
    const readOf = (index: typeof cards): Seen[] =>
      index.store
        .of('people')
        .list({}, { limit: 10_000 })
        .filter(({ archived }) => !archived)
        .map(({ attributes }) => ({ email: String(attributes['email']), name: String(attributes['lastName']) }));
    const close = async (): Promise<void> => {
      await at.close();
      await otherAt.close();
      cards.store.close();
      other.store.close();
    };
    const vanish = (which: number): string | undefined => {
      const all = cards.store.of('people').list({}, { limit: 10_000 });
      const one = all[which % Math.max(1, all.length)];
      if (one) cards.store.of('people').remove(one.id);
      return one && String(one.attributes['email']);
    };
    const step: Step = {
      id: 'write',
      kind: 'write',
      target,
      mode: 'create_or_update',
      firstDifference: 'source',
      ladder: {
        rungs: [{ id: 'mail', kind: 'exact', fields: ['/email'] }],
        atNone: 'create',
        atUnclear: 'ask',
        remembers: source === '' ? 'nothing' : 'start',
      },
      mapping: { '/email': fieldFilling('/email'), '/lastName': nameFilling },
    };
    const read = async (): Promise<Seen[]> => readOf(cards);
    const elsewhere = async (): Promise<Seen[]> => readOf(other);
    const accounts = { addresses: [`${at.url}/api`, `${otherAt.url}/api`] as const, key };
    const destination: Destination = { state: cards.state, read, strangers, elsewhere, accounts, vanish, close };
    return { destination, connection: made.id, steps: [step] };
  },
};

const toAWebAddress: Scenario = {
  name: 'shop to a web address that can’t be looked into, twice for each customer',
  keeps: 'once',
  async open(world) {
    const { services } = world;
    await saveSettings(services.db, { ...(await loadSettings(services.db)), mayCallInside: true });
    const got: Seen[] = [];
    const state = calm('truth');
    const server = createServer((request, response) => {
      let body = '';
      request.on('data', (part) => {
        body += part;
      });
      request.on('end', () => {
        const { email, name } = JSON.parse(body) as JsonRecord;
        if (suffers(state, 'down')) return response.destroy();
        if (suffers(state, 'rate_limit')) return response.writeHead(429, { 'retry-after': '1' }).end();
        if (suffers(state, 'redirect')) return response.writeHead(301, { location: '/elsewhere' }).end();
        got.push({ email: `${request.url} ${email}`, name: String(name) });
        if (suffers(state, 'break_off')) return response.destroy();
        if (suffers(state, 'fault_after')) return response.writeHead(500).end();
        return response.writeHead(200, { 'content-type': 'application/json' }).end('{"taken":true}');
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const { port } = server.address() as { port: number };
    const made = await services.connections.add({
      app: 'web_address',
      name: 'Address',
      settings: { address: `http://127.0.0.1:${port}` },
    });
    const call = (address: string): string[] => [
      JSON.stringify({
        method: 'POST',
        address,
        headers: [],
        fields: readFieldLines('email\nname'),
        example: {},
        onlyReads: false,
      }),
    ];
    const step = async (id: string, address: string): Promise<Step> => ({
      id,
      kind: 'write',
      target: await placeOf(services, made.id, call(address)),
      mode: 'append',
      mapping: { '/email': fieldFilling('/email'), '/name': nameFilling },
    });
    const close = (): Promise<void> =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      });
    const steps = [await step('one', '/one'), await step('two', '/two')];
    // What reaches it under either address is there once each.
    const read = async (): Promise<Seen[]> =>
      got.filter(({ email }) => email.startsWith('/one')).map(({ email, name }) => ({ email: email.slice(5), name }));
    const second = async (): Promise<Seen[]> =>
      got.filter(({ email }) => email.startsWith('/two')).map(({ email, name }) => ({ email: email.slice(5), name }));
    const destination: Destination = { state, read, also: second, close };
    return { destination, connection: made.id, steps };
  },
};

export const scenarios: readonly Scenario[] = [
  onTheShelf('once', false),
  onTheShelf('once', false, true),
  onTheShelf('same', true),
  toAnotherShop,
  intoTheLedger,
  intoTheCardIndex,
  toAWebAddress,
  inAFolder,
  waiting(onTheShelf('once', false)),
  waiting(onTheShelf('same', true)),
];
