import { mkdir, readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { numberedName, sameName } from '@golden/core';
import { putWhole } from './put-whole.ts';

/** What became of a document that was to be put into a folder. */
export type PutDocument =
  | { readonly kind: 'made'; readonly name: string }
  /** The same document lies there under this name already. */
  | { readonly kind: 'there'; readonly name: string };

/**
 * Puts documents into one folder. What lies there is never written over: one of the same name that holds something
 * else keeps it, and the new one is numbered. A document is there whole or not at all.
 */
export class DocumentFolder {
  private readonly taken = new Map<string, string>();

  private constructor(private readonly folder: string) {}

  /** Opens a folder, which is made where it is missing. @throws Error of the file system */
  static async open(folder: string): Promise<DocumentFolder> {
    await mkdir(folder, { recursive: true });
    const opened = new DocumentFolder(folder);
    for (const name of await readdir(folder)) opened.taken.set(sameName(name), name);
    return opened;
  }

  /** @throws Error of the file system, such as a full disk; nothing is left of it then */
  async put(wanted: string, ending: string, bytes: Uint8Array): Promise<PutDocument> {
    for (let number = 1; ; number++) {
      const name = number === 1 ? wanted : numberedName(wanted, ending, number);
      const there = this.taken.get(sameName(name));
      if (there !== undefined) {
        if (await this.holds(there, bytes)) return { kind: 'there', name: there };
        continue;
      }
      this.taken.set(sameName(name), name);
      if (await putWhole(join(this.folder, name), bytes)) return { kind: 'made', name };
    }
  }

  private async holds(name: string, bytes: Uint8Array): Promise<boolean> {
    const kept = await readFile(join(this.folder, name)).catch(() => undefined);
    return kept?.equals(bytes) ?? false;
  }
}
