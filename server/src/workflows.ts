import {
  emptyContent,
  type Locale,
  localeOf,
  ofToday,
  type WorkflowContent,
  WorkflowContentSchema,
  type WorkflowVersion,
  withoutMarks,
} from '@golden/core';
import { calendarsFor } from './calendars.ts';
import type { Trx } from './db/group-commit.ts';
import type { Db } from './db/open.ts';
import type { WorkflowRow } from './db/schema.ts';
import type { Events } from './events.ts';
import { clearRemoved, hiddenWorkflows, hideRemoved, isBeingRemoved } from './removing.ts';
import type { Seams } from './seams.ts';
import { businessFor, loadSettings } from './settings.ts';
import { Told } from './told.ts';

/** There is no such workflow or version. */
export class UnknownWorkflow extends Told {
  override readonly name = 'UnknownWorkflow';
  readonly status = 404;
  readonly type = 'not-there';
  constructor() {
    super('This workflow isn’t there any more.');
  }
}

/** What is stored of a workflow can't be read; all other workflows go on. */
export class UnreadableWorkflow extends Told {
  override readonly name = 'UnreadableWorkflow';
  readonly status = 409;
  readonly type = 'unreadable';
  constructor(at: string) {
    super(
      `What is stored of this workflow can’t be read (${at}). Save what it holds to a file, remove it, and build it anew or put a copy of the data back.`,
    );
  }
}

/** A workflow of which only what stands around it can be shown. */
export interface UnreadableEntry {
  readonly id: string;
  readonly name: string;
  readonly folder: string;
  readonly isOn: boolean;
  readonly liveVersion: number | null;
  readonly message: string;
}

/** A draft was saved elsewhere since this one was read; nothing was overwritten. */
export class DraftConflict extends Told {
  override readonly name = 'DraftConflict';
  readonly status = 409;
  readonly type = 'draft-conflict';

  override get more() {
    return { rev: this.rev, content: this.content };
  }
  constructor(
    readonly rev: number,
    readonly content: WorkflowContent,
  ) {
    super('This workflow was changed in another window. Your change was not saved over it.');
  }
}

/** A workflow as it is kept. */
export interface Workflow {
  readonly id: string;
  readonly draft: WorkflowContent;
  readonly draftRev: number;
  readonly draftAt: string;
  readonly liveVersion: number | null;
  readonly isOn: boolean;
  readonly folder: string;
}

/** A version as lists show it. */
export interface VersionEntry {
  readonly number: number;
  readonly createdAt: string;
  readonly content: WorkflowContent;
  readonly locale: Locale;
}

/** The workflows that nobody has removed. */
const allThere = (db: Db | Trx) =>
  db
    .selectFrom('workflow')
    .selectAll()
    .where((eb) => eb.not(isBeingRemoved));

/** Drafts and numbered versions. A version never changes once it is made. */
export class Workflows {
  private readonly versions = new Map<string, WorkflowVersion>();

  constructor(
    private readonly db: Db,
    private readonly events: Events,
    private readonly seams: Seams,
  ) {}

  /** All that can be read; those that can't are told by `unreadable`. */
  async list(db: Db | Trx = this.db): Promise<Workflow[]> {
    const rows = await allThere(db).orderBy('created_at').execute();
    return rows.flatMap((row) => {
      const draft = safely(() => readContent(row.draft));
      return draft instanceof UnreadableWorkflow ? [] : [toWorkflow(row, draft)];
    });
  }

  /** The workflows that can't be read, with why. */
  async unreadable(): Promise<UnreadableEntry[]> {
    const rows = await allThere(this.db).orderBy('created_at').execute();
    return rows.flatMap((row): UnreadableEntry[] => {
      const draft = safely(() => readContent(row.draft));
      if (!(draft instanceof UnreadableWorkflow)) return [];
      const { id, folder, is_on, live_version } = row;
      const name = nameIn(row.draft);
      return [{ id, name, folder, isOn: is_on === 1, liveVersion: live_version, message: draft.message }];
    });
  }

  /** What is stored of a workflow, as it is: its draft and its versions. @throws UnknownWorkflow */
  async stored(id: string): Promise<{ draft: string; versions: { number: number; content: string }[] }> {
    const row = await allThere(this.db).where('id', '=', id).executeTakeFirst();
    if (!row) throw new UnknownWorkflow();
    const versions = await this.db
      .selectFrom('workflow_version')
      .select(['number', 'content'])
      .where('workflow_id', '=', id)
      .orderBy('number')
      .execute();
    return { draft: row.draft, versions };
  }

