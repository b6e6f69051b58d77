import { existsSync } from 'node:fs';
import { access, constants } from 'node:fs/promises';
import { basename, join, relative } from 'node:path';
import {
  type App,
  type Connector,
  type DocumentPreview,
  type Health,
  NotThere,
  type Page,
  type PlaceChoice,
  Refused,
  type SourceRecord,
  type WriteRequest,
  type Written,
} from '@golden/connectors';
import {
  documentName,
  type Field,
  isRecord,
  type JsonRecord,
  nest,
  type RecordType,
  readPointer,
  toText,
  writePointer,
} from '@golden/core';
import type { DocumentRow } from '../db/schema.ts';
import { type Documents, folderField, foldersOf, nameField } from './documents.ts';
import type { DocumentTemplates, TemplateEdition } from './templates.ts';

// Documents as an app: each edition of a template is a place, and what is written there is a document for each record,
// put into the folder of the connection.

/** The app of document folders. */
export const documentApp = 'documents';

interface Parts {
  readonly documents: () => Documents;
  readonly templates: () => DocumentTemplates;
}

export const documentAppOn = (parts: Parts): App => ({
  id: documentApp,
  title: 'Documents',
  takesTemplates: true,
  holds: 'delivery notes, letters and statements, made by your templates',
  settings: [
    {
      name: 'folder',
      label: 'Folder',
      hint: 'The full path of the folder on this machine into which documents are put.',
      isSecret: false,
    },
  ],
  originOf: ({ folder = '' }) => folder.replace(/(?<=.)\/+$/, ''),
  open: ({ folder = '' }) => new DocumentConnector(folder.replace(/(?<=.)\/+$/, ''), parts),
});

const readOnlyFields = [
  { path: '/file', label: 'file', type: 'text', readOnly: true },
  { path: '/size', label: 'size in bytes', type: 'integer', readOnly: true },
  { path: '/id', label: 'id', type: 'id', idOf: 'documents', readOnly: true },
] as const;

/** What a document of this edition consists of. */
const described = ({ name, ending, fields }: TemplateEdition): RecordType => ({
  name: 'document',
  singular: name,
  plural: name,
  fields: [
    { ...nameField, description: `The ending ${ending} is added` },
    { ...folderField, description: 'Below the folder of the connection; made where it is missing' },
    ...fields,
    ...readOnlyFields,
  ],
  can: { list: false, find: false, create: true, update: false, readBack: true },
  document: { name: nameField.path },
});

class DocumentConnector implements Connector {
  // The token leads to the same file for ever: what is sent again is found made.
  readonly settleBy = 'idempotency_key';

  constructor(
    private readonly folder: string,
    private readonly parts: Parts,
  ) {}

  async health(): Promise<Health> {
    if (!existsSync(this.folder)) throw new NotThere(`There is no folder “${this.folder}” on this machine.`);
    const mayWrite = await access(this.folder, constants.W_OK).then(
      () => true,
      () => false,
    );
    const templates = await this.parts.templates().list();
    return {
      signedInAs: `the folder ${this.folder}`,
      sees: templates.map(({ name }) => name),
      mayRead: true,
      mayWrite,
      ...(!mayWrite && { readOnlyBecause: `Nothing may be put into “${this.folder}”.` }),
    };
  }

  async places(path: readonly string[]): Promise<readonly PlaceChoice[]> {
    if (path.length > 0) return [];
    return (await this.parts.templates().list()).map(({ id, name, ending, edition }) => ({
      id: placeOf(id, edition),
      label: `${name} (${ending.slice(1).toUpperCase()})`,
      isPlace: true,
    }));
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    return described(await this.edition(path));
  }

  async list(): Promise<Page> {
    throw new Refused('Documents are made here, not taken from.');
  }

  async fetch(_path: readonly string[], id: string): Promise<SourceRecord | null> {
    const row = await this.parts.documents().row(id);
    if (!row || (await this.parts.documents().isAsMade(row)) === undefined) return null;
    return { id, record: this.recordOf(row) };
  }

  async find(): Promise<never> {
    throw new Refused('Documents aren’t searched.');
  }

  async create({ write, token }: WriteRequest): Promise<Written> {
    const edition = await this.edition(write.target.path);
    const order = orderOf(edition, nest(write.values));
    const row = await this.parts.documents().put(token, this.folder, order);
    return { id: token, record: this.recordOf(row) };
  }

  async problemsOf({ write }: WriteRequest): Promise<readonly string[]> {
    const order = orderOf(await this.edition(write.target.path), nest(write.values));
    try {
      foldersOf(order.below);
    } catch (error) {
      if (error instanceof Refused) return [error.message];
      throw error;
    }
    return this.parts.documents().problemsOf(order);
  }

  async document({ write }: WriteRequest): Promise<DocumentPreview> {
    const order = orderOf(await this.edition(write.target.path), nest(write.values));
    const named = documentName(order.name, order.edition.ending);
    const made = await this.parts.documents().preview(order);
    return {
      ...made,
      name: named?.name ?? '',
      problems: [...(named ? [] : [`“${order.name}” is no name for a file.`]), ...made.problems],
      remarks: [
        ...(named?.told ?? []),
        ...order.empty.map((name) => `Nothing is filled in for {${name}}: it stays empty.`),
      ],
    };
  }

  async update(): Promise<never> {
    throw new Refused('A document stays as it was made. Choose “append”.');
  }

  async remove(_path: readonly string[], id: string): Promise<undefined> {
    const row = await this.parts.documents().row(id);
    if (row) await this.parts.documents().remove(row);
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
      file: relative(this.folder, join(folder, name)) || basename(name),
      size,
    };
  }

  /** @throws NotThere */
  private async edition([place = '']: readonly string[]): Promise<TemplateEdition> {
    const [id = '', number = ''] = place.split('@');
    const edition = await this.parts.templates().edition(id, Number(number));
    if (!edition) throw new NotThere('There is no such template any more.');
    return edition;
  }
}

const placeOf = (id: string, edition: number): string => `${id}@${edition}`;

/** A document as its values order it, with the names of the fields that nothing fills. */
export function orderOf(edition: TemplateEdition, values: JsonRecord) {
  const { [nameField.path.slice(1)]: name, [folderField.path.slice(1)]: below, ...given } = values;
  const empty = new Set<string>();
  const record = completed(edition.fields, given, (label) => empty.add(label));
  return { edition, record, given: values, empty: [...empty], name: toText(name), below: toText(below) };
}

/** A record in which what the mapping leaves out is empty. @param tell - is told the names of what is */
function completed(fields: readonly Field[], record: JsonRecord, tell: (label: string) => void): JsonRecord {
  let whole = record;
  for (const { path, label, type, fields: inner = [] } of fields) {
    const value = readPointer(whole, path);
    if (value === undefined) {
      tell(label);
      whole = writePointer(whole, path, type === 'list' ? [] : '');
    } else if (Array.isArray(value))
      whole = writePointer(
        whole,
        path,
        value.map((item) => (isRecord(item) ? completed(inner, item, (one) => tell(`${label}: ${one}`)) : item)),
      );
  }
  return whole;
}
