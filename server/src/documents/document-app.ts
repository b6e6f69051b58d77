import { existsSync } from 'node:fs';
import { access, constants } from 'node:fs/promises';
import {
  type App,
  type Connector,
  DavDocuments,
  type DocumentPreview,
  davOptions,
  davSettings,
  type Health,
  NotThere,
  type OpenOptions,
  originOfAddress,
  type Page,
  type PlaceChoice,
  Refused,
  type SourceRecord,
  type WriteRequest,
  type Written,
} from '@golden/connectors';
import { completedRecord, documentName, type JsonRecord, type RecordType, toText, writePointer } from '@golden/core';
import type { DocumentRow } from '../db/schema.ts';
import { type DocumentStore, LocalDocuments, ServerDocuments } from './document-store.ts';
import { type Documents, folderField, foldersOf, nameField, nothingFilledIn } from './documents.ts';
import { type DocumentKind, documentPlaces, kindAt } from './kinds.ts';
import type { DocumentTemplates } from './templates.ts';

// Documents as an app: each edition of a template is a place, and what is written there is a document for each record,
// put into the folder of the connection, on this machine or on a server.

/** The apps of document folders. */
const [documentApp, documentServerApp] = ['documents', 'documents_server'];

interface Parts {
  readonly documents: () => Documents;
  readonly templates: () => DocumentTemplates;
}

const ofTemplates = { takesTemplates: true, holds: 'delivery notes, letters and statements, made by your templates' };

/** Documents on this machine. */
export const documentAppOn = (parts: Parts): App => ({
  id: documentApp,
  title: 'Documents',
  ...ofTemplates,
  settings: [
    {
      name: 'folder',
      label: 'Folder',
      hint: 'The full path of the folder on this machine into which documents are put.',
      isSecret: false,
    },
  ],
  originOf: ({ folder = '' }) => folder.replace(/(?<=.)\/+$/, ''),
  open: ({ folder = '' }) => {
    const root = folder.replace(/(?<=.)\/+$/, '');
    return new DocumentConnector(new LocalDocuments(root), () => healthOfFolder(root), parts);
  },
});

/** Documents in a folder of a server that speaks WebDAV. */
export const documentServerAppOn = (parts: Parts): App => ({
  id: documentServerApp,
  title: 'Documents on a file server',
  ...ofTemplates,
  holds: 'the same, over WebDAV',
  settings: davSettings('into which documents are put'),
  originOf: originOfAddress,
  open: (settings, options: OpenOptions = {}) => {
    const server = new DavDocuments(davOptions('File server', settings, options));
    const store = new ServerDocuments(settings['address'] ?? '', server);
    return new DocumentConnector(store, () => healthOfServer(server), parts);
  },
});

const readOnlyFields = [
  { path: '/file', label: 'file', type: 'text', readOnly: true },
  { path: '/size', label: 'size in bytes', type: 'integer', readOnly: true },
  { path: '/id', label: 'id', type: 'id', idOf: 'documents', readOnly: true },
] as const;

/** What a document of this kind consists of. */
const described = ({ name, ending, fields, ours }: DocumentKind): RecordType => ({
  name: 'document',
  singular: name,
  plural: name,
  fields: [
    { ...nameField, description: `The ending ${ending} is added` },
    { ...folderField, description: 'Below the folder of the connection; made where it is missing' },
    ...fields,
    ...readOnlyFields,
  ],
  can: { list: false, find: false, create: true, update: true, readBack: true },
  document: { name: nameField.path, ...(ours && { ours }) },
});

class DocumentConnector implements Connector {
  // The token leads to the same file for ever: what is sent again is found made.
  readonly settleBy = 'idempotency_key';

  constructor(
    private readonly store: DocumentStore,
    private readonly lookedAt: () => Promise<Omit<Health, 'sees' | 'mayRead'>>,
    private readonly parts: Parts,
  ) {}

  async health(): Promise<Health> {
    const looked = await this.lookedAt();
    const templates = await this.parts.templates().list();
    return { ...looked, sees: templates.map(({ name }) => name), mayRead: true };
  }

  async places(path: readonly string[]): Promise<readonly PlaceChoice[]> {
    if (path.length > 0) return [];
    return documentPlaces(this.parts.templates());
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    return described(await this.kind(path));
  }

