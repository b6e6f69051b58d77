import type { Connector } from './connector.ts';
import type { RestDescription } from './rest/description.ts';
import { RestConnector } from './rest/rest-connector.ts';
import { shopCounterDescription } from './rest/shop-counter.ts';
import { FolderStore, type Reach } from './workbook/folder-store.ts';
import { ShelfStore } from './workbook/shelf-store.ts';
import { WorkbookConnector } from './workbook/workbook-connector.ts';

/** What a person is asked for to connect an app. */
export interface AppSetting {
  readonly name: 'address' | 'folder' | 'key';
  readonly label: string;
  readonly hint?: string;
  readonly isSecret: boolean;
  readonly value?: string;
}

/** An app that can be connected. */
export interface App {
  readonly id: string;
  readonly title: string;
  /** What it holds, in a few words. */
  readonly holds: string;
  readonly settings: readonly AppSetting[];
  /** True when files, tabs and columns can be made from here. */
  readonly makesPlaces?: boolean;
  open(settings: Readonly<Record<string, string>>, options?: OpenOptions): Connector;
}

export interface OpenOptions {
  /** Milliseconds without an answer before a request is given up. */
  readonly timeout?: number;
  readonly retries?: number;
  /** Named points around a file's replacement; for tests. */
  readonly reach?: Reach;
}

/** Addresses of practice apps, by the app's id. */
export type KnownAddresses = Readonly<Record<string, string>>;

/** All apps that can be connected: those described, the shelf and a folder of this machine. */
export function appsFor(descriptions: readonly RestDescription[], addresses: KnownAddresses): App[] {
  return [
    ...[shopCounterDescription, ...descriptions].map((one) => restApp(one, addresses[one.id])),
    shelfApp(addresses['workbook_shelf']),
    folderApp,
  ];
}

function restApp(description: RestDescription, address = description.defaultAddress): App {
  return {
    id: description.id,
    title: description.title,
    holds: description.recordTypes.map((type) => type.plural).join(', '),
    settings: [
      { name: 'address', label: 'Address of its interface', isSecret: false, ...(address && { value: address }) },
      { name: 'key', label: 'Key', isSecret: true, ...(description.keyHint && { hint: description.keyHint }) },
    ],
    open: (settings, { timeout, retries } = {}) =>
      new RestConnector(description, {
        address: settings['address'] ?? '',
        key: settings['key'] ?? '',
        ...(timeout !== undefined && { timeout }),
        ...(retries !== undefined && { retries }),
      }),
  };
}

function shelfApp(address: string | undefined): App {
  return {
    id: 'workbook_shelf',
    title: 'Workbook shelf',
    holds: '.xlsx and .csv files',
    makesPlaces: true,
    settings: [
      { name: 'address', label: 'Address of its interface', isSecret: false, ...(address && { value: address }) },
      {
        name: 'key',
        label: 'Token',
        isSecret: true,
        hint: 'From the shelf’s page “Tokens and trouble”. To append rows it needs the right to edit.',
      },
    ],
    open: (settings, { timeout, retries } = {}) =>
      new WorkbookConnector(
        new ShelfStore({
          address: settings['address'] ?? '',
          token: settings['key'] ?? '',
          ...(timeout !== undefined && { timeout }),
          ...(retries !== undefined && { retries }),
        }),
      ),
  };
}

const folderApp: App = {
  id: 'folder',
  title: 'Folder on this machine',
  holds: '.xlsx and .csv files',
  makesPlaces: true,
  settings: [{ name: 'folder', label: 'Folder', hint: 'The full path of a folder with workbooks.', isSecret: false }],
  open: (settings, options = {}) => new WorkbookConnector(new FolderStore(settings['folder'] ?? '', options.reach)),
};
