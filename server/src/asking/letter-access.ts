import { createHash } from 'node:crypto';
import type { Selectable } from 'kysely';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { AskLetterTable } from '../db/schema.ts';
import type { Seams } from '../seams.ts';
import type { Sealing } from '../secrets/sealing.ts';
import { type KeptAnswer, lastAnswer, type OpenAsk, openAsks } from './asks.ts';
import { type AskLetters, letterMark } from './letters.ts';

/** So many are shown on a page; the others come once these are answered. */
export const mostOnPage = 50;
/** Minutes for which a code is good, and for which a browser in which it was typed may answer. */
const [codeGood, sessionGood] = [15, 120];
/** How often a code may be mistyped, and how many are sent for one letter. */
const [mostTries, mostCodes] = [5, 6];

type Letter = Selectable<AskLetterTable>;

/** What somebody sees who opens a letter's link. */
export type LetterLook =
  | { readonly state: 'unknown' }
  /** Its time is over. */
  | { readonly state: 'late'; readonly letter: Letter }
  /** All of it was answered, or isn't asked any more. */
  | { readonly state: 'done'; readonly letter: Letter; readonly answers: readonly AnswerToShow[] }
  /** A code that was sent beside it has to be typed first. */
  | { readonly state: 'code'; readonly letter: Letter; readonly isSent: boolean }
  | { readonly state: 'open'; readonly letter: Letter; readonly asks: readonly OpenAsk[]; readonly total: number };

export interface AnswerToShow {
  readonly title: string;
  /** Null where it is over without an answer. */
  readonly answer: (KeptAnswer & { readonly at: string }) | null;
}

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly seams: Seams;
  readonly sealing: Pick<Sealing, 'markOf'>;
  readonly letters: Pick<AskLetters, 'sendCode'>;
}

/** Who may see and answer what a letter asks: whoever has its link, and for some the code that was sent beside it. */
export class LetterAccess {
  constructor(private readonly parts: Parts) {}

  /**
   * What a link leads to; changes nothing.
   *
   * @param session - what the browser was given once the code was typed in it
   */
  async look(id: string, mark: string, session: string | undefined): Promise<LetterLook> {
    const { db, sealing, seams } = this.parts;
    if (mark !== letterMark(sealing, id)) return { state: 'unknown' };
    const letter = await db.selectFrom('ask_letter').selectAll().where('id', '=', id).executeTakeFirst();
    if (!letter) return { state: 'unknown' };
    const { asks, total } = await openAsks(db, { letter: id }, mostOnPage);
    const isLetIn = this.isLetIn(letter, session);
    // What it was about is nobody's business who was not let in.
    const isHidden = letter.needs_code === 1 && !isLetIn;
    if (total === 0) return { state: 'done', letter, answers: isHidden ? [] : await this.answersTo(letter) };
    if (letter.expires_at <= seams.now()) return { state: 'late', letter };
    // A record may have come to move money since it was written.
    if ((isHidden || asks.some(({ asked }) => asked.needsCode)) && !isLetIn)
      return { state: 'code', letter, isSent: letter.code_mark !== null && (letter.code_until ?? '') > seams.now() };
    return { state: 'open', letter, asks, total };
  }

  private isLetIn({ id, session_mark, session_until }: Letter, session: string | undefined): boolean {
    const { sealing, seams } = this.parts;
    if (session === undefined || session_mark === null || (session_until ?? '') <= seams.now()) return false;
    return sealing.markOf(`ask session ${id} ${session}`) === session_mark;
  }

  /** Sends a new code to the letter's person; gives why it can't be, or undefined. @throws what the connection throws */
  async sendCode({ id, address, connection, codes, code_until }: Letter): Promise<string | undefined> {
    const { db, seams, sealing, letters } = this.parts;
    if (codes >= mostCodes) return 'No more codes are sent for this link. Ask whoever sent it to you for another one.';
    const isFresh = code_until !== null && Date.parse(code_until) - Date.parse(seams.now()) > (codeGood - 1) * 60_000;
    if (isFresh) return 'A code was sent less than a minute ago. It may take a little until it comes.';
    // Six figures, from an id that can't be guessed.
    const digest = createHash('sha256').update(seams.id()).digest();
    const code = String(digest.readUIntBE(0, 6) % 1_000_000).padStart(6, '0');
    await db
      .updateTable('ask_letter')
      .set({
        code_mark: sealing.markOf(`ask code ${id} ${code}`),
        code_until: later(seams, codeGood),
        code_tries: 0,
        codes: codes + 1,
      })
      .where('id', '=', id)
      .execute();
    await letters.sendCode({ id, address, connection }, code);
    return undefined;
  }

  /** Takes a typed code; gives what the browser is given for it, or why it isn't let in. */
  async enter(letter: Letter, typed: string): Promise<{ readonly session: string } | { readonly why: string }> {
    const { commits, seams, sealing } = this.parts;
    const code = typed.replace(/\D/g, '');
    const session = seams.id();
    return commits.run(async (trx) => {
      const row = await trx
        .selectFrom('ask_letter')
        .select(['code_mark', 'code_until', 'code_tries'])
        .where('id', '=', letter.id)
        .executeTakeFirstOrThrow();
      if (row.code_mark === null || (row.code_until ?? '') <= seams.now())
        return { why: 'This code isn’t good any more. Let a new one be sent.' };
      if (row.code_tries >= mostTries) return { why: 'It was mistyped too often. Let a new one be sent.' };
      if (sealing.markOf(`ask code ${letter.id} ${code}`) !== row.code_mark) {
        await trx
          .updateTable('ask_letter')
          .set({ code_tries: row.code_tries + 1 })
          .where('id', '=', letter.id)
          .execute();
        return { why: 'This isn’t the code that was sent last. Look at it once more.' };
      }
      // One code lets one browser in.
      await trx
        .updateTable('ask_letter')
        .set({
          code_mark: null,
          code_until: null,
          session_mark: sealing.markOf(`ask session ${letter.id} ${session}`),
          session_until: later(seams, sessionGood),
        })
        .where('id', '=', letter.id)
        .execute();
      return { session };
    });
  }

  private async answersTo({ id, step }: Letter): Promise<AnswerToShow[]> {
    const { db } = this.parts;
    const items = await db
      .selectFrom('ask_letter_item')
      .innerJoin('item', 'item.id', 'ask_letter_item.item_id')
      .select(['item.id', 'item.title'])
      .where('letter_id', '=', id)
      .orderBy('item.seq')
      .limit(mostOnPage)
      .execute();
    return Promise.all(
      items.map(async (item) => ({ title: item.title, answer: (await lastAnswer(db, item.id, step)) ?? null })),
    );
  }
}

const later = (seams: Seams, minutes: number): string =>
  new Date(Date.parse(seams.now()) + minutes * 60_000).toISOString();
