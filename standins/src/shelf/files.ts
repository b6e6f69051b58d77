import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';

/** What an account may do with a file. */
export type Right = 'view' | 'edit';

/** A file on the shelf. */
export interface ShelfFile {
  readonly name: string;
  readonly size: number;
  readonly etag: string;
  readonly right: Right;
  readonly modified: string;
  /** Opened by somebody in a way that keeps others from saving. */
  readonly isLocked: boolean;
}

/** Why a file could not be replaced. */
export type Replaced =
  | { readonly kind: 'done'; readonly etag: string }
  | { readonly kind: 'gone' | 'changed' | 'view_only' | 'locked' | 'no_folder' };

const isWorkbook = (name: string): boolean => /\.(xls[xm]|csv)$/i.test(name) && isPath(name) && !name.includes('/');
/** A way below the shelf's folder: nothing hidden, and nothing that leads up or out. */
const isPath = (path: string): boolean =>
  path.split('/').every((part) => part.trim() !== '' && !/^[.~]|[\\\0]/.test(part));

/** Real files in a folder; one that a person puts there appears. */
export class ShelfFiles {
  readonly folder: string;
  private readonly settingsFile: string;

  constructor(dataFolder: string) {
    this.folder = join(dataFolder, 'files');
    this.settingsFile = join(dataFolder, 'rights.json');
    mkdirSync(this.folder, { recursive: true });
  }

  /** The workbooks of the shelf. */
  list(): ShelfFile[] {
    return readdirSync(this.folder)
      .filter(isWorkbook)
      .sort()
      .map((name) => this.describe(name));
  }

  /** Files of other kinds, and all in folders, by their way. */
  others(): ShelfFile[] {
    return readdirSync(this.folder, { recursive: true })
      .map(String)
      .filter((path) => isPath(path) && !isWorkbook(path) && this.isFile(path))
      .sort()
      .map((path) => this.describe(path));
  }

  hasFolder(path: string): boolean {
    return isPath(path) && (statSync(join(this.folder, path), { throwIfNoEntry: false })?.isDirectory() ?? false);
  }

  /** Makes a folder in one that is there. */
  makeFolder(path: string): void {
    mkdirSync(join(this.folder, path));
  }

  private isFile(path: string): boolean {
    return statSync(join(this.folder, path), { throwIfNoEntry: false })?.isFile() ?? false;
  }

  get(name: string): { readonly file: ShelfFile; readonly bytes: Buffer } | undefined {
    if (!isPath(name) || !this.isFile(name)) return undefined;
    return { file: this.describe(name), bytes: readFileSync(join(this.folder, name)) };
  }

  /** Puts a file in place whole. With an ETag, only when that is still the file's. */
  replace(name: string, bytes: Buffer, ifMatch: string | undefined): Replaced {
    const now = this.get(name)?.file;
    if (ifMatch !== undefined && !now) return { kind: 'gone' };
    if (now?.right === 'view') return { kind: 'view_only' };
    if (now?.isLocked) return { kind: 'locked' };
    if (ifMatch !== undefined && now?.etag !== ifMatch) return { kind: 'changed' };
    const folder = dirname(name);
    if (folder !== '.' && !this.hasFolder(folder)) return { kind: 'no_folder' };
    const temporary = join(this.folder, folder, `.${basename(name)}.part`);
    writeFileSync(temporary, bytes);
    renameSync(temporary, join(this.folder, name));
    return { kind: 'done', etag: etagOf(bytes) };
  }

  /** Changes a file as a program does that looks whether somebody saved meanwhile, and then begins anew. */
  async change(name: string, made: (bytes: Buffer) => Promise<Buffer>): Promise<Replaced> {
    for (;;) {
      const now = this.get(name);
      if (!now) return { kind: 'gone' };
      const replaced = this.replace(name, await made(now.bytes), now.file.etag);
      if (replaced.kind !== 'changed') return replaced;
    }
  }

  /** Gives a file another name; true where none had it. */
  rename(name: string, to: string): boolean {
    const isFree = !existsSync(join(this.folder, to));
    renameSync(join(this.folder, name), join(this.folder, to));
    return isFree;
  }

  remove(name: string): void {
    rmSync(join(this.folder, name), { force: true });
  }

  set(name: string, change: Partial<{ right: Right; isLocked: boolean }>): void {
    const all = this.settings();
    all[name] = { right: 'edit', isLocked: false, ...all[name], ...change };
    writeFileSync(this.settingsFile, JSON.stringify(all));
  }

  static isName(name: string): boolean {
    return isWorkbook(name);
  }

  static isPath(path: string): boolean {
    return isPath(path);
  }

  private describe(name: string): ShelfFile {
    const path = join(this.folder, name);
    const stat = statSync(path);
    const { right = 'edit', isLocked = false } = this.settings()[name] ?? {};
    return {
      name,
      size: stat.size,
      etag: etagOf(readFileSync(path)),
      right,
      isLocked,
      modified: stat.mtime.toISOString(),
    };
  }

  private settings(): Record<string, { right: Right; isLocked: boolean }> {
    return existsSync(this.settingsFile) ? JSON.parse(readFileSync(this.settingsFile, 'utf8')) : {};
  }
}

function etagOf(bytes: Buffer): string {
  return `"${createHash('sha256').update(bytes).digest('hex').slice(0, 32)}"`;
}
