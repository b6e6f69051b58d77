import { type Asked, askMail, codeMail, manyMails, momentText, stepById, type TextMail } from '@golden/core';
import { sql } from 'kysely';
import type { Logger } from 'pino';
import type { Connections } from '../connections.ts';
import type { GroupCommit, Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { isPassing } from '../engine/pauses.ts';
import type { Seams } from '../seams.ts';
import type { Sealing } from '../secrets/sealing.ts';
import { loadSettings } from '../settings.ts';
import { sendMail } from '../telling/send-mail.ts';
import type { Workflows } from '../workflows.ts';
import { openAsks } from './asks.ts';

/** Milliseconds between two looks whether somebody is to be written to. */
const looksEvery = 5000;
/** Milliseconds for which what else a run asks is waited for, so that one mail tells of all. */
const gathers = 30_000;
/** Names in one mail. */
const mostNamed = 12;
/** Milliseconds until a mail is tried again, growing with each try. */
const againAfter = 60_000;
const mostAgainAfter = 60 * 60_000;

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly seams: Seams;
  readonly connections: Pick<Connections, 'connector' | 'masked'>;
  readonly workflows: Pick<Workflows, 'get' | 'version'>;
  readonly sealing: Pick<Sealing, 'markOf'>;
  /** Where links lead, without a path. */
  readonly base: () => Promise<string>;
  readonly isStopped: () => boolean;
  readonly log: Logger;
  readonly told: () => void;
}

/** What tells a link that was made here from one that was guessed; the link itself is stored nowhere. */
export const letterMark = (sealing: Pick<Sealing, 'markOf'>, letter: string): string =>
  sealing.markOf(`ask letter ${letter}`);

/**
 * Writes to people who are asked something: one mail to each for all that a step asks at the time, with a link of their
 * own. That it goes out is stored before it does, so that after a crash it may come twice rather than never; a mail that
 * comes twice has the same link.
 */
export class AskLetters {
  private timer: NodeJS.Timeout | undefined;
  private underWay: Promise<void> | undefined;

  constructor(private readonly parts: Parts) {}

  start(): void {
    this.timer = setInterval(() => void this.look(), looksEvery);
    this.timer.unref();
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.underWay;
  }

  /** Writes to whoever is to be written to now. */
  look(): Promise<void> {
    this.underWay ??= this.lookNow()
      .catch((error: Error) =>
        this.parts.log.error({ said: this.parts.connections.masked(error.message) }, 'nobody was asked'),
      )
      .finally(() => {
        this.underWay = undefined;
      });
    return this.underWay;
  }

  private async lookNow(): Promise<void> {
    if (this.parts.isStopped()) return;
    await this.makeLetters();
    await this.sendLetters();
  }

  /** A letter for each person and step of whom something is asked; stored with what it is about. */
  private async makeLetters(): Promise<void> {
    const { db, commits, seams } = this.parts;
    const now = seams.now();
    const gathered = new Date(Date.parse(now) - gathers).toISOString();
    const due = await db
      .selectFrom('ask')
      .select(['workflow_id', 'step'])
      .where('mail_at', '<=', now)
      .groupBy(['workflow_id', 'step'])
      .having(
        sql<boolean>`min(mail_at) <= ${gathered} OR NOT EXISTS (SELECT 1 FROM item WHERE item.workflow_id = ask.workflow_id AND item.state = 'running')`,
      )
      .execute();
    for (const { workflow_id, step } of due) {
      await commits.run((trx) => this.makeLettersOf(trx, workflow_id, step, now));
      seams.reach('ask:after-letter');
    }
  }

  /** The letters of one step, for all that it asks and that nobody was written to about. */
  private async makeLettersOf(trx: Trx, workflow_id: string, step: string, now: string): Promise<void> {
    const rows = await trx
      .selectFrom('ask')
      .innerJoin('park', 'park.item_id', 'ask.item_id')
      .select(['ask.item_id', 'ask.asked', 'park.until'])
      .where('ask.workflow_id', '=', workflow_id)
      .where('ask.step', '=', step)
      .where('ask.mail_at', '<=', now)
      .where('park.woken', 'is', null)
      .execute();
    const asks = rows.map((row) => ({ ...row, asked: JSON.parse(row.asked) as Asked }));
    for (const letter of lettersFor(asks, now)) {
      const { address, connection, isReminder, items, expires, messages } = letter;
      const id = this.parts.seams.id();
      await trx
        .insertInto('ask_letter')
        .values({
          id,
          workflow_id,
          step,
          address,
          connection,
          is_reminder: isReminder ? 1 : 0,
          needs_code: letter.needsCode || messages >= manyMails ? 1 : 0,
          at: now,
          expires_at: expires,
          sent_at: null,
          next_at: now,
          trouble: null,
        })
        .execute();
      for (const item_id of items) await trx.insertInto('ask_letter_item').values({ letter_id: id, item_id }).execute();
    }
    for (const { item_id, asked } of asks)
      await trx
        .updateTable('ask')
        .set({ mail_at: asked.remindAt !== undefined && asked.remindAt > now ? asked.remindAt : null })
        .where('item_id', '=', item_id)
        .execute();
    // What was answered meanwhile needs no mail.
    await trx
      .updateTable('ask')
      .set({ mail_at: null })
      .where('workflow_id', '=', workflow_id)
      .where('step', '=', step)
      .where('mail_at', '<=', now)
      .execute();
  }

