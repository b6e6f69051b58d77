import { isWebAddress } from '@golden/core';
import type { App, KnownAddresses, OpenOptions } from './app.ts';
import { CallConnector } from './call/call-connector.ts';
import { outsideAgent, refuseInside } from './call/inside.ts';
import type { Connector } from './connector.ts';
import { badAddress } from './http/client.ts';
import { type OAuthApp, readTokens, TokenKeeper } from './http/tokens.ts';
import { mailboxApp, postRoomApp } from './mail/mail-apps.ts';
import { cardIndexDescription } from './rest/card-index.ts';
import type { RestDescription } from './rest/description.ts';
import { enquiryBoxDescription } from './rest/enquiry-box.ts';
import { jobBoardDescription } from './rest/job-board.ts';
import { keyCabinetDescription } from './rest/key-cabinet.ts';
import { ledgerDescription } from './rest/ledger.ts';
import { newsletterListDescription } from './rest/newsletter-list.ts';
import { noticeBoardDescription } from './rest/notice-board.ts';
import { pocketMessagesDescription } from './rest/pocket-messages.ts';
import { RestConnector } from './rest/rest-connector.ts';
import { shopCounterDescription } from './rest/shop-counter.ts';
import { windowDisplayDescription } from './rest/window-display.ts';
import { FolderStore } from './workbook/folder-store.ts';
import { type WebDavOptions, WebDavStore } from './workbook/webdav/webdav-store.ts';
import { WorkbookConnector } from './workbook/workbook-connector.ts';

/** The practice apps that speak HTTP with records. */
const practiceDescriptions = [
  shopCounterDescription,
  ledgerDescription,
  cardIndexDescription,
  enquiryBoxDescription,
  noticeBoardDescription,
  jobBoardDescription,
  pocketMessagesDescription,
  newsletterListDescription,
  keyCabinetDescription,
  windowDisplayDescription,
];

/** All apps that can be connected: those described, the shelf, a file server and a folder of this machine. */
export function appsFor(descriptions: readonly RestDescription[], addresses: KnownAddresses): App[] {
  return [
    ...[...practiceDescriptions, ...descriptions].map((one) => restApp(one, addresses[one.id])),
    shelfApp(addresses['workbook_shelf']),
    postRoomApp(addresses['post_room']),
    mailboxApp,
    fileServerApp,
    folderApp,
    addressApp,
  ];
}

function restApp(description: RestDescription, address = description.defaultAddress): App {
  const { oauth, title } = description;
  const appAt = (at: string): OAuthApp => ({ title, issuer: originOf(at, title), clientId: oauth?.clientId ?? '' });
  const key = {
    name: 'key',
    label: 'Access key',
    isSecret: true,
    ...(description.keyHint && { hint: description.keyHint }),
  } as const;
  return {
    id: description.id,
    title,
    holds: description.recordTypes.map((type) => type.plural).join(', '),
    settings: [
      { name: 'address', label: 'Web address of the app', isSecret: false, ...(address && { value: address }) },
      ...(oauth ? [] : [key]),
    ],
    ...(oauth && {
      signIn: {
        scopes: (_settings, mayWrite) => (mayWrite ? oauth.write : oauth.read),
        app: (settings) => appAt(settings['address'] ?? ''),
      },
    }),
    originOf: originOfAddress,
    open: (settings, { timeout, retries, clock, keepTokens = async () => undefined } = {}) => {
      const at = settings['address'] ?? '';
      const kept = settings['key'] ?? '';
      return new RestConnector(description, {
        address: at,
        key: kept,
        ...(oauth && { tokens: new TokenKeeper(appAt(at), readTokens(kept), keepTokens, clock) }),
        ...(clock && { clock }),
        ...(timeout !== undefined && { timeout }),
        ...(retries !== undefined && { retries }),
      });
    },
  };
}

/** @throws BadAddress */
function originOf(address: string, app: string): string {
  if (!URL.canParse(address)) throw badAddress({ app, address });
  return new URL(address).origin;
}

/** Scheme, host and port of an app's address (RFC 6454); what isn't an address stands for itself. */
export function originOfAddress({ address = '' }: Readonly<Record<string, string>>): string {
  return URL.canParse(address) ? new URL(address).origin : address;
}