  /** @throws UnknownWorkflow */
  async get(id: string): Promise<Workflow> {
    const row = await allThere(this.db).where('id', '=', id).executeTakeFirst();
    if (!row) throw new UnknownWorkflow();
    return toWorkflow(row, readContent(row.draft));
  }

  /** @throws ZodError for what is no content: nothing is stored that can't be read */
  async add(given: WorkflowContent = emptyContent('New workflow'), folder = ''): Promise<Workflow> {
    const content = WorkflowContentSchema.parse(JSON.parse(JSON.stringify(given)));
    const id = this.seams.id();
    const now = this.seams.now();
    await this.db
      .insertInto('workflow')
      .values({
        id,
        draft: JSON.stringify(content),
        draft_rev: 1,
        draft_at: now,
        live_version: null,
        is_on: 0,
        folder,
        created_at: now,
      })
      .execute();
    this.events.tell({ topic: 'workflow', workflow: id });
    return this.get(id);
  }

  /**
   * Saves a draft that was made from revision `rev`.
   * @throws DraftConflict when somebody saved another one meanwhile
   */
  async saveDraft(id: string, given: WorkflowContent, rev: number): Promise<Workflow> {
    const content = WorkflowContentSchema.parse(JSON.parse(JSON.stringify(given)));
    const saved = await this.db
      .updateTable('workflow')
      .set({ draft: JSON.stringify(content), draft_rev: rev + 1, draft_at: this.seams.now() })
      .where('id', '=', id)
      .where('draft_rev', '=', rev)
      .executeTakeFirst();
    const now = await this.get(id);
    if (saved.numUpdatedRows === 0n) throw new DraftConflict(now.draftRev, now.draft);
    this.events.tell({ topic: 'workflow', workflow: id });
    return now;
  }

  /** Puts a workflow into a folder; an empty name takes it out. */
  async putInFolder(id: string, folder: string): Promise<void> {
    await this.db.updateTable('workflow').set({ folder: folder.trim() }).where('id', '=', id).execute();
    this.events.tell({ topic: 'workflow', workflow: id });
  }

  /** All versions, the newest first. */
  async history(id: string): Promise<VersionEntry[]> {
    const rows = await this.db
      .selectFrom('workflow_version')
      .selectAll()
      .where('workflow_id', '=', id)
      .orderBy('number', 'desc')
      .execute();
    return rows.map((row) => ({
      number: row.number,
      createdAt: row.created_at,
      content: readContent(row.content),
      locale: readLocale(row.locale),
    }));
  }

  async remove(id: string): Promise<void> {
    await hideRemoved(this.db, id);
    this.events.tell({ topic: 'workflow', workflow: id });
    await clearRemoved(this.db, id);
  }

  /** Goes on with removing what an earlier process was removing when it ended. */
  async goOnRemoving(isStopped: () => boolean): Promise<void> {
    for (const id of await hiddenWorkflows(this.db)) await clearRemoved(this.db, id, isStopped);
  }

  /** Freezes the draft as the next version, or gives the newest one when it says the same. */
  async freeze(id: string): Promise<number> {
    const { number, isNew, content, locale } = await this.asVersion(id);
    if (isNew)
      await this.db
        .insertInto('workflow_version')
        .values({ workflow_id: id, number, content, locale, created_at: this.seams.now() })
        .execute();
    return number;
  }

  /** The version that the draft would be frozen as. */
  async asVersion(id: string): Promise<{ number: number; isNew: boolean; content: string; locale: string }> {
    const workflow = await this.get(id);
    const content = JSON.stringify(withoutMarks(workflow.draft));
    const locale = JSON.stringify(await this.locale(workflow.draft));
    const newest = await this.db
      .selectFrom('workflow_version')
      .selectAll()
      .where('workflow_id', '=', id)
      .orderBy('number', 'desc')
      .executeTakeFirst();
    if (newest?.content === content && newest.locale === locale)
      return { number: newest.number, isNew: false, content, locale };
    return { number: (newest?.number ?? 0) + 1, isNew: true, content, locale };
  }

  /** The frozen version that items of this number run on. @throws UnknownWorkflow */
  async version(id: string, number: number, db: Db | Trx = this.db): Promise<WorkflowVersion> {
    const version = await this.frozen(id, number, db);
    const calendars = await calendarsFor(db, version.content, this.seams.now());
    return calendars ? { ...version, calendars } : version;
  }

