import type { Answer, Place, WokenBy } from '@golden/core';
import { answerOf, noteBroken } from './answers.ts';
import type { EngineContext } from './context.ts';
import type { Work } from './item-store.ts';
import { isPassing } from './pauses.ts';
import { isReadAgain } from './wanted.ts';

// What is asked of apps before a record that has waited goes on: whether it is still as it was, and whether anything
// elsewhere has ended its wait. While an app doesn't answer, the record waits on; one that refuses us is a person's case.

type Woken = Extract<Answer, { kind: 'woken' }>;

/** A parked item that goes on waiting: for what it waits, or for an app first. */
export interface Resting {
  readonly message: string;
  readonly until: string | null;
  readonly waitsFor?: string | null;
}

type Now = Pick<Woken, 'record' | 'unread'>;

type Unasked = Required<Pick<Woken, 'unread'>> | { readonly rests: Resting };

/** What is read before an item goes on. */
export type Read = Now & { readonly by?: WokenBy };

/** Asks before one item goes on. */
export class Waking {
  /**
   * @param sourceAccount - the account in which its record was read
   * @param answered - told of each connection that answered
   */
  constructor(
    private readonly context: EngineContext,
    private readonly work: Work,
    private readonly sourceAccount: string,
    private readonly answered: (connection: string) => Promise<void>,
  ) {}

  /** All that is to be known, given what woke it; a `by` in it is what has ended the wait before its time. */
  async read(by: WokenBy, until: string | null): Promise<Read | { readonly rests: Resting }> {
    // Who sends it now has decided; what else ended it has been told already.
    const ended = by.kind === 'time' && until !== null ? await this.elsewhere(until) : {};
    if ('rests' in ended || 'unread' in ended) return ended;
    const record = await this.again();
    return 'rests' in record ? record : { ...record, ...ended };
  }

  /** The start's record as it is now; nothing where it can't be read by itself. */
  async again(): Promise<Now | { readonly rests: Resting }> {
    const { start } = this.work.version.content;
    return isReadAgain(start) ? this.now(start.source) : {};
  }

  /** The record with the id of the start's, as it is now in its place; null where it isn't there. */
  async now({ connection, path }: Pick<Place, 'connection' | 'path'>): Promise<Now | { readonly rests: Resting }> {
    const { item } = this.work;
    if (this.sourceAccount !== this.context.connections.accountOf(connection))
      return { unread: { cause: 'account', message: begunElsewhere } };
    const found = await this.ask(connection, async () => {
      const connector = await this.context.connections.connector(connection);
      const fetch = () => connector.fetch(path, item.source_id);
      return this.context.slots.request(connection, item.workflow_id, fetch);
    });
    return 'answer' in found ? { record: found.answer?.record ?? null } : found;
  }

  /** What has ended the wait at the places where that may happen, looked at anew. */
  private async elsewhere(until: string): Promise<Pick<Read, 'by'> | Unasked> {
    const { endings } = this.context;
    const { item } = this.work;
    for (const place of await endings.placesOf(item.id)) {
      const looked = await this.ask(place.connection, () => endings.fresh(place, until));
      if (!('answer' in looked)) return looked;
    }
    const by = await endings.ended(item.id);
    return by ? { by } : {};
  }

  private async ask<T>(connection: string, work: () => Promise<T>): Promise<{ readonly answer: T } | Unasked> {
    const { pauses, connections } = this.context;
    const broken = pauses.givenUp(connection);
    if (broken !== undefined) return { unread: { cause: 'connection', message: broken } };
    const pause = pauses.of(connection);
    if (pause) return { rests: { message: pause.reason, until: pause.until, waitsFor: connection } };
    try {
      const answer = await work();
      await this.answered(connection);
      return { answer };
    } catch (error) {
      const noted = isPassing(error) && (await pauses.note(connection, error));
      if (noted)
        return { rests: { message: connections.masked(noted.reason), until: noted.until, waitsFor: connection } };
      await noteBroken(connections, connection, error);
      const told = answerOf(connections, error);
      if (told.kind !== 'refused') throw error;
      return { unread: { cause: told.cause, message: told.message } };
    }
  }
}

/** What a person is told where an item has been begun in another account than the connection leads to now. */
export const begunElsewhere =
  'A part of this was written in another account than the connection leads to now. Go back to that account and retry, or dismiss the rest.';
