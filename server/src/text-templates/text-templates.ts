import type { TextTemplate } from '@golden/core';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import { Told } from '../told.ts';

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly seams: Seams;
  readonly events: Events;
}

/** A template as it is now. */
export interface TextTemplateNow extends TextTemplate {
  readonly name: string;
  /** When this version was made (UTC, ISO 8601). */
  readonly at: string;
}

/** What a template said from a time on. */
export interface TextTemplateVersion {
  readonly number: number;
  readonly text: string;
  readonly at: string;
}

/** There is no template of that id. */
export class UnknownTemplate extends Told {
  override readonly name = 'UnknownTemplate';
  readonly status = 404;
  readonly type = 'not-there';
  constructor() {
    super('This template isn’t there any more.');
  }
}

/** Somebody changed a template since it was read; nothing was overwritten. */
export class TemplateConflict extends Told {
  override readonly name = 'TemplateConflict';
  readonly status = 409;
  readonly type = 'text-conflict';
  constructor(readonly version: number) {
    super('This template was changed in another window. Your change was not saved over it.');
  }
  override get more() {
    return { version: this.version };
  }
}

/** Templates: texts for several workflows, each with all its versions. */
export class TextTemplates {
  constructor(private readonly parts: Parts) {}

  /** All of them by name, each as it is now. */
  async list(): Promise<TextTemplateNow[]> {
    return this.newest().orderBy('text_template.name').execute();
  }

  /** One of them as it is now. @throws UnknownTemplate */
  async get(id: string): Promise<TextTemplateNow> {
    const found = await this.newest().where('text_template.id', '=', id).executeTakeFirst();
    if (!found) throw new UnknownTemplate();
    return found;
  }

  /** What it has said, the newest first. */
  versions(id: string): Promise<TextTemplateVersion[]> {
    return this.parts.db
      .selectFrom('text_template_version')
      .select(['number', 'text', 'at'])
      .where('text_id', '=', id)
      .orderBy('number', 'desc')
      .execute();
  }

  /**
   * Keeps a text under a name; gives its id.
   * @throws NotPossible for a name that another has
   */
  async keep(name: string, text: string): Promise<string> {
    const { commits, seams } = this.parts;
    const id = seams.id();
    await this.withName(name, undefined, async () =>
      commits.run(async (trx) => {
        await trx.insertInto('text_template').values({ id, name, version: 1 }).execute();
        await trx
          .insertInto('text_template_version')
          .values({ text_id: id, number: 1, text, at: seams.now() })
          .execute();
      }),
    );
    return id;
  }

  /**
   * Gives a text another name and other words; other words are another version.
   * @param since - the version that was changed
   * @throws TemplateConflict when there is a newer one, UnknownTemplate, NotPossible for a name that another has
   */
  async change(id: string, since: number, name: string, text: string): Promise<void> {
    const { commits, seams } = this.parts;
    await this.withName(name, id, async () =>
      commits.run(async (trx) => {
        const now = await trx.selectFrom('text_template').select('version').where('id', '=', id).executeTakeFirst();
        if (!now) throw new UnknownTemplate();
        if (now.version !== since) throw new TemplateConflict(now.version);
        const { text: before } = await trx
          .selectFrom('text_template_version')
          .select('text')
          .where('text_id', '=', id)
          .where('number', '=', since)
          .executeTakeFirstOrThrow();
        const version = before === text ? since : since + 1;
        await trx.updateTable('text_template').set({ name, version }).where('id', '=', id).execute();
        if (version !== since)
          await trx
            .insertInto('text_template_version')
            .values({ text_id: id, number: version, text, at: seams.now() })
            .execute();
      }),
    );
  }

  /** Keeps it no longer. The workflows that were given its words have them still. */
  async remove(id: string): Promise<void> {
    await this.parts.db.deleteFrom('text_template').where('id', '=', id).execute();
    this.parts.events.tell({ topic: 'workspace' });
  }

  private newest() {
    return this.parts.db
      .selectFrom('text_template')
      .innerJoin('text_template_version as said', (join) =>
        join.onRef('said.text_id', '=', 'text_template.id').onRef('said.number', '=', 'text_template.version'),
      )
      .select(['text_template.id', 'text_template.name', 'text_template.version', 'said.text', 'said.at']);
  }

  /** Does it, unless another text has this name in whatever case. */
  private async withName(name: string, own: string | undefined, work: () => Promise<void>): Promise<void> {
    const key = name.trim().toLowerCase();
    const others = (await this.list()).filter(({ id }) => id !== own);
    if (others.some((one) => one.name.trim().toLowerCase() === key))
      throw new NotPossible(`There is a template called “${name}” already. Give this one another name.`);
    await work();
    this.parts.events.tell({ topic: 'workspace' });
  }
}
