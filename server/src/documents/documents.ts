import { existsSync } from 'node:fs';
import { dirname, extname, join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import {
  Changed,
  type DocumentPreview,
  type FileToAttach,
  Locked,
  NotThere,
  Refused,
  Unsure,
} from '@golden/connectors';
import {
  BadPlaceholder,
  completedRecord,
  documentName,
  exampleRecord,
  type FieldProblem,
  fieldsOfPage,
  type JsonRecord,
  numberedName,
  type Page,
  type PagePrint,
  readPage,
  readPointer,
  sameName,
  toText,
} from '@golden/core';
import { Piscina } from 'piscina';
import { type ByteStore, hashOf } from '../arrivals/byte-store.ts';
import type { Attachments } from '../attachments.ts';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { DocumentRow } from '../db/schema.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Seams } from '../seams.ts';
import type { DocumentStore } from './document-store.ts';
import type { MakeAsk, PreviewedDocument, TemplateBytes } from './document-worker.ts';
import type { DocumentKind } from './kinds.ts';
import { type DocumentTemplates, readPageJson } from './templates.ts';

interface Parts {
  readonly db: Db;
  readonly commits: () => GroupCommit;
  readonly bytes: ByteStore;
  readonly seams: Seams;
  readonly templates: DocumentTemplates;
  readonly attachments: Pick<Attachments, 'get'>;
  /** Of the business. */
  readonly country: () => Promise<string>;
}

/** What a document is made of, and where it goes. */
export interface DocumentOrder {
  readonly kind: DocumentKind;
  readonly record: JsonRecord;
  /** Its name, without the ending. */
  readonly name: string;
  /** All that was given for it, as it was sent. */
  readonly given: JsonRecord;
  /** Folders below that of the store, by `/`; empty for that one. */
  readonly below: string;
}

/** Where a record says how its document is called, and in which folder below it lies. */
export const nameField = { path: '/$name', label: 'file name', type: 'text', required: true } as const;
export const folderField = { path: '/$folder', label: 'folder', type: 'text' } as const;

/** So many documents at most wait for the thread. */
const mostWaiting = 10_000;

/** Where the thread's program is: beside the built server, or the shim that starts its sources. */
function programOf(): string {
  const here = dirname(fileURLToPath(import.meta.url));
  const built = join(here, 'document-worker.mjs');
  return existsSync(built) ? built : join(here, 'document-shim.mjs');
}

/** Documents that were made for records, each once: known by the token of its write, found again in its folder. */
export class Documents {
  private pool: Piscina | undefined;
  private isStopped = false;

  constructor(private readonly parts: Parts) {}

  /** The document of an order, not put anywhere: as it would be made. */
  async preview(order: Pick<DocumentOrder, 'kind' | 'record' | 'name'>): Promise<PreviewedDocument> {
    return this.make({ ...(await this.ask(order)), wantsText: true });
  }

  /**
   * A page that is being made, as it would be: with the values of a record, or with examples of what it takes.
   * @throws NotPossible for what is no page, with what is wrong and where
   */
  async previewPage(name: string, given: unknown, record?: JsonRecord): Promise<DocumentPreview> {
    const page = readableOf(given);
    const fields = fieldsOfPage(page);
    const empty = new Set<string>();
    const shown = record ? completedRecord(fields, record, (label) => empty.add(label)) : exampleRecord(fields);
    const template = await this.pageTemplate(hashOf(Buffer.from(JSON.stringify(page))), page);
    const made = await this.make({ template, record: shown, title: name, print: await this.print() });
    return { name: `${name}.pdf`, ...made, remarks: [...empty].map(nothingFilledIn) };
  }

  /** Why the document of an order wouldn't be made, in sentences; told without making it. */
  async problemsOf(order: Pick<DocumentOrder, 'kind' | 'record' | 'name'>): Promise<readonly string[]> {
    const named = documentName(order.name, order.kind.ending);
    const { problems } = await this.make({ ...(await this.ask(order)), isOnlyChecked: true });
    return [...(named ? [] : [`“${order.name}” is no name for a file.`]), ...problems];
  }

  /**
   * Makes a document and puts it where documents lie. The name is stored before the file is: whatever happens, the same
   * token leads to the same file, and no other's file is written over.
   * @throws Refused when it can't be made as the record is, NoRight, NotThere
   */
  async put(token: string, store: DocumentStore, order: DocumentOrder): Promise<DocumentRow> {
    const { bytes, seams } = this.parts;
    const before = await this.row(token);
    if (before?.made_at) return before;
    // It was put there, and the process ended before that was stored.
    if (before && (await this.isAsMade(before, store))) return this.noteMade(token);
    const named = documentName(order.name, order.kind.ending);
    if (!named)
      throw new Refused(`“${order.name}” is no name for a file.`, [
        {
          path: nameField.path,
          label: nameField.label,
          message: 'No name for a file is left of it.',
          given: order.name,
        },
      ]);
    const made = await this.makeFit(order);
    const hash = await bytes.put(made.bytes);
    const into = store.folderAt(foldersOf(order.below));
    await store.makeFolder(into);
    for (let number = 1; ; number++) {
      const name = number === 1 ? named.name : numberedName(named.name, order.kind.ending, number);
      const reserved = await this.reserve(token, into, name, { hash, size: made.bytes.length, order });
      if (!reserved) continue;
      seams.reach('document:after-reserve');
      const isPut = await store.put(into, name, made.bytes).catch(async (error: unknown) => {
        // What is known not to be there keeps its name from nobody: another try may be another write.
        if (!(error instanceof Unsure)) await this.letGo(token);
        throw error;
      });
      if (!isPut) {
        const there = await store.read(into, name);
        if (!there) {
          await this.letGo(token);
          throw new NotThere(`“${name}” can’t be put into “${into}”: neither it nor its folder is there.`);
        }
        // What lies there under this name and isn't ours keeps it.
        if (hashOf(there.bytes) !== hash) continue;
      }
      seams.reach('document:after-put');
      return this.noteMade(token);
    }
  }

  /**
   * Makes a document again, where it lies and under its name. What somebody changed meanwhile isn't written over. Done
   * once more after a crash it comes to the same.
   * @throws Refused when it can't be made as the record is, NotThere, Changed, NoRight
   */
  async replace(token: string, store: DocumentStore, order: DocumentOrder): Promise<DocumentRow> {
    const { bytes, commits, seams } = this.parts;
    const row = await this.row(token);
    if (!row) throw new NotThere('There is no such document any more.');
    const made = await this.makeFit(order);
    const hash = await bytes.put(made.bytes);
    const there = await store.read(row.folder, row.name);
    const isNew = there !== undefined && hashOf(there.bytes) === hash;
    if (there && !isNew && hashOf(there.bytes) !== row.hash)
      throw new Changed(`“${row.name}” was changed since it was made, so it stays.`);
    if (!isNew) await store.swap(row.folder, row.name, made.bytes, there);
    seams.reach('document:after-swap');
    return commits().run((trx) =>
      trx
        .updateTable('document')
        .set({
          hash,
          size: made.bytes.length,
          given: JSON.stringify(order.given),
          template_id: order.kind.template,
          edition: order.kind.edition,
          made_at: seams.now(),
        })
        .where('token', '=', token)
        .returningAll()
        .executeTakeFirstOrThrow(),
    );
  }

  /** The document of an order that may go out. @throws Refused with all that keeps it from that */
  private async makeFit(order: DocumentOrder): Promise<PreviewedDocument> {
    const made = await this.make(await this.ask(order));
    if (made.problems.length > 0) throw new Refused(made.problems.join(' '), valuesWith(made.letters ?? [], order));
    return made;
  }

  /** A name that was taken and not used is free again. */
  private async letGo(token: string): Promise<void> {
    await this.parts
      .commits()
      .run((trx) => trx.deleteFrom('document').where('token', '=', token).where('made_at', 'is', null).execute());
  }

  private async noteMade(token: string): Promise<DocumentRow> {
    const { commits, seams } = this.parts;
    return commits().run((trx) =>
      trx
        .updateTable('document')
        .set({ made_at: seams.now() })
        .where('token', '=', token)
        .returningAll()
        .executeTakeFirstOrThrow(),
    );
  }

  row(token: string): Promise<DocumentRow | undefined> {
    return this.parts.db.selectFrom('document').selectAll().where('token', '=', token).executeTakeFirst();
  }

  /** A document as it was made, to go along with a mail; undefined where there is none of that id. */
  async file(token: string): Promise<FileToAttach | undefined> {
    const row = await this.row(token);
    if (!row?.made_at) return undefined;
    return { name: row.name, type: mediaTypeOf(row.name), content: await this.parts.bytes.get(row.hash) };
  }

  /** Whether its file lies there as it was made; undefined where it lies there no more. */
  async isAsMade({ folder, name, hash }: DocumentRow, store: DocumentStore): Promise<boolean | undefined> {
    const there = await store.read(folder, name);
    return there && hashOf(there.bytes) === hash;
  }

  /** Removes the file of a document that is still as it was made. @throws Changed when somebody changed it since */
  async remove(row: DocumentRow, store: DocumentStore): Promise<void> {
    const there = await store.read(row.folder, row.name);
    if (there && hashOf(there.bytes) !== row.hash)
      throw new Changed(`“${row.name}” was changed since it was made, so it stays.`);
    if (there) await store.remove(row.folder, row.name, there);
    await this.parts.commits().run((trx) => trx.deleteFrom('document').where('token', '=', row.token).execute());
  }

  /** Ends the thread. A thread that doesn't end keeps nobody from going: it goes with the process. */
  async stop(): Promise<void> {
    this.isStopped = true;
    const { pool } = this;
    this.pool = undefined;
    if (pool) await Promise.race([pool.destroy(), setTimeout(5000, undefined, { ref: false })]);
  }

  private async ask({ kind, record, name }: Pick<DocumentOrder, 'kind' | 'record' | 'name'>): Promise<MakeAsk> {
    return { template: await this.template(kind), record, title: name, print: await this.print() };
  }

  /** Amounts by the custom of the business's country. */
  private async print(): Promise<PagePrint> {
    return { country: await this.parts.country() };
  }

  private async template({ source }: DocumentKind): Promise<TemplateBytes> {
    if (source.kind === 'format') return { ...source, key: source.format };
    const { edition, form } = source;
    const bytes = await this.parts.templates.content(edition);
    const key = `${edition.hash} ${form}`;
    if (edition.ending === '.docx') return { kind: 'docx', key, bytes, form };
    return { ...(await this.pageTemplate(key, readPageJson(bytes))), form };
  }

  /** A page with the bytes of its pictures. */
  private async pageTemplate(key: string, page: unknown): Promise<Extract<TemplateBytes, { kind: 'page' }>> {
    const { blocks } = page as { readonly blocks?: readonly { readonly kind: string; readonly file?: string }[] };
    const pictures: Record<string, Uint8Array> = {};
    const hashes: string[] = [];
    for (const { kind, file } of blocks ?? []) {
      const picture = kind === 'picture' && file !== undefined ? await this.parts.attachments.get(file) : undefined;
      if (!picture || file === undefined) continue;
      pictures[file] = picture.content;
      hashes.push(hashOf(picture.content));
    }
    return { kind: 'page', key: [key, ...hashes].join(), page, pictures };
  }

  private async make(ask: MakeAsk): Promise<PreviewedDocument> {
    if (this.isStopped) throw new Locked('Golden Relay is being stopped.');
    this.pool ??= new Piscina({
      filename: programOf(),
      maxThreads: 1,
      minThreads: 0,
      maxQueue: mostWaiting,
      idleTimeout: 60_000,
      resourceLimits: { maxOldGenerationSizeMb: 1024 },
    });
    return this.pool.run(ask);
  }

  /** Takes a name for a token; false where a document of another one has it. */
  private async reserve(
    token: string,
    folder: string,
    name: string,
    { hash, size, order }: { readonly hash: string; readonly size: number; readonly order: DocumentOrder },
  ): Promise<boolean> {
    const { seams } = this.parts;
    return this.parts.commits().run(async (trx) => {
      const other = await trx
        .selectFrom('document')
        .select('token')
        .where('folder', '=', folder)
        .where('same_name', '=', sameName(name))
        .executeTakeFirst();
      if (other && other.token !== token) return false;
      const row = {
        folder,
        name,
        same_name: sameName(name),
        hash,
        size,
        given: JSON.stringify(order.given),
        at: seams.now(),
      };
      const about = { token, template_id: order.kind.template, edition: order.kind.edition, made_at: null };
      await trx
        .insertInto('document')
        .values({ ...about, ...row })
        .onConflict((conflict) => conflict.column('token').doUpdateSet(row))
        .execute();
      return true;
    });
  }
}

/** The values in which letters stand that no font has: a person can set others there. */
function valuesWith(letters: readonly string[], { kind, given }: DocumentOrder): FieldProblem[] {
  return kind.fields.flatMap(({ path, label, type }) => {
    const value = type === 'list' ? undefined : readPointer(given, path);
    if (!letters.some((letter) => toText(value).includes(letter))) return [];
    return [{ path, label, message: 'No font here has these letters.', ...(value !== undefined && { given: value }) }];
  });
}

/** By its ending (IANA's registry of media types). */
const mediaTypeOf = (name: string): string => mediaTypes[extname(name)] ?? 'application/octet-stream';

const openXml = 'application/vnd.openxmlformats-officedocument';
const mediaTypes: Readonly<Record<string, string>> = {
  '.pdf': 'application/pdf',
  '.docx': `${openXml}.wordprocessingml.document`,
  '.xlsx': `${openXml}.spreadsheetml.sheet`,
  '.csv': 'text/csv',
  '.xml': 'application/xml',
  '.vcf': 'text/vcard',
  '.ics': 'text/calendar',
};

/** The folders of a way below a folder, each one that can be; what leads up or out is none. @throws Refused */
export function foldersOf(below: string): string[] {
  return below
    .split(/[/\\]/)
    .filter((part) => part.trim() !== '')
    .map((part) => {
      const named = documentName(part, '');
      if (!named) throw new Refused(`“${part}” can’t be the name of a folder.`);
      return named.name;
    });
}

/** @throws NotPossible */
function readableOf(given: unknown): Page {
  try {
    return readPage(given);
  } catch (error) {
    if (error instanceof BadPlaceholder) throw new NotPossible(error.message);
    throw error;
  }
}

/** Said where a document would be made with a gap. */
export const nothingFilledIn = (name: string): string => `Nothing is filled in for {${name}}: it stays empty.`;
