import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  emptyContent,
  type Filling,
  formatPointer,
  type Place,
  type WorkflowContent,
  type WriteStep,
} from '@golden/core';
import {
  type CustomerInput,
  cardIndex,
  cardKeys,
  type Listening,
  ledger,
  listen,
  shelfAccounts,
  shopCounter,
  shopKeys,
  workbookShelf,
} from '@golden/standins';
import ExcelJS from 'exceljs';
import { makeServices, type ServiceOptions, type Services } from '../services.ts';
import { TestClock } from './clock.ts';
import { emptyDataFile } from './data-file.ts';

/** The outside world of a test: practice apps on free ports, whose records are in memory, and a folder for data. */
export interface World {
  readonly folder: string;
  readonly shop: ReturnType<typeof shopCounter> & { readonly at: Listening };
  readonly shelf: ReturnType<typeof workbookShelf> & { readonly at: Listening };
  readonly ledger: ReturnType<typeof ledger> & { readonly at: Listening };
  readonly cards: ReturnType<typeof cardIndex> & { readonly at: Listening };
  close(): Promise<void>;
}

/** The columns of the customer list that tests write to. */
export const columns = ['Number', 'Name', 'E-mail', 'Phone', 'Postcode', 'Since'];

export async function openWorld(): Promise<World> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-test-'));
  const shop = shopCounter(':memory:');
  const shelf = workbookShelf(join(folder, 'shelf'));
  const shopAt = await listen(shop.app, 0);
  const shelfAt = await listen(shelf.app, 0);
  const books = ledger(':memory:');
  const booksAt = await listen(books.app, 0);
  const cards = cardIndex(':memory:');
  const cardsAt = await listen(cards.app, 0);
  return {
    folder,
    shop: { ...shop, at: shopAt },
    shelf: { ...shelf, at: shelfAt },
    ledger: { ...books, at: booksAt },
    cards: { ...cards, at: cardsAt },
    close: async () => {
      await shopAt.close();
      await shelfAt.close();
      await booksAt.close();
      await cardsAt.close();
      cards.store.close();
      books.store.close();
      shop.store.close();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

const workbooks = new Map<string, Promise<Buffer>>();

/** A workbook with one tab and its column names. */
export async function emptyWorkbook(tab: string, names: readonly string[]): Promise<Buffer> {
  const key = JSON.stringify([tab, names]);
  const known = workbooks.get(key) ?? makeWorkbook(tab, names);
  workbooks.set(key, known);
  return Buffer.from(await known);
}

async function makeWorkbook(tab: string, names: readonly string[]): Promise<Buffer> {
  const workbook = new ExcelJS.Workbook();
  workbook.addWorksheet(tab).addRow([...names]);
  return Buffer.from(await workbook.xlsx.writeBuffer());
}

/** The rows of a tab as the file holds them, by column name. */
export async function rowsOf(bytes: Uint8Array, tab: string): Promise<Record<string, ExcelJS.CellValue>[]> {
  const workbook = new ExcelJS.Workbook();
  await workbook.xlsx.load(bytes as unknown as ArrayBuffer);
  const sheet = workbook.getWorksheet(tab);
  const names = (sheet?.getRow(1).values ?? []) as string[];
  const rows: Record<string, ExcelJS.CellValue>[] = [];
  sheet?.eachRow((row, number) => {
    if (number === 1) return;
    rows.push(Object.fromEntries(names.slice(1).map((name, at) => [name, row.getCell(at + 1).value])));
  });
  return rows;
}

/** A customer; what isn't given is plain. */
export function customer(given: Partial<CustomerInput> = {}): CustomerInput {
  return {
    first_name: 'Priya',
    last_name: 'Nair',
    company: null,
    email: 'priya.nair@clay.example',
    phone: '01632 960 771',
    account_type: 'hobby',
    vat_number: null,
    address: { street: '9 Wheel Street', city: 'Saltmarsh', postcode: 'ZZ7 7EF', country: 'GB' },
    newsletter: false,
    ...given,
  };
}

/** Adds `count` different customers to the shop. */
export function addCustomers(world: World, count: number, from = 1): void {
  for (let at = from; at < from + count; at++) {
    world.shop.store.add(customer({ first_name: `Ada ${at}`, email: `ada${at}@clay.example` }));
  }
}

export async function openServices(world: World, more: Partial<ServiceOptions> = {}): Promise<Services> {
  const dataFile = join(world.folder, 'golden.sqlite');
  await emptyDataFile(dataFile);
  return makeServices({
    dataFile,
    masterKey: 'a master key for tests',
    open: { timeout: 30_000, retries: 2 },
    logLevel: 'silent',
    seams: new TestClock(),
    ...more,
  });
}

/** The connections of a world, by app. */
export interface Connected {
  readonly shop: string;
  readonly shelf: string;
}

export async function connectBoth(world: World, { connections }: Services): Promise<Connected> {
  const shop = await connections.add({
    app: 'shop_counter',
    name: 'Shop counter',
    settings: { address: `${world.shop.at.url}/api` },
    key: shopKeys[0]?.key ?? '',
  });
  const shelf = await connections.add({
    app: 'workbook_shelf',
    name: 'Workbook shelf',
    settings: { address: `${world.shelf.at.url}/api` },
    key: shelfAccounts[0]?.token ?? '',
  });
  return { shop: shop.id, shelf: shelf.id };
}

/** A connection to the Card index with the right to write. */
export async function connectCards(world: World, { connections }: Services): Promise<string> {
  const made = await connections.add({
    app: 'card_index',
    name: 'Card index',
    settings: { address: `${world.cards.at.url}/api` },
    key: cardKeys[0]?.key ?? '',
  });
  return made.id;
}

/** Adds a card of a type; gives its id. */
export function addCard(
  world: World,
  type: string,
  attributes: Record<string, unknown>,
  relationships: Record<string, string | null> = {},
): string {
  return String(
    world.cards.store.of(type).add({ type, attributes, relationships, archived: false, mergedInto: null }).id,
  );
}

/** A connection to the Ledger, signed in as its bookkeeper with the right to write. */
export async function connectLedger(world: World, { connections }: Services): Promise<string> {
  const tokens = world.ledger.signIn.issue({
    user: 'Mira Holm',
    client: 'golden-relay',
    scope: 'ledger.read ledger.write',
  });
  const made = await connections.add({
    app: 'ledger',
    name: 'Ledger',
    settings: { address: `${world.ledger.at.url}/api` },
    key: JSON.stringify({
      access: tokens.access_token,
      refresh: tokens.refresh_token,
      expiresAt: Date.now() + 3_600_000,
    }),
  });
  return made.id;
}

/** A place as the product describes it now. */
export async function placeOf({ connections }: Services, connection: string, path: string[]): Promise<Place> {
  const described = await (await connections.connector(connection)).describe(path);
  return { connection, path, labels: path, described };
}

export const fieldFilling = (path: string, ...tidies: Extract<Filling, { kind: 'field' }>['tidies']): Filling => ({
  kind: 'field',
  ref: { step: 'start', path },
  tidies,
});

/** The usual mapping of a customer onto a row. */
export const customerMapping: WriteStep['mapping'] = {
  [formatPointer(['Number'])]: fieldFilling('/id'),
  [formatPointer(['Name'])]: {
    kind: 'text',
    parts: [
      { kind: 'field', ref: { step: 'start', path: '/first_name' } },
      { kind: 'words', text: ' ' },
      { kind: 'field', ref: { step: 'start', path: '/last_name' } },
    ],
    tidies: [{ kind: 'squeeze' }],
  },
  [formatPointer(['E-mail'])]: fieldFilling('/email', { kind: 'lower' }),
  [formatPointer(['Phone'])]: fieldFilling('/phone', { kind: 'phone' }),
  [formatPointer(['Postcode'])]: fieldFilling('/address/postcode'),
  [formatPointer(['Since'])]: fieldFilling('/created_at', { kind: 'date' }),
};

/** How the customers' workflow of a test differs from the usual one. */
export interface WorkflowWishes {
  readonly file?: string;
  readonly mode?: WriteStep['mode'];
  readonly key?: string;
  readonly on?: 'added' | 'added_or_changed';
  readonly fromWhen?: WorkflowContent['start']['fromWhen'];
  readonly steps?: WorkflowContent['steps'];
  readonly target?: { readonly connection: string; readonly path: string[] };
}

/** A workflow that copies shop customers into a tab, by their number unless asked otherwise. */
export async function customersWorkflow(
  services: Services,
  connected: Connected,
  wishes: WorkflowWishes = {},
): Promise<string> {
  const target = wishes.target ?? { connection: connected.shelf, path: [wishes.file ?? 'customers.xlsx', 'Customers'] };
  const content: WorkflowContent = {
    ...emptyContent('Shop customers onto the list'),
    start: {
      source: await placeOf(services, connected.shop, ['customers']),
      on: wishes.on ?? 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: wishes.fromWhen ?? { kind: 'all' },
    },
    steps: [
      ...(wishes.steps ?? []),
      {
        id: 'list',
        kind: 'write',
        target: await placeOf(services, target.connection, target.path),
        mode: wishes.mode ?? 'create_or_update',
        firstDifference: 'source',
        ...(wishes.mode !== 'append' && { key: wishes.key ?? formatPointer(['Number']) }),
        mapping: customerMapping,
      },
    ],
  };
  return (await services.workflows.add(content)).id;
}
