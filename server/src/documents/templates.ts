import { BadPlaceholder, type Field, isRecord, type Page, readPage, type Value } from '@golden/core';
import type { ByteStore } from '../arrivals/byte-store.ts';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import { docxMaker, pageMaker } from './maker.ts';

interface Parts {
  readonly db: Db;
  readonly commits: () => GroupCommit;
  readonly bytes: ByteStore;
  readonly seams: Seams;
  readonly events: Events;
}

/** One edition of a template: it never changes, so that what is live goes on as it was seen. */
export interface TemplateEdition {
  readonly id: string;
  readonly number: number;
  readonly name: string;
  readonly ending: '.docx' | '.pdf';
  readonly fields: readonly Field[];
  readonly hash: string;
}

/** A template as the screens list it. */
export interface TemplateView {
  readonly id: string;
  readonly name: string;
  readonly ending: '.docx' | '.pdf';
  /** Of its newest edition. */
  readonly edition: number;
  readonly at: string;
  readonly takes: readonly string[];
  /** True for a page with a table: it can be a list too. */
  readonly hasTable: boolean;
}

/** The templates of documents: each a file of the business or a page, kept in all its editions. */
export class DocumentTemplates {
  constructor(private readonly parts: Parts) {}

  async list(): Promise<TemplateView[]> {
    const rows = await this.parts.db
      .selectFrom('document_template as template')
      .innerJoin('document_edition as edition', (join) =>
        join.onRef('edition.template_id', '=', 'template.id').onRef('edition.number', '=', 'template.newest'),
      )
      .select(['template.id', 'template.name', 'template.newest', 'edition.ending', 'edition.fields', 'edition.at'])
      .where('template.removed_at', 'is', null)
      .orderBy('template.name')
      .execute();
    return rows.map(({ id, name, newest, ending, fields: stored, at }) => {
      const fields = JSON.parse(stored) as Field[];
      return {
        id,
        name,
        ending,
        edition: newest,
        at,
        takes: fields.map(({ label }) => label),
        hasTable: ending === '.pdf' && fields.some(({ type }) => type === 'list'),
      };
    });
  }

  /** A page that was made here, in its newest edition. @throws NotPossible where there is none of that id */
  async page(id: string): Promise<{ readonly name: string; readonly edition: number; readonly page: Page }> {
    const view = (await this.list()).find((one) => one.id === id);
    const edition = view && (await this.edition(id, view.edition));
    if (!edition) throw new NotPossible('There is no such template any more.');
    if (edition.ending !== '.pdf')
      throw new NotPossible(`“${edition.name}” is a DOCX document: change it in your word processor and add it again.`);
    return { name: edition.name, edition: edition.number, page: readPage(readPageJson(await this.content(edition))) };
  }

  /** An edition, also one of a template that was taken away: what is live goes on with it. */
  async edition(id: string, number: number): Promise<TemplateEdition | undefined> {
    const row = await this.parts.db
      .selectFrom('document_edition as edition')
      .innerJoin('document_template as template', 'template.id', 'edition.template_id')
      .select(['template.name', 'edition.ending', 'edition.fields', 'edition.hash'])
      .where('edition.template_id', '=', id)
      .where('edition.number', '=', number)
      .executeTakeFirst();
    return row && { id, number, ...row, fields: JSON.parse(row.fields) };
  }

  /**
   * Keeps a template by the name of its file. One of the same name gets a new edition: drafts and live versions keep the
   * one that they have until a person chooses the new one.
   * @throws NotPossible where it can't be used, with the reason
   */
  async put(fileName: string, bytes: Uint8Array): Promise<TemplateView> {
    const { db, bytes: store, commits, seams, events } = this.parts;
    const { name, ending, fields } = read(fileName, bytes);
    const hash = await store.put(bytes);
    const known = await db
      .selectFrom('document_template')
      .select(['id', 'newest'])
      .where('name', '=', name)
      .where('removed_at', 'is', null)
      .executeTakeFirst();
    const id = known?.id ?? seams.id();
    const number = (known?.newest ?? 0) + 1;
    const last = known && (await this.edition(id, known.newest));
    if (!last || last.hash !== hash || last.ending !== ending)
      await commits().run(async (trx) => {
        const at = seams.now();
        if (known) await trx.updateTable('document_template').set({ newest: number }).where('id', '=', id).execute();
        else await trx.insertInto('document_template').values({ id, name, newest: number, removed_at: null }).execute();
        await trx
          .insertInto('document_edition')
          .values({ template_id: id, number, ending, hash, fields: JSON.stringify(fields), at })
          .execute();
      });
    events.tell({ topic: 'workspace' });
    const view = (await this.list()).find((one) => one.id === id);
    if (!view) throw new NotPossible(`“${name}” was taken away meanwhile.`);
    return view;
  }

  /** Takes a template from the list. Workflows that use it go on with their edition. */
  async remove(id: string): Promise<void> {
    const { commits, seams, events } = this.parts;
    await commits().run((trx) =>
      trx.updateTable('document_template').set({ removed_at: seams.now() }).where('id', '=', id).execute(),
    );
    events.tell({ topic: 'workspace' });
  }

  /** The bytes of an edition. */
  content({ hash }: TemplateEdition): Promise<Uint8Array> {
    return this.parts.bytes.get(hash);
  }
}

/** What a file that is given as a template is. @throws NotPossible */
function read(fileName: string, bytes: Uint8Array): Pick<TemplateEdition, 'name' | 'ending' | 'fields'> {
  const name = fileName
    .replace(/\.(docx|json)$/i, '')
    .trim()
    .slice(0, 120);
  if (name === '') throw new NotPossible('The file has no name.');
  try {
    if (/\.docx$/i.test(fileName)) return { name, ending: '.docx', fields: docxMaker(bytes).fields };
    if (/\.json$/i.test(fileName)) return { name, ending: '.pdf', fields: pageMaker(readPageJson(bytes)).fields };
  } catch (error) {
    if (error instanceof BadPlaceholder) throw new NotPossible(`“${fileName}” can’t be used. ${error.message}`);
    throw error;
  }
  throw new NotPossible(`“${fileName}” is no template: choose a .docx document, or a page as .json.`);
}

/** A page out of its file. @throws BadPlaceholder */
export function readPageJson(bytes: Uint8Array): Value {
  try {
    const page: unknown = JSON.parse(Buffer.from(bytes).toString('utf8'));
    if (isRecord(page as Value)) return page as Value;
  } catch (error) {
    throw new BadPlaceholder(`It can’t be read as JSON: ${(error as Error).message}`);
  }
  throw new BadPlaceholder('It holds no page.');
}
