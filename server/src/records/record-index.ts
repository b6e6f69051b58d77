import { setImmediate } from 'node:timers/promises';
import { type ItemState, indexWords, searchWords } from '@golden/core';
import { sql } from 'kysely';
import type { Checkpoints } from '../db/checkpoints.ts';
import type { GroupCommit, Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';

/** Items whose words are made at once: the server answers in between. */
const atOnce = 100;
/** Before an answer is given, so many are made at most; the rest follows. */
const mostBefore = 2000;
/** Pages of the index that are joined at once: a few milliseconds of work. */
const joinedAtOnce = 4;
/** Milliseconds between two looks for what is due. */
const pause = 3000;

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly checkpoints: Pick<Checkpoints, 'carryOut'>;
  readonly country: () => Promise<string>;
}

/**
 * The words by which items are found: of what they began with, and of all that they have found and written. They are
 * made beside the runs, none of which waits for it; what is due stands in the data file.
 */
export class RecordIndex {
  private timer: ReturnType<typeof setInterval> | undefined;
  private under: Promise<boolean> | undefined;

  constructor(private readonly parts: Parts) {}

  /** Looks for what is due from now on. */
  start(): void {
    this.timer = setInterval(() => void this.catchUp(mostBefore).catch(() => undefined), pause);
    this.timer.unref();
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.under?.catch(() => undefined);
  }

  /** Makes the words of what is due, the newest first, but of no more than so many; gives whether that was all. */
  async catchUp(most: number): Promise<boolean> {
    const before = this.under;
    if (before) return before;
    const work = this.work(most).finally(() => {
      this.under = undefined;
    });
    this.under = work;
    return work;
  }

  private async work(most: number): Promise<boolean> {
    const country = await this.parts.country();
    for (let done = 0; done < most; done += atOnce) {
      const due = await this.parts.db
        .selectFrom('record_due')
        .innerJoin('item', 'item.seq', 'record_due.seq')
        .select(['item.seq', 'item.title', 'item.source_id', 'item.item_state'])
        .orderBy('record_due.seq', 'desc')
        .limit(atOnce)
        .execute();
      if (due.length === 0) return true;
      const made = due.map((item) => ({ seq: item.seq, words: wordsOf(item, country) }));
      await this.parts.commits.run(async (trx) => {
        for (const { seq, words } of made) {
          await sql`INSERT OR REPLACE INTO record_words (rowid, words) VALUES (${seq}, ${words})`.execute(trx);
          await trx.deleteFrom('record_due').where('seq', '=', seq).execute();
        }
      });
      await this.joinParts();
    }
    return false;
  }

  /**
   * Words that items don't have any more leave the index's file: until its parts are joined they lie there, unused.
   *
   * @param isStopped - ends it between two pieces
   * @see https://www.sqlite.org/fts5.html#the_merge_command
   */
  async forgetWords(isStopped: () => boolean): Promise<void> {
    while (!isStopped() && !(await this.catchUp(mostBefore))) await setImmediate();
    // The first time it begins to join all parts.
    if (!isStopped()) await this.joinBeside(-joinedAtOnce);
    while (!isStopped() && (await this.joinBeside(joinedAtOnce))) await setImmediate();
  }

  /** Joins the parts of the index where there are many of one size, until there are few. */
  private async joinParts(): Promise<void> {
    while (await this.join(joinedAtOnce)) await setImmediate();
  }

  /**
   * Joins a few pages within a commit of its own, while runs write: another thread that wrote would keep them waiting.
   * Gives whether there was anything to join: less than two changed rows say that there wasn't.
   */
  private join(pages: number): Promise<boolean> {
    return this.parts.commits.run(async (trx) => {
      const before = await changesSoFar(trx);
      await sql.raw(joining(pages)).execute(trx);
      return (await changesSoFar(trx)) - before >= 2;
    });
  }

  /** The same beside the server, of large parts: a word that many records share is joined at once, however many pages that takes. */
  private async joinBeside(pages: number): Promise<boolean> {
    return (await this.parts.checkpoints.carryOut(joining(pages))) >= 2;
  }

  /** The items in which a text occurs, the newest first; none where nothing can be searched for. */
  async find(text: string, most: number): Promise<{ readonly seqs: readonly number[]; readonly isComplete: boolean }> {
    const isComplete = await this.catchUp(mostBefore);
    const words = searchWords(text, await this.parts.country());
    if (words.length === 0) return { seqs: [], isComplete };
    const query = words.map((word) => `"${word.text}"${word.isWhole ? '' : ' *'}`).join(' AND ');
    const { rows } = await sql<{ seq: number }>`SELECT rowid AS seq FROM record_words
      WHERE record_words MATCH ${query} ORDER BY rowid DESC LIMIT ${most}`.execute(this.parts.db);
    return { seqs: rows.map(({ seq }) => seq), isComplete };
  }
}

const joining = (pages: number): string => `INSERT INTO record_words (record_words, rank) VALUES ('merge', ${pages})`;

/** Rows that this process has changed in the data file. */
async function changesSoFar(trx: Trx): Promise<number> {
  const { rows } = await sql<{ n: number }>`SELECT total_changes() AS n`.execute(trx);
  return rows[0]?.n ?? 0;
}

function wordsOf(
  item: { readonly title: string; readonly source_id: string; readonly item_state: string },
  country: string,
): string {
  const state = JSON.parse(item.item_state) as ItemState;
  const ids = Object.values(state.steps).flatMap((result) =>
    result.kind === 'written' || result.kind === 'found' ? [result.id] : [],
  );
  return indexWords(Object.values(state.values), [item.title, item.source_id, ...ids], country).join(' ');
}
