import { mkdir, readFile, rm } from 'node:fs/promises';
import { join, relative } from 'node:path';
import { type DavDocuments, Locked, NoRight, NotThere } from '@golden/connectors';
import { putWhole, swapWhole } from './put-whole.ts';

/** A file as it lies there now. */
export interface FileThere {
  readonly bytes: Uint8Array;
  /** Changes whenever the content does, where the store says so itself. */
  readonly mark?: string;
}

/**
 * Where documents lie: a folder of this machine, or of a server. Folders are called by what is stored with each document,
 * which tells those of one store apart from those of any other.
 */
export interface DocumentStore {
  /** The folder at the end of a way below that of the store. */
  folderAt(below: readonly string[]): string;
  /** Makes a folder, with those above it below the store's own, where it is missing. @throws NoRight */
  makeFolder(folder: string): Promise<void>;
  /** @throws where nobody can tell whether it is there */
  read(folder: string, name: string): Promise<FileThere | undefined>;
  /** Puts a new file there whole; false where one of that name is. @throws NoRight, NotThere, Locked, Unsure */
  put(folder: string, name: string, bytes: Uint8Array): Promise<boolean>;
  /**
   * Puts a file in the place of what was read there, or where it was.
   * @throws Changed where something else is there by now, NoRight, NotThere, Locked, Unsure
   */
  swap(folder: string, name: string, bytes: Uint8Array, there: FileThere | undefined): Promise<void>;
  /** Removes what was read. @throws Changed where something else is there by now, NoRight, Locked */
  remove(folder: string, name: string, there: FileThere): Promise<void>;
  /** The way of a file below the store's folder. */
  wayOf(folder: string, name: string): string;
}

/** Documents in a folder of this machine. */
export class LocalDocuments implements DocumentStore {
  constructor(private readonly root: string) {}

  folderAt(below: readonly string[]): string {
    return join(this.root, ...below);
  }

  async makeFolder(folder: string): Promise<void> {
    await mkdir(folder, { recursive: true }).catch((error: NodeJS.ErrnoException) => {
      throw new NoRight(`The folder “${folder}” can’t be made: ${error.message}`, { cause: error });
    });
  }

  async read(folder: string, name: string): Promise<FileThere | undefined> {
    const bytes = await readFile(join(folder, name)).catch(() => undefined);
    return bytes && { bytes };
  }

  put(folder: string, name: string, bytes: Uint8Array): Promise<boolean> {
    return asFolderFault(folder, () => putWhole(join(folder, name), bytes));
  }

  async swap(folder: string, name: string, bytes: Uint8Array): Promise<void> {
    await this.makeFolder(folder);
    await asFolderFault(folder, () => swapWhole(join(folder, name), bytes));
  }

  async remove(folder: string, name: string): Promise<void> {
    await rm(join(folder, name), { force: true }).catch((error: NodeJS.ErrnoException) => {
      throw new NoRight(`“${name}” can’t be removed: ${error.message}`, { cause: error });
    });
  }

  wayOf(folder: string, name: string): string {
    return relative(this.root, join(folder, name)) || name;
  }
}

/** Documents in a folder of a server that speaks WebDAV; a folder is called by its address. */
export class ServerDocuments implements DocumentStore {
  private readonly root: string;

  constructor(
    address: string,
    private readonly server: DavDocuments,
  ) {
    this.root = address.replace(/\/+$/, '');
  }

  folderAt(below: readonly string[]): string {
    return [this.root, ...below].join('/');
  }

  makeFolder(folder: string): Promise<void> {
    return this.server.makeFolders(this.below(folder));
  }

  async read(folder: string, name: string): Promise<FileThere | undefined> {
    const there = await this.server.read(this.wayOf(folder, name));
    return there && { bytes: there.bytes, mark: there.etag };
  }

  put(folder: string, name: string, bytes: Uint8Array): Promise<boolean> {
    return this.server.addNew(this.wayOf(folder, name), bytes);
  }

  async swap(folder: string, name: string, bytes: Uint8Array, there: FileThere | undefined): Promise<void> {
    const way = this.wayOf(folder, name);
    if (there?.mark !== undefined) {
      await this.server.replace(way, bytes, there.mark);
      return;
    }
    await this.makeFolder(folder);
    if (!(await this.server.addNew(way, bytes))) throw new NotThere(`“${name}” can’t be put into “${folder}”.`);
  }

  async remove(folder: string, name: string, { mark = '' }: FileThere): Promise<void> {
    await this.server.remove(this.wayOf(folder, name), mark);
  }

  wayOf(folder: string, name: string): string {
    return [...this.below(folder), name].join('/');
  }

  /** @throws NotThere for a document that was put elsewhere before the connection was led to this folder */
  private below(folder: string): string[] {
    if (folder !== this.root && !folder.startsWith(`${this.root}/`))
      throw new NotThere(`This document lies in “${folder}”, to which the connection doesn’t lead any more.`);
    return folder
      .slice(this.root.length)
      .split('/')
      .filter((part) => part !== '');
  }
}

/** What the file system refuses, as it is told. @throws NoRight, NotThere, Locked */
async function asFolderFault<T>(folder: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (code === 'ENOENT') throw new NotThere(`The folder “${folder}” isn’t there any more.`, { cause: error });
    if (code === 'ENOSPC') throw new Locked(`The disk of “${folder}” is full.`, { cause: error });
    throw new NoRight(`Nothing can be put into “${folder}”: ${message}`, { cause: error });
  }
}