  private async sendLetters(): Promise<void> {
    const { db, seams } = this.parts;
    const due = await db
      .selectFrom('ask_letter')
      .selectAll()
      .where('sent_at', 'is', null)
      .where('next_at', '<=', seams.now())
      .orderBy('at')
      .execute();
    for (const letter of due) {
      const { asks, total } = await openAsks(db, { letter: letter.id }, mostNamed);
      const [first] = asks;
      // All of it was answered, or is over, before anybody was written to.
      const mail =
        first &&
        (await this.mailOf(
          letter,
          asks.map(({ title }) => title),
          total,
          first.asked,
        ));
      if (!mail) {
        await db
          .updateTable('ask_letter')
          .set({ sent_at: letter.at, next_at: null })
          .where('id', '=', letter.id)
          .execute();
        continue;
      }
      try {
        await this.send(letter, mail, `ask-${letter.id}`);
        seams.reach('ask:after-mail');
        const sent = { sent_at: seams.now(), next_at: null, trouble: null };
        await db.updateTable('ask_letter').set(sent).where('id', '=', letter.id).execute();
      } catch (error) {
        await this.noteTrouble(letter, error);
      }
      this.parts.told();
    }
  }

  private async noteTrouble(
    { id, address, tries }: { readonly id: string; readonly address: string; readonly tries: number },
    error: unknown,
  ): Promise<void> {
    const { db, connections, seams } = this.parts;
    const said = connections.masked(error instanceof Error ? error.message : String(error));
    // What is refused may be right once somebody has changed the connection: it is tried again too, only less often.
    const pause = isPassing(error) ? Math.min(mostAgainAfter, againAfter * 2 ** tries) : mostAgainAfter;
    const next_at = new Date(Date.parse(seams.now()) + pause).toISOString();
    const trouble = `The mail to ${address} could not be sent: ${said}`;
    await db
      .updateTable('ask_letter')
      .set({ tries: tries + 1, next_at, trouble })
      .where('id', '=', id)
      .execute();
  }

  private async mailOf(
    letter: {
      readonly id: string;
      readonly workflow_id: string;
      readonly is_reminder: number;
      readonly expires_at: string;
    },
    titles: readonly string[],
    count: number,
    asked: Asked,
  ): Promise<TextMail> {
    const { db, workflows, sealing, base } = this.parts;
    const { workspace, zone } = await loadSettings(db);
    const { draft } = await workflows.get(letter.workflow_id);
    return askMail({
      business: workspace,
      workflow: draft.name,
      kind: asked.what.kind,
      words: asked.words,
      titles,
      count,
      until: momentText(letter.expires_at, zone),
      link: `${await base()}/ask/${letter.id}/${letterMark(sealing, letter.id)}`,
      isReminder: letter.is_reminder === 1,
      ...(count === 1 && asked.again !== undefined && { again: asked.again }),
    });
  }

  /** Sends a code to the person of a letter, beside the link. @throws what the connection throws */
  async sendCode(
    letter: { readonly id: string; readonly address: string; readonly connection: string },
    code: string,
  ): Promise<void> {
    const { workspace } = await loadSettings(this.parts.db);
    await this.send(letter, codeMail(workspace, code), `ask-code-${letter.id}-${this.parts.seams.id()}`);
  }

  private send(
    { address, connection }: { readonly address: string; readonly connection: string },
    mail: TextMail,
    token: string,
  ): Promise<void> {
    return sendMail(this.parts.connections, connection, address, mail, token);
  }
}

interface LetterToMake {
  readonly address: string;
  readonly connection: string;
  readonly isReminder: boolean;
  readonly items: string[];
  needsCode: boolean;
  /** How many of them go out to somebody. */
  messages: number;
  /** Until when the last of them can be answered. */
  expires: string;
}

/** One letter for each person, through each connection, with all that they are asked; reminders apart. */
function lettersFor(
  asks: readonly { readonly item_id: string; readonly until: string | null; readonly asked: Asked }[],
  now: string,
): LetterToMake[] {
  const letters = new Map<string, LetterToMake>();
  for (const { item_id, until, asked } of asks) {
    // It was mailed when it was asked; what comes at `remindAt` reminds of it.
    const isReminder = asked.isReminder === true || (asked.remindAt !== undefined && asked.remindAt <= now);
    for (const address of asked.to) {
      const connection = asked.through ?? '';
      const name = JSON.stringify([address, connection, isReminder]);
      const letter = letters.get(name) ?? {
        address,
        connection,
        isReminder,
        items: [],
        needsCode: false,
        messages: 0,
        expires: '',
      };
      letter.items.push(item_id);
      letter.needsCode ||= asked.needsCode;
      if (asked.what.kind === 'approval' && asked.what.shown.isMessage) letter.messages += 1;
      if ((until ?? '') > letter.expires) letter.expires = until ?? '';
      letters.set(name, letter);
    }
  }
  return [...letters.values()];
}

/** How a step that asks is called, for people. */
export async function nameOfAsk(
  workflows: Pick<Workflows, 'get'>,
  workflowId: string,
  step: string,
): Promise<{ readonly workflow: string; readonly name: string | null }> {
  const { draft } = await workflows.get(workflowId);
  return { workflow: draft.name, name: stepById(draft, step)?.name ?? null };
}
