import { existsSync } from 'node:fs';
import { chmod, cp, mkdir, readdir, rename, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import SQLite from 'better-sqlite3';
import { DateTime } from 'luxon';
import { copyBytes } from './arrivals/byte-store.ts';
import type { Events } from './events.ts';
import type { Seams } from './seams.ts';
import { Told } from './told.ts';

/** Copies of the nights that are kept. */
const keptNights = 7;

/** The hour at which a night's copy is made, in the workspace's zone: few businesses sell then. */
const nightHour = 3;

/** How often it is looked whether a copy is due. */
const looksEvery = 10 * 60_000;

const namePattern = /^golden-(\d{4}-\d{2}-\d{2})T(\d{2})(\d{2})(\d{2})Z\.sqlite$/;

/** A copy of the data file that lies there. */
export interface BackupCopy {
  readonly name: string;
  /** The instant it was made, as UTC ISO 8601. */
  readonly at: string;
  readonly bytes: number;
}

/** A copy could not be made; the message says why. */
export class BackupFailed extends Told {
  override readonly name = 'BackupFailed';
  readonly status = 507;
  readonly type = 'no-copy';
}

export interface BackupOptions {
  /** The open data file: copied through its own connection, so that what is written meanwhile comes along. */
  readonly sqlite: SQLite.Database;
  /** Where large bytes lie as files. */
  readonly bytesFolder: string;
  /** Where lists lie that were dropped here. */
  readonly listsFolder: string;
  readonly folder: string;
  readonly seams: Pick<Seams, 'now'>;
  readonly zone: () => Promise<string>;
  readonly events: Events;
}

/** Copies of the data file beside it: one each night, seven of them kept; and one whenever a person wants it. */
export class Backups {
  /** Why the last copy failed; null when it didn't. */
  trouble: string | null = null;
  private timer: NodeJS.Timeout | undefined;
  private underWay: Promise<BackupCopy> | undefined;

  constructor(private readonly options: BackupOptions) {}

  get folder(): string {
    return this.options.folder;
  }

  /** Looks now and again whether a night has passed without a copy. */
  start(): void {
    void this.look();
    this.timer = setInterval(() => void this.look(), looksEvery);
    this.timer.unref();
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.underWay?.catch(() => undefined);
  }

  /** The copies that are there, the newest first. */
  list(): Promise<BackupCopy[]> {
    return copiesIn(this.options.folder);
  }

  /** Makes a copy now, and takes away what is older than the kept ones. @throws BackupFailed */
  make(): Promise<BackupCopy> {
    this.underWay ??= this.copy().finally(() => {
      this.underWay = undefined;
    });
    return this.underWay;
  }

  /** True when no copy was made since the last night's hour. */
  async isDue(): Promise<boolean> {
    const [newest] = await this.list();
    return newest === undefined || newest.at < lastNight(this.options.seams.now(), await this.options.zone());
  }

  private async look(): Promise<void> {
    try {
      if (await this.isDue()) await this.make();
    } catch {
      // What went wrong stands in `trouble`; the next look tries again.
    }
  }

  private async copy(): Promise<BackupCopy> {
    const { sqlite, bytesFolder, listsFolder, folder, seams, events } = this.options;
    try {
      const copy = await copyInto(folder, seams.now(), (file) => sqlite.backup(file));
      // The database first: whatever it names has been flushed before, and so is there to be copied.
      await copyBytes(bytesFolder, join(folder, 'bytes'));
      if (existsSync(listsFolder)) await cp(listsFolder, join(folder, 'lists'), { recursive: true });
      for (const old of (await this.list()).slice(keptNights)) await rm(join(folder, old.name), { force: true });
      this.trouble = null;
      return copy;
    } catch (error) {
      this.trouble = `No backup could be made in ${folder}: ${(error as Error).message}`;
      throw new BackupFailed(this.trouble, { cause: error });
    } finally {
      events.tell({ topic: 'workspace' });
    }
  }
}

/** The instant of the last night's hour before `now`. */
function lastNight(now: string, zone: string): string {
  const here = DateTime.fromISO(now).setZone(zone);
  const tonight = here.startOf('day').set({ hour: nightHour });
  const last = tonight <= here ? tonight : tonight.minus({ days: 1 });
  return last.toUTC().toISO() ?? now;
}

/** The copies in a folder, the newest first; other files there are not ours. */
async function copiesIn(folder: string): Promise<BackupCopy[]> {
  if (!existsSync(folder)) return [];
  const copies: BackupCopy[] = [];
  for (const name of await readdir(folder)) {
    const [, day, hour, minute, second] = namePattern.exec(name) ?? [];
    if (!day) continue;
    const { size } = await stat(join(folder, name));
    copies.push({ name, at: `${day}T${hour}:${minute}:${second}.000Z`, bytes: size });
  }
  return copies.sort((one, other) => other.at.localeCompare(one.at));
}

/** A copy under its own name only when it is whole: what broke off before leaves nothing that looks like one. */
async function copyInto(folder: string, now: string, copy: (file: string) => Promise<unknown>): Promise<BackupCopy> {
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const name = `golden-${now.slice(0, 19).replaceAll(':', '')}Z.sqlite`;
  const part = join(folder, `${name}.part`);
  await rm(part, { force: true });
  try {
    await copy(part);
    await chmod(part, 0o600);
    await rename(part, join(folder, name));
  } finally {
    await rm(part, { force: true });
  }
  const { size } = await stat(join(folder, name));
  return { name, at: `${now.slice(0, 19)}.000Z`, bytes: size };
}

/**
 * Copies the data file of a folder into another one from outside, whether a server runs on it or not:
 * one transaction reads it all, so that the copy is of one moment. The copy is checked before it counts.
 * @throws BackupFailed with a sentence
 */
export async function backupFrom(dataFile: string, folder: string, now: string): Promise<BackupCopy> {
  if (!existsSync(dataFile)) throw new BackupFailed(`There is no data file ${dataFile}. Say where it is with --data.`);
  try {
    const copy = await copyInto(folder, now, async (file) => {
      const source = new SQLite(dataFile, { readonly: true, timeout: 10_000 });
      try {
        source.prepare('VACUUM INTO ?').run(file);
      } finally {
        source.close();
      }
      expectWhole(file);
    });
    await copyBytes(join(dirname(dataFile), 'bytes'), join(folder, 'bytes'));
    return copy;
  } catch (error) {
    throw new BackupFailed(`No backup was made in ${folder}: ${(error as Error).message}`, { cause: error });
  }
}

function expectWhole(file: string): void {
  const copy = new SQLite(file, { readonly: true });
  try {
    const said = copy.pragma('quick_check', { simple: true });
    if (said !== 'ok') throw new Error(`the data file is damaged (${String(said)})`);
  } finally {
    copy.close();
  }
}
