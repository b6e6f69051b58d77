import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

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
  | { readonly kind: 'gone' | 'changed' | 'view_only' | 'locked' };

const isWorkbook = (name: string): boolean => /\.(xls[xm]|csv)$/i.test(name) && !/[/\\]|^\.|^~/.test(name);

/** Real files in a folder; one that a person puts there appears. */
export class ShelfFiles {
  readonly folder: string;
  private readonly settingsFile: string;

  constructor(dataFolder: string) {
    this.folder = join(dataFolder, 'files');
    this.settingsFile = join(dataFolder, 'rights.json');
    mkdirSync(this.folder, { recursive: true });
  }

  list(): ShelfFile[] {
    return readdirSync(this.folder)
      .filter(isWorkbook)
      .sort()
      .map((name) => this.describe(name));
  }

  get(name: string): { readonly file: ShelfFile; readonly bytes: Buffer } | undefined {
    if (!isWorkbook(name) || !existsSync(join(this.folder, name))) return undefined;
    return { file: this.describe(name), bytes: readFileSync(join(this.folder, name)) };
  }

  /** Puts a file in place whole. With an ETag, only when that is still the file's. */
  replace(name: string, bytes: Buffer, ifMatch: string | undefined): Replaced {
    const now = this.get(name)?.file;
    if (ifMatch !== undefined && !now) return { kind: 'gone' };
    if (now?.right === 'view') return { kind: 'view_only' };
    if (now?.isLocked) return { kind: 'locked' };
    if (ifMatch !== undefined && now?.etag !== ifMatch) return { kind: 'changed' };
    const temporary = join(this.folder, `.${name}.part`);
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
