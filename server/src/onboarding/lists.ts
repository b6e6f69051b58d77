import { existsSync, mkdirSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { join, parse } from 'node:path';
import { FolderStore } from '@golden/connectors';
import { hashOf } from '../arrivals/byte-store.ts';
import { rowsOfGiven } from '../building/given-file.ts';
import type { Connections } from '../connections.ts';

const connectionName = 'List folder';

/** A list that was dropped, as a place of a connection. */
export interface KeptList {
  readonly connection: string;
  /** The file, as it is called here. */
  readonly file: string;
}

/**
 * Keeps lists that somebody dropped: CSV and XLSX files in a folder of ours, which is connected like any
 * other folder. The same file dropped twice is kept once; another of the same name beside it.
 */
export class Lists {
  constructor(
    readonly folder: string,
    private readonly connections: Connections,
  ) {}

  /** @throws NotPossible with a sentence for what is neither, or holds no rows; nothing is kept then */
  async keep(name: string, bytes: Uint8Array): Promise<KeptList> {
    await rowsOfGiven(name, bytes);
    mkdirSync(this.folder, { recursive: true, mode: 0o700 });
    const file = await this.put(fileName(name), bytes);
    return { connection: await this.connection(), file };
  }

  /** Whether a connection leads to the lists that are kept here. */
  async holds(connection: string): Promise<boolean> {
    const one = await this.connections.get(connection).catch(() => undefined);
    return one?.app === 'folder' && one.settings['folder'] === this.folder;
  }

  private async put(name: string, bytes: Uint8Array): Promise<string> {
    const { name: base, ext } = parse(name);
    for (let number = 1; ; number++) {
      const called = number === 1 ? name : `${base} (${number})${ext}`;
      const path = join(this.folder, called);
      if (!existsSync(path)) {
        await new FolderStore(this.folder).add(called, bytes);
        return called;
      }
      if (hashOf(await readFile(path)) === hashOf(bytes)) return called;
    }
  }

  private async connection(): Promise<string> {
    const all = await this.connections.list();
    const ours = all.find((one) => one.app === 'folder' && one.settings['folder'] === this.folder);
    if (ours) return ours.id;
    const made = await this.connections.add({
      app: 'folder',
      name: connectionName,
      settings: { folder: this.folder },
    });
    return made.id;
  }
}

/** The name without a folder before it or a sign that can't be in one. */
const fileName = (name: string): string =>
  name
    .replace(/^.*[\\/]/, '')
    .replace(/[\p{Cc}:*?"<>|]/gu, ' ')
    .replace(/^[.~\s]+/, '')
    .trim();
