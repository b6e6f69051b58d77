import type { Attachable, FileToAttach } from '@golden/connectors';
import type { ByteStore } from './arrivals/byte-store.ts';
import type { Db } from './db/open.ts';
import type { AttachmentTable } from './db/schema.ts';
import { NotPossible } from './engine/errors.ts';
import type { Events } from './events.ts';
import type { Seams } from './seams.ts';

/** Bytes of one file: mail servers refuse what is much larger. */
export const mostBytes = 10 * 1024 * 1024;

interface Parts {
  readonly db: Db;
  readonly bytes: ByteStore;
  readonly seams: Seams;
  readonly events: Events;
}

/** The files that can go along with mails: kept once for the workspace, chosen by their names. */
export class Attachments implements Attachable {
  constructor(private readonly parts: Parts) {}

  async list(): Promise<Pick<AttachmentTable, 'name' | 'size' | 'at'>[]> {
    return this.parts.db.selectFrom('attachment').select(['name', 'size', 'at']).orderBy('name').execute();
  }

  async names(): Promise<readonly string[]> {
    return (await this.list()).map(({ name }) => name);
  }

  async get(name: string): Promise<FileToAttach | undefined> {
    const { db, bytes } = this.parts;
    const row = await db.selectFrom('attachment').selectAll().where('name', '=', name).executeTakeFirst();
    return row && { name, type: row.media_type, content: await bytes.get(row.hash) };
  }

  /**
   * Keeps a file; one of the same name is replaced, for all workflows that use it. Gives the name it has.
   * @throws NotPossible for one that is empty or too large
   */
  async put(given: string, mediaType: string, content: Uint8Array): Promise<string> {
    const { db, bytes, seams, events } = this.parts;
    const name = nameOf(given);
    if (content.length === 0) throw new NotPossible(`“${name}” is empty.`);
    if (content.length > mostBytes)
      throw new NotPossible(`“${name}” has more than ${mostBytes / 1024 / 1024} MB. Many mail servers take no more.`);
    const kept = {
      media_type: /^[\w.+-]+\/[\w.+-]+$/.test(mediaType) ? mediaType : 'application/octet-stream',
      size: content.length,
      hash: await bytes.put(content),
      at: seams.now(),
    };
    await db
      .insertInto('attachment')
      .values({ name, ...kept })
      .onConflict((conflict) => conflict.column('name').doUpdateSet(kept))
      .execute();
    events.tell({ topic: 'workspace' });
    return name;
  }

  /** Takes a file away; a workflow that uses it says so at its next mail. */
  async remove(name: string): Promise<void> {
    await this.parts.db.deleteFrom('attachment').where('name', '=', name).execute();
    this.parts.events.tell({ topic: 'workspace' });
  }
}

/** A name as mail programs show it: without a path, line breaks and what parts names. */
function nameOf(given: string): string {
  const bare = given
    .split(/[/\\]/)
    .at(-1)
    ?.replace(/[\p{C}"<>|:*?,;]+/gu, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  if (!bare) throw new NotPossible('The file has no name.');
  return bare.slice(-120);
}
