import { AppError, doneMark, type HandIns } from '@golden/connectors';
import { sql } from 'kysely';
import type { Connections } from '../../connections.ts';
import type { Db } from '../../db/open.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Events } from '../../events.ts';
import type { Seams } from '../../seams.ts';
import type { Files } from './files.ts';
import { type FileSetting, FileSettingSchema, fitsPattern } from './setting.ts';

/** Milliseconds between two looks at a folder: a file that differs between them is still being written. */
const settling = 1000;

interface Parts {
  readonly db: Db;
  readonly files: Files;
  readonly connections: Pick<Connections, 'connector' | 'accountOf'>;
  readonly seams: Seams;
  readonly events: Events;
}

/** What a look into a folder brought. */
export interface FolderLook {
  /** Files that are new or changed, and of these the ones that somebody is still writing. */
  readonly taken: number;
  readonly growing: number;
  /** Names of new files that workflows of ours write: they start nothing unless that is chosen. */
  readonly own: readonly string[];
  readonly trouble: string | null;
}

const nothing: FolderLook = { taken: 0, growing: 0, own: [], trouble: null };

/** Folders in which files appear. */
export class FolderWatch {
  private readonly underWay = new Map<string, Promise<FolderLook>>();

  constructor(private readonly parts: Parts) {}

  /** Takes what is new in the folder of an inbox; a look that is under way serves whoever asks meanwhile. */
  look(inbox: string): Promise<FolderLook> {
    const known = this.underWay.get(inbox);
    if (known) return known;
    const look = this.lookNow(inbox).finally(() => this.underWay.delete(inbox));
    this.underWay.set(inbox, look);
    return look;
  }

  /** Resolves when no look is under way. */
  async quiet(): Promise<void> {
    while (this.underWay.size > 0)
      await Promise.all([...this.underWay.values()].map((one) => one.catch(() => undefined)));
  }

  private async lookNow(inbox: string): Promise<FolderLook> {
    const { db, connections } = this.parts;
    const row = await db.selectFrom('file_start').selectAll().where('inbox_id', '=', inbox).executeTakeFirst();
    const watch = row && FileSettingSchema.parse(JSON.parse(row.setting)).watch;
    if (!row || !watch) return nothing;
    let told: FolderLook;
    try {
      const { handIns } = await connections.connector(watch.connection);
      if (!handIns) throw new NotPossible('This connection has no folder with files. Choose another one.');
      told = await this.takeAll(inbox, watch, handIns, JSON.parse(row.known) as Record<string, string>);
    } catch (error) {
      if (!(error instanceof AppError || error instanceof NotPossible)) throw error;
      told = { ...nothing, trouble: error.message };
    }
    const own = JSON.stringify(told.own);
    if (told.trouble !== row.trouble || own !== row.own) {
      await db.updateTable('file_start').set({ trouble: told.trouble, own }).where('inbox_id', '=', inbox).execute();
      this.parts.events.tell({ topic: 'workspace' });
    }
    return told;
  }

  private async takeAll(
    inbox: string,
    watch: NonNullable<FileSetting['watch']>,
    handIns: HandIns,
    known: Record<string, string>,
  ): Promise<FolderLook> {
    const { files, db, seams, connections } = this.parts;
    const isMeant = (name: string): boolean =>
      fitsPattern(name, watch.pattern) && !(watch.afterwards === 'marked' && name.startsWith(doneMark));
    const there = (await handIns.files()).filter(({ name }) => isMeant(name));
    const found = there.filter(({ name, mark }) => known[name] !== mark);
    const account = connections.accountOf(watch.connection);
    const own = watch.takesOwn ? [] : await writtenByUs(db, account, found);
    const news = found.filter(({ name }) => !own.includes(name));
    if (news.length === 0) return { ...nothing, own };
    await seams.pause(settling);
    const later = new Map((await handIns.files()).map(({ name, mark }) => [name, mark]));
    const whole = news.filter(({ name, mark }) => later.get(name) === mark);
    const here = new Set(there.map(({ name }) => name));
    const kept = Object.fromEntries(Object.entries(known).filter(([name]) => here.has(name)));
    let trouble: string | null = null;
    for (const { name, mark } of whole) {
      const bytes = await handIns.content(name);
      const { state } = await files.take({ inbox, name, bytes, came: 'watched' });
      seams.reach('hand-in:after-take');
      // Only what is stored is put away; what can't be read stays where somebody can mend it.
      if (state === 'read' && watch.afterwards !== 'left')
        trouble = (await putAway(handIns, name, mark, watch.afterwards)) ?? trouble;
      seams.reach('hand-in:after-put-away');
      kept[name] = mark;
      await db
        .updateTable('file_start')
        .set({ known: JSON.stringify(kept) })
        .where('inbox_id', '=', inbox)
        .execute();
    }
    return { taken: whole.length, growing: news.length - whole.length, own, trouble };
  }
}

/** Which of a folder's files live workflows of ours have written to. */
async function writtenByUs(db: Db, account: string, files: readonly { readonly name: string }[]): Promise<string[]> {
  const own: string[] = [];
  for (const { name } of files) {
    // A place of a file begins with its name: `["orders.xlsx","Orders"]`.
    const begins = JSON.stringify([name]).slice(0, -1);
    const written = await db
      .selectFrom('write')
      .innerJoin('item', 'item.id', 'write.item_id')
      .innerJoin('workflow', 'workflow.id', 'item.workflow_id')
      .select('write.token')
      .where('write.account', '=', account)
      .where('write.place', '>=', begins)
      .where('write.place', '<', `${begins}\uffff`)
      .where(sql<boolean>`(write.left IS NULL OR write.left > '')`)
      .where('workflow.live_version', 'is not', null)
      .limit(1)
      .executeTakeFirst();
    if (written) own.push(name);
  }
  return own;
}

/** Puts a taken file away; why that can't be done, where it can't. */
async function putAway(
  handIns: HandIns,
  name: string,
  mark: string,
  way: 'marked' | 'moved',
): Promise<string | undefined> {
  try {
    await handIns.putAway(name, mark, way);
    return undefined;
  } catch (error) {
    if (!(error instanceof AppError)) throw error;
    return `“${name}” was taken in, and stays where it is. ${error.message}`;
  }
}

/** What a person should know of the watched folders, in a sentence: one that can't be looked into, a file that was refused. */
export async function folderTrouble(db: Db): Promise<string | null> {
  const starts = await db
    .selectFrom('file_start')
    .innerJoin('inbox', 'inbox.id', 'file_start.inbox_id')
    .select(['inbox.id', 'inbox.name', 'file_start.trouble'])
    .execute();
  for (const { id, name, trouble } of starts) {
    if (trouble !== null) return `“${name}” starts with files of a folder. ${trouble}`;
    const newest = await db
      .selectFrom('file')
      .select(['state', 'name', 'reason'])
      .where('inbox_id', '=', id)
      .where('came', '=', 'watched')
      .orderBy('seq', 'desc')
      .executeTakeFirst();
    if (newest?.state === 'refused') return `“${name}” didn’t take in the file “${newest.name}”. ${newest.reason}`;
  }
  return null;
}
