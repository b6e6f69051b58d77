import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type CallSpec, formatPointer } from '@golden/core';
import {
  cabinetKeys,
  cardIndex,
  cardKeys,
  keyCabinet,
  type Listening,
  ledger,
  listen,
  newsletterKeys,
  newsletterList,
  type PostRoom,
  postMailboxes,
  postRoom,
  shelfAccounts,
  shopCounter,
  shopKeys,
  windowDisplay,
  windowKeys,
  workbookShelf,
} from '@golden/standins';
import { appsFor } from './apps.ts';
import type { Connector } from './connector.ts';
import { connectorContract, type Subject } from './testing/contract.ts';
import { newXlsx } from './workbook/xlsx.ts';

const quick = { timeout: 30_000, retries: 0 };
const opened = (app: string, settings: Record<string, string>): Connector =>
  appsFor([], {})
    .find(({ id }) => id === app)
    ?.open(settings, quick) as Connector;

/** A folder of its own, gone when the subject is closed. */
async function within(work: (folder: string) => Promise<Subject & { readonly at?: Listening }>): Promise<Subject> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-contract-'));
  const subject = await work(folder);
  return {
    ...subject,
    close: async () => {
      await subject.at?.close();
      await subject.close();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

connectorContract('the Shop counter', () =>
  within(async (folder) => {
    const shop = shopCounter(join(folder, 'shop.sqlite'));
    const at = await listen(shop.app, 0);
    return {
      at,
      connector: opened('shop_counter', { address: `${at.url}/api`, key: shopKeys[0]?.key ?? '' }),
      path: ['customers'],
      values: (number) => ({
        '/email': `ada${number}@clay.example`,
        '/last_name': `Holm ${number}`,
        '/address/city': 'Millwick',
      }),
      key: '/email',
      change: { '/address/city': 'Saltmarsh' },
      refused: { '/email': 'no address' },
      state: shop.state,
      close: async () => shop.store.close(),
    };
  }),
);

connectorContract('the Ledger', () =>
  within(async (folder) => {
    const books = ledger(join(folder, 'ledger.sqlite'));
    const at = await listen(books.app, 0);
    const tokens = books.signIn.issue({ user: 'Mira', client: 'golden-relay', scope: 'ledger.read ledger.write' });
    const key = JSON.stringify({
      access: tokens.access_token,
      refresh: tokens.refresh_token,
      expiresAt: Date.now() + 3_600_000,
    });
    return {
      at,
      connector: opened('ledger', { address: `${at.url}/api`, key }),
      path: ['retail', 'customers'],
      values: (number) => ({ '/name': `Kiln ${number} Ltd`, '/electronicMail': `kiln${number}@clay.example` }),
      key: '/electronicMail',
      change: { '/name': 'Kiln and Wheel' },
      refused: { '/electronicMail': 'kiln@clay.example' },
      state: books.state,
      close: async () => books.store.close(),
    };
  }),
);

connectorContract('the Card index', () =>
  within(async (folder) => {
    const cards = cardIndex(join(folder, 'cards.sqlite'));
    const at = await listen(cards.app, 0);
    return {
      at,
      connector: opened('card_index', { address: `${at.url}/api`, key: cardKeys[0]?.key ?? '' }),
      path: ['people'],
      values: (number) => ({ '/lastName': `Holm ${number}`, '/email': `ada${number}@clay.example` }),
      key: '/email',
      change: { '/firstName': 'Zoë' },
      refused: { '/lastName': 'Holm', '/email': 'none' },
      state: cards.state,
      close: async () => cards.store.close(),
    };
  }),
);

connectorContract('the Key cabinet', () =>
  within(async (folder) => {
    const cabinet = keyCabinet(join(folder, 'cabinet.sqlite'));
    const at = await listen(cabinet.app, 0);
    return {
      at,
      connector: opened('key_cabinet', { address: `${at.url}/api`, key: cabinetKeys[0]?.key ?? '' }),
      path: ['Users'],
      values: (number) => ({
        '/userName': `ada${number}`,
        '/name/familyName': `Holm ${number}`,
        '/emails': `ada${number}@clay.example`,
      }),
      key: '/userName',
      change: { '/name/givenName': 'Zoë' },
      refused: { '/userName': 'two words' },
      state: cabinet.state,
      close: async () => cabinet.store.close(),
    };
  }),
);

connectorContract('the Window display', () =>
  within(async (folder) => {
    const site = windowDisplay(join(folder, 'window.sqlite'));
    const { id } = site.store.sections.add({ name: 'What people say' });
    const at = await listen(site.app, 0);
    return {
      at,
      connector: opened('window_display', { address: `${at.url}/api`, key: windowKeys[0]?.key ?? '' }),
      path: ['entries'],
      values: (number) => ({
        '/section': String(id),
        '/title': `Said ${number}`,
        '/link': `https://mentions.example/${number}`,
      }),
      key: '/link',
      change: { '/state': 'hidden' },
      refused: { '/section': String(id), '/title': '' },
      state: site.state,
      close: async () => site.store.close(),
    };
  }),
);

connectorContract('the Newsletter list', () =>
  within(async (folder) => {
    const letters = newsletterList(join(folder, 'newsletter.sqlite'));
    letters.store.addList('potters', 'Potters');
    letters.store.addOwnField('interest');
    const at = await listen(letters.app, 0);
    return {
      at,
      connector: opened('newsletter_list', { address: `${at.url}/api`, key: newsletterKeys[0]?.key ?? '' }),
      path: ['potters', 'subscribers'],
      values: (number) => ({
        '/email': `ada${number}@clay.example`,
        '/name': `Ada Holm ${number}`,
        '/own/interest': 'raku',
      }),
      key: '/email',
      change: { '/status': 'unsubscribed' },
      refused: { '/email': 'none' },
      state: letters.state,
      close: async () => letters.store.close(),
    };
  }),
);

const columns = ['Number', 'Name', 'Note'];
const row = {
  values: (number: number) => ({
    [formatPointer(['Number'])]: `N ${number}`,
    [formatPointer(['Name'])]: 'Ada',
    [formatPointer(['Note'])]: `=${number}`,
  }),
  key: formatPointer(['Number']),
  change: { [formatPointer(['Name'])]: 'Zoë' },
};

connectorContract(
  'the Workbook shelf',
  () =>
    within(async (folder) => {
      const shelf = workbookShelf(join(folder, 'shelf'));
      const at = await listen(shelf.app, 0);
      shelf.files.replace('list.xlsx', Buffer.from(await newXlsx('List', columns)), undefined);
      return {
        at,
        connector: opened('workbook_shelf', { address: `${at.url}/api`, key: shelfAccounts[0]?.token ?? '' }),
        path: ['list.xlsx', 'List'],
        ...row,
        state: shelf.state,
        close: async () => undefined,
      };
    }),
  { refusals: true },
);

connectorContract(
  'a workbook in a folder',
  () =>
    within(async (folder) => {
      mkdirSync(join(folder, 'files'));
      writeFileSync(join(folder, 'files', 'list.xlsx'), await newXlsx('List', columns));
      return {
        connector: opened('folder', { folder: join(folder, 'files') }),
        path: ['list.xlsx', 'List'],
        ...row,
        close: async () => undefined,
      };
    }),
  { refusals: true, troubles: true },
);

connectorContract(
  'a CSV file in a folder',
  () =>
    within(async (folder) => {
      mkdirSync(join(folder, 'files'));
      writeFileSync(join(folder, 'files', 'list.csv'), `${columns.join(';')}\n`);
      return {
        connector: opened('folder', { folder: join(folder, 'files') }),
        path: ['list.csv', 'list'],
        ...row,
        close: async () => undefined,
      };
    }),
  { refusals: true, troubles: true },
);

connectorContract(
  'a web address',
  () =>
    within(async (folder) => {
      const shop = shopCounter(join(folder, 'shop.sqlite'));
      const at = await listen(shop.app, 0);
      const call: CallSpec = {
        method: 'POST',
        address: '/customers',
        headers: [],
        fields: [
          { path: '/email', label: 'email', type: 'email' },
          { path: '/last_name', label: 'last name', type: 'text' },
        ],
        onlyReads: false,
      };
      const settings = { address: `${at.url}/api`, header: 'Shop-Key', key: shopKeys[0]?.key ?? '' };
      const connector = appsFor([], {})
        .find(({ id }) => id === 'web_address')
        ?.open(settings, { ...quick, mayCallInside: async () => true });
      return {
        at,
        connector: connector as Connector,
        path: [JSON.stringify(call)],
        values: (number) => ({ '/email': `ada${number}@clay.example`, '/last_name': `Holm ${number}` }),
        count: () => shop.store.count(),
        key: '/email',
        change: { '/last_name': 'Marsh' },
        refused: { '/email': 'no address' },
        state: shop.state,
        close: async () => shop.store.close(),
      };
    }),
  { reads: true },
);

connectorContract(
  'mails that are sent',
  () =>
    within(async (folder) => {
      const room = postRoom(join(folder, 'post.sqlite'));
      const { address, user, password } = await openedRoom(room);
      return {
        connector: opened('post_room', { address, user, key: password }),
        path: ['outgoing'],
        values: (number) => ({
          '/to': 'mira@saltmarsh.example',
          '/subject': `Kiln ${number}`,
          '/text': `Dear Ada,\n\nnumber ${number} is “ready”.\n.\nA dot stood alone above.`,
        }),
        count: () =>
          room.imap.foldersOf('mira@saltmarsh.example').find(({ path }) => path === 'INBOX')?.messages.length ?? 0,
        key: '/subject',
        change: { '/text': 'Another text' },
        refused: { '/to': 'rolf(at)clay' },
        state: room.state,
        close: () => room.close(),
      };
    }),
  { reads: true },
);

/** A Post room that listens, with where it is and how one signs in. */
async function openedRoom(room: PostRoom): Promise<{ address: string; user: string; password: string }> {
  await room.listen(0, 0);
  const web = await listen(room.app, 0);
  const [{ address: user, password } = { address: '', password: '' }] = postMailboxes;
  const { close } = room;
  Object.assign(room, {
    close: async () => {
      await web.close();
      await close();
    },
  });
  return { address: `${web.url}/api`, user, password };
}