function shelfApp(address: string | undefined): App {
  return {
    id: 'workbook_shelf',
    title: 'Workbook shelf',
    holds: '.xlsx and .csv files',
    makesPlaces: true,
    settings: [
      { name: 'address', label: 'Web address of the app', isSecret: false, ...(address && { value: address }) },
      {
        name: 'key',
        label: 'Token',
        isSecret: true,
        hint: 'On the shelf’s page “Access keys and faults”. To append rows it needs the right to edit.',
      },
    ],
    originOf: originOfAddress,
    open: ({ address = '', key = '' }, options = {}) =>
      fileServer(options, {
        title: 'Workbook shelf',
        address: `${address.replace(/\/+$/, '')}/files/`,
        signIn: { token: key },
        isKnownToGuard: true,
        linkTo: (name, tab, row) => shelfLink(address, name, tab, row),
      }),
  };
}

/** Where the shelf shows a row. */
function shelfLink(address: string, name: string, tab: string, row: number): string | undefined {
  if (!isWebAddress(address)) return undefined;
  const url = new URL(`/files/${encodeURIComponent(name)}`, address);
  url.searchParams.set('tab', tab);
  url.hash = `row-${row}`;
  return url.href;
}

const fileServer = ({ timeout, retries, reach }: OpenOptions, options: WebDavOptions): Connector =>
  new WorkbookConnector(
    new WebDavStore({
      ...options,
      ...(timeout !== undefined && { timeout }),
      ...(retries !== undefined && { retries }),
      ...(reach && { reach }),
    }),
  );

/** What a folder of a WebDAV server is reached by. */
export const davSettings = (files: string): App['settings'] => [
  {
    name: 'address',
    label: 'Address of the folder',
    hint: `The WebDAV address of the folder ${files}, such as https://files.example/office/`,
    isSecret: false,
  },
  { name: 'user', label: 'User name', isSecret: false },
  {
    name: 'key',
    label: 'Password',
    hint: 'Many servers have a password of its own for each program: make one for Golden Relay.',
    isSecret: true,
  },
];

/** How a folder of a WebDAV server is opened with these settings. */
export function davOptions(
  title: string,
  { address = '', user = '', key = '' }: Readonly<Record<string, string>>,
  { mayCallInside = async () => false, timeout, retries, reach }: OpenOptions = {},
): WebDavOptions {
  const dispatcher = async () => {
    if (await mayCallInside()) return undefined;
    if (URL.canParse(address)) refuseInside(new URL(address));
    return outsideAgent;
  };
  return {
    title,
    address,
    signIn: { user, password: key },
    dispatcher,
    ...(timeout !== undefined && { timeout }),
    ...(retries !== undefined && { retries }),
    ...(reach && { reach }),
  };
}

const fileServerApp: App = {
  id: 'file_server',
  title: 'File server',
  holds: '.xlsx, .ods and .csv files, over WebDAV',
  makesPlaces: true,
  settings: davSettings('with the workbooks'),
  originOf: originOfAddress,
  open: (settings, options = {}) =>
    new WorkbookConnector(new WebDavStore(davOptions('File server', settings, options))),
};

const folderApp: App = {
  id: 'folder',
  title: 'Folder on this machine',
  holds: '.xlsx, .ods and .csv files',
  makesPlaces: true,
  settings: [{ name: 'folder', label: 'Folder', hint: 'The full path of a folder with workbooks.', isSecret: false }],
  originOf: ({ folder = '' }) => folder.replace(/(?<=.)\/+$/, ''),
  open: (settings, options = {}) => new WorkbookConnector(new FolderStore(settings['folder'] ?? '', options.reach)),
};

const addressApp: App = {
  id: 'web_address',
  title: 'Web address',
  holds: 'what you describe, called over HTTP',
  isCalled: true,
  settings: [
    {
      name: 'address',
      label: 'Address',
      hint: 'The part that all calls share, such as https://app.example/api',
      isSecret: false,
    },
    {
      name: 'header',
      label: 'Header with the access key',
      hint: 'Usually Authorization.',
      isSecret: false,
      isOptional: true,
      value: 'Authorization',
    },
    {
      name: 'key',
      label: 'Value of the header',
      hint: 'As it is sent, such as Bearer and the token.',
      isSecret: true,
      isOptional: true,
    },
  ],
  originOf: originOfAddress,
  open: (settings, { timeout, mayCallInside = async () => false } = {}) =>
    new CallConnector({
      address: settings['address'] ?? '',
      header: settings['header'] ?? '',
      secret: settings['key'] ?? '',
      mayCallInside,
      ...(timeout !== undefined && { timeout }),
    }),
};