  private async frozen(id: string, number: number, db: Db | Trx): Promise<WorkflowVersion> {
    const name = `${id}/${number}`;
    const known = this.versions.get(name);
    if (known) return known;
    const row = await db
      .selectFrom('workflow_version')
      .selectAll()
      .where('workflow_id', '=', id)
      .where('number', '=', number)
      .executeTakeFirst();
    if (!row) throw new UnknownWorkflow();
    const version = { content: readContent(row.content), locale: readLocale(row.locale) };
    this.versions.set(name, version);
    return version;
  }

  /** The same for whoever looks at many: undefined for one that can't be read, so that all others are seen. */
  async readableVersion(id: string, number: number, db: Db | Trx = this.db): Promise<WorkflowVersion | undefined> {
    try {
      return await this.version(id, number, db);
    } catch (error) {
      if (error instanceof UnreadableWorkflow) return undefined;
      throw error;
    }
  }

  /** The same without asking the data file; undefined when it wasn't read yet. */
  knownVersion(id: string, number: number): WorkflowVersion | undefined {
    return this.versions.get(`${id}/${number}`);
  }

  /** The draft with the reading rules of the moment, for rehearsing. */
  async draftVersion(id: string): Promise<WorkflowVersion> {
    const { draft } = await this.get(id);
    const business = await businessFor(this.db, draft);
    const calendars = await calendarsFor(this.db, draft, this.seams.now());
    const locale = await this.locale(draft);
    return { content: draft, locale, ...(business && { business }), ...(calendars && { calendars }) };
  }

  /** How many versions there are, and whether the draft differs from the live one. */
  async versionsOf(id: string): Promise<{ newest: number; isDraftChanged: boolean }> {
    const workflow = await this.get(id);
    const rows = await this.db
      .selectFrom('workflow_version')
      .select(['number', 'content'])
      .where('workflow_id', '=', id)
      .orderBy('number')
      .execute();
    const live = rows.find((row) => row.number === workflow.liveVersion);
    return {
      newest: rows.at(-1)?.number ?? 0,
      isDraftChanged: live ? live.content !== JSON.stringify(withoutMarks(workflow.draft)) : true,
    };
  }

  /** How a content is read in this workspace. */
  async locale(content: WorkflowContent): Promise<Locale> {
    const { zone, country } = await loadSettings(this.db);
    return localeOf(content, { zone, country });
  }
}

/** So many contents are kept as they were read: every list reads all drafts, of which hardly one has changed since. */
const mostKept = 500;
const kept = new Map<string, WorkflowContent>();

/** A content as it is stored; nobody may change what is given, for others are given the same. @throws UnreadableWorkflow */
function readContent(stored: string): WorkflowContent {
  const known = kept.get(stored) ?? frozen(readAnew(stored));
  // Those that are read most stay.
  kept.delete(stored);
  kept.set(stored, known);
  if (kept.size > mostKept) kept.delete(kept.keys().next().value ?? '');
  return known;
}

function frozen<T>(value: T): T {
  if (typeof value === 'object' && value !== null && !Object.isFrozen(value)) {
    Object.freeze(value);
    for (const one of Object.values(value)) frozen(one);
  }
  return value;
}

/** @throws UnreadableWorkflow */
function readAnew(stored: string): WorkflowContent {
  let given: unknown;
  try {
    given = JSON.parse(stored);
  } catch {
    throw new UnreadableWorkflow('it is not valid JSON');
  }
  const read = WorkflowContentSchema.safeParse(ofToday(given));
  if (read.success) return read.data;
  const [first] = read.error.issues;
  throw new UnreadableWorkflow(`${first?.path.join(' → ') || 'at its beginning'}: ${first?.message ?? ''}`);
}

/** @throws UnreadableWorkflow */
function readLocale(stored: string): Locale {
  try {
    return JSON.parse(stored) as Locale;
  } catch {
    throw new UnreadableWorkflow('its zone and country are not valid JSON');
  }
}

function safely<T>(work: () => T): T | UnreadableWorkflow {
  try {
    return work();
  } catch (error) {
    if (error instanceof UnreadableWorkflow) return error;
    throw error;
  }
}

/** The name that a stored content has, where that much can be read. */
export function nameIn(stored: string): string {
  try {
    const { name } = JSON.parse(stored) as { name?: unknown };
    if (typeof name === 'string' && name !== '') return name.slice(0, 120);
  } catch {
    // Nothing of it can be read.
  }
  return 'A workflow that can’t be read';
}

function toWorkflow(row: WorkflowRow, draft: WorkflowContent): Workflow {
  return {
    id: row.id,
    draft,
    draftRev: row.draft_rev,
    draftAt: row.draft_at,
    liveVersion: row.live_version,
    isOn: row.is_on === 1,
    folder: row.folder,
  };
}