  async list(): Promise<Page> {
    throw new Refused('Documents are made here, not taken from.');
  }

  async fetch(_path: readonly string[], id: string): Promise<SourceRecord | null> {
    const row = await this.parts.documents().row(id);
    if (!row || (await this.parts.documents().isAsMade(row, this.store)) === undefined) return null;
    return { id, record: this.recordOf(row) };
  }

  async find(): Promise<never> {
    throw new Refused('Documents aren’t searched: each is known by the record that it was made for.');
  }

  async create({ write, token }: WriteRequest): Promise<Written> {
    const row = await this.parts.documents().put(token, this.store, await this.orderOf(write));
    return { id: token, record: this.recordOf(row) };
  }

  /** Makes it again where it lies. */
  async update({ write }: WriteRequest): Promise<Written> {
    const id = write.id ?? '';
    const row = await this.parts.documents().replace(id, this.store, await this.orderOf(write));
    return { id, record: this.recordOf(row) };
  }

  async problemsOf({ write }: WriteRequest): Promise<readonly string[]> {
    const order = await this.orderOf(write);
    try {
      foldersOf(order.below);
    } catch (error) {
      if (error instanceof Refused) return [error.message];
      throw error;
    }
    return this.parts.documents().problemsOf(order);
  }

  async document({ write }: WriteRequest): Promise<DocumentPreview> {
    const order = await this.orderOf(write);
    const named = documentName(order.name, order.kind.ending);
    const made = await this.parts.documents().preview(order);
    return {
      ...made,
      name: named?.name ?? '',
      problems: [...(named ? [] : [`“${order.name}” is no name for a file.`]), ...made.problems],
      remarks: [...(named?.told ?? []), ...order.empty.map(nothingFilledIn)],
    };
  }

  async remove(_path: readonly string[], id: string): Promise<undefined> {
    const row = await this.parts.documents().row(id);
    if (row) await this.parts.documents().remove(row, this.store);
    return undefined;
  }

  linkTo(): undefined {
    return undefined;
  }

  /** What was sent, with where the file lies: that it is whole is told by its hash. */
  private recordOf({ token, folder, name, size, given }: DocumentRow): JsonRecord {
    return {
      ...(JSON.parse(given) as JsonRecord),
      id: token,
      file: this.store.wayOf(folder, name),
      size,
    };
  }

  /** @throws NotThere */
  private kind([place = '']: readonly string[]): Promise<DocumentKind> {
    return kindAt(this.parts.templates(), place);
  }

  /** What a write orders: all that stands in a document that is made again, not only what changed. */
  private async orderOf({ target, values, id }: WriteRequest['write']): Promise<ReturnType<typeof orderOf>> {
    const row = id === undefined ? undefined : await this.parts.documents().row(id);
    const before = row ? (JSON.parse(row.given) as JsonRecord) : {};
    const given = Object.entries(values).reduce<JsonRecord>(
      (all, [path, value]) => writePointer(all, path, value),
      before,
    );
    return orderOf(await this.kind(target.path), given);
  }
}

async function healthOfFolder(folder: string): Promise<Omit<Health, 'sees' | 'mayRead'>> {
  if (!existsSync(folder)) throw new NotThere(`There is no folder “${folder}” on this machine.`);
  const mayWrite = await access(folder, constants.W_OK).then(
    () => true,
    () => false,
  );
  return {
    signedInAs: `the folder ${folder}`,
    mayWrite,
    ...(!mayWrite && { readOnlyBecause: `Nothing may be put into “${folder}”.` }),
  };
}

async function healthOfServer(server: DavDocuments): Promise<Omit<Health, 'sees' | 'mayRead'>> {
  const { account, id, mayWrite, readOnlyBecause } = await server.whoAmI();
  return {
    signedInAs: account,
    ...(id !== undefined && { account: id }),
    mayWrite,
    ...(readOnlyBecause && { readOnlyBecause }),
  };
}

/** A document as its values order it, with the names of the fields that nothing fills. */
export function orderOf(kind: DocumentKind, values: JsonRecord) {
  const { [nameField.path.slice(1)]: name, [folderField.path.slice(1)]: below, ...given } = values;
  const empty = new Set<string>();
  const record = completedRecord(kind.fields, given, (label) => empty.add(label));
  return { kind, record, given: values, empty: [...empty], name: toText(name), below: toText(below) };
}
