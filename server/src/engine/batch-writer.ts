import {
  AppError,
  type BatchResult,
  type BatchWriter,
  Changed,
  type Connector,
  type Replacement,
  Unsure,
  type WriteRequest,
} from '@golden/connectors';
import type { Answer } from '@golden/core';
import type { WriteRow } from '../db/schema.ts';
import { answerOf } from './answers.ts';
import type { EngineContext } from './context.ts';
import { isStored, type NewIntent, storeIntent, writeOf } from './intents.ts';
import { settleBatched } from './settle.ts';

/** What became of one write: an answer, or the fault that kept the app from giving one. */
export type Sent = { readonly row: WriteRow } & (
  | { readonly answer: Answer }
  | {
      readonly fault: unknown;
      /** True when it may have been done all the same, so that it has to be found out about first. */
      readonly mayBeDone: boolean;
    }
);

interface Gathered {
  readonly lane: string;
  /** A write to be made, or one whose intent an earlier try has stored. */
  readonly wish: NewIntent | WriteRow;
  readonly resolve: (sent: Sent) => void;
  readonly reject: (error: unknown) => void;
}

interface Open {
  readonly row: WriteRow;
  readonly request: WriteRequest;
  mayBeDone: boolean;
}

/** Rows in one replacement at the most. */
const mostRows = 5000;
/** Milliseconds between two looks whether more rows come for a replacement, and for how long they are waited for. */
const [lookEvery, mostPatience] = [12, 2000];
/** Looks without another row after which no more are waited for, though something is under way. */
const looksInVain = 5;
/** How often a replacement is made anew because somebody else saved the file meanwhile. */
const mostTries = 6;

/**
 * Gathers the writes to one file into replacements, one at a time. The hashes before and after are
 * on the disk before the file is replaced, so that it can be told afterwards whether it was. The
 * connector is asked for anew each time: a sign-in or a folder may have changed since.
 */
export class FileBatcher {
  private gathered: Gathered[] = [];
  private isBusy = false;

  constructor(
    private readonly context: EngineContext,
    private readonly connectionId: string,
    private readonly file: string,
  ) {}

  /** What became of a write, once the replacement it is part of is in place. Meanwhile others have its item's seat. */
  write(wish: NewIntent | WriteRow, lane: string): Promise<Sent> {
    this.context.seats.leave(isNew(wish) ? wish.item.id : wish.item_id);
    return new Promise((resolve, reject) => {
      this.gathered.push({ wish, lane, resolve, reject });
      if (this.isBusy) return;
      this.isBusy = true;
      void this.work();
    });
  }

  private async work(): Promise<void> {
    while (this.gathered.length > 0) {
      await this.company();
      const some = this.gathered.splice(0, mostRows);
      try {
        await this.replace(some);
      } catch (error) {
        for (const one of some) one.reject(error);
      }
    }
    this.isBusy = false;
  }

  /** Waits for more rows, as long as the workflows of those that are here have others on their way. */
  private async company(): Promise<void> {
    const until = performance.now() + mostPatience;
    for (let inVain = 0; inVain < looksInVain; ) {
      const before = this.gathered.length;
      await new Promise((resolve) => setTimeout(resolve, lookEvery));
      if (this.gathered.length >= mostRows || performance.now() >= until) return;
      const isComing = [...new Set(this.gathered.map(({ lane }) => lane))].some((lane) =>
        this.context.seats.isComing(lane),
      );
      if (!isComing && this.gathered.length === before) return;
      inVain = this.gathered.length === before ? inVain + 1 : 0;
    }
  }

  private async replace(some: readonly Gathered[]): Promise<void> {
    const rows = await this.store(some);
    const sent = new Map<string, Sent>();
    const open = rows.map((row, at): Open => {
      const request = { write: writeOf(row), token: row.token };
      return { row, request, mayBeDone: !isNew(some[at]?.wish) };
    });
    // Nothing else of ours saves the file meanwhile, such as a tab that is made: it would look like somebody else's save.
    const release = await this.context.locks.take(savingOf(this.connectionId, this.file));
    try {
      await this.carryThrough(open, sent);
    } finally {
      release();
    }
    for (const [at, row] of rows.entries())
      some[at]?.resolve(sent.get(row.token) ?? { row, answer: { kind: 'stale' } });
  }

  private async store(some: readonly Gathered[]): Promise<WriteRow[]> {
    const { context } = this;
    const hasNew = some.some(({ wish }) => isNew(wish));
    if (!hasNew) return some.map(({ wish }) => wish as WriteRow);
    context.seams.reach('intent:before-store');
    const rows = await context.commits.run(async (trx) => {
      const stored: WriteRow[] = [];
      for (const { wish } of some) {
        const row = isNew(wish) ? await storeIntent(context, trx, wish) : wish;
        // Nobody is written to by a file.
        if (!isStored(row)) throw new Error('A message was to go into a file.');
        stored.push(row);
      }
      return stored;
    });
    context.seams.reach('intent:after-store');
    return rows;
  }

  private async carryThrough(all: readonly Open[], sent: Map<string, Sent>): Promise<void> {
    let open = [...all];
    try {
      const { connector, account } = await this.context.connections.opened(this.connectionId);
      const { batch } = connector;
      if (!batch) throw new Error('A file’s connection has become one without files.');
      // What is meant for another account than the connection leads to by now isn't written here.
      for (const one of open) if (one.row.account !== account) sent.set(one.row.token, elsewhere(one));
      open = open.filter((one) => one.row.account === account);
      const resumed = open.filter((one) => one.mayBeDone);
      if (resumed.length > 0) {
        const again = new Set(await this.settle(resumed, connector, batch, sent));
        open = open.filter((one) => !resumed.includes(one) || again.has(one));
      }
      for (let tries = 0; tries < mostTries && open.length > 0; tries++)
        open = await this.attempt(open, connector, batch, sent);
    } catch (fault) {
      for (const one of open) if (!sent.has(one.row.token)) sent.set(one.row.token, faultOf(one, fault));
      return;
    }
    for (const one of open) {
      const message = `“${this.file}” is being saved by others all the time. Nothing was written; retry later.`;
      const { row } = one;
      sent.set(row.token, {
        row,
        answer: { kind: 'refused', cause: one.mayBeDone ? 'unsure' : 'connection', message },
      });
    }
  }

  /** One replacement; gives the writes that have to be tried again. @throws AppError when it can't be made now */
  private async attempt(
    open: readonly Open[],
    connector: Connector,
    batch: BatchWriter,
    sent: Map<string, Sent>,
  ): Promise<Open[]> {
    const replacement = await batch.prepare(open.map(({ request }) => request));
    const resultOf = ({ row }: Open): BatchResult | undefined => replacement.results.get(row.token);
    const written = open.filter((one) => resultOf(one)?.kind === 'written');
    for (const one of open) if (!written.includes(one)) sent.set(one.row.token, this.sentOf(one, resultOf(one)));
    if (written.length === 0) return [];
    await this.record(replacement, written);
    try {
      await replacement.commit();
      this.context.seams.reach('file:after-put');
    } catch (error) {
      if (error instanceof Unsure) for (const one of written) one.mayBeDone = true;
      if (error instanceof Changed || error instanceof Unsure) return this.settle(written, connector, batch, sent);
      throw error;
    }
    for (const one of written) sent.set(one.row.token, this.sentOf(one, resultOf(one)));
    return [];
  }

  private sentOf(one: Open, result: BatchResult | undefined): Sent {
    const { row } = one;
    if (result?.kind === 'written') return { row, answer: { kind: 'written', id: result.id } };
    if (result?.kind === 'refused') return faultOf(one, result.error);
    return { row, answer: { kind: 'stale' } };
  }

  private async record(replacement: Replacement, written: readonly Open[]): Promise<void> {
    const { context } = this;
    const id = context.seams.id();
    const rows = written.map(({ row }): [string, string] => {
      const result = replacement.results.get(row.token);
      return [row.token, result?.kind === 'written' ? result.id : ''];
    });
    context.seams.reach('file:before-record');
    await context.commits.run(async (trx) => {
      await trx
        .insertInto('replacement')
        .values({
          id,
          connection: this.connectionId,
          account: written[0]?.row.account ?? this.connectionId,
          file: this.file,
          hash_before: replacement.hashBefore,
          hash_after: replacement.hashAfter,
          rows: JSON.stringify(Object.fromEntries(rows)),
          at: context.seams.now(),
        })
        .execute();
      await trx
        .updateTable('write')
        .set({ replacement_id: id })
        .where(
          'token',
          'in',
          rows.map(([token]) => token),
        )
        .where('replacement_id', 'is', null)
        .execute();
    });
    for (const { row } of written) row.replacement_id ??= id;
    context.seams.reach('file:after-record');
  }

  /** Finds out about writes that may have been done; gives those that are to be sent again. */
  private async settle(
    some: readonly Open[],
    connector: Connector,
    batch: BatchWriter,
    sent: Map<string, Sent>,
  ): Promise<Open[]> {
    const again: Open[] = [];
    for (const one of some) {
      const { row } = one;
      try {
        const settled = await settleBatched(this.context, connector, batch, row);
        if (settled.kind === 'done') {
          const { id, record } = settled;
          sent.set(row.token, { row, answer: { kind: 'written', id, ...(record && { record }) } });
        } else if (settled.kind === 'stale') sent.set(row.token, { row, answer: { kind: 'stale' } });
        else if (settled.kind === 'unknown')
          sent.set(row.token, { row, answer: { kind: 'refused', cause: 'unsure', message: settled.message } });
        else {
          if (settled.kind === 'again' && settled.isNew) one.mayBeDone = false;
          again.push(one);
        }
      } catch (fault) {
        sent.set(row.token, faultOf({ ...one, mayBeDone: true }, fault));
      }
    }
    return again;
  }
}

/** The name of the lock under which we save a file. */
export const savingOf = (connection: string, file: string): string => `saving ${connection}\n${file}`;

const isNew = (wish: NewIntent | WriteRow | undefined): wish is NewIntent => wish !== undefined && 'effect' in wish;

const elsewhere = ({ row, mayBeDone }: Open): Sent => ({
  row,
  answer: mayBeDone
    ? { kind: 'refused', cause: 'unsure', message: 'Its file is in another account than the connection leads to now.' }
    : { kind: 'stale' },
});

const faultOf = ({ row, mayBeDone }: Open, fault: unknown): Sent => ({ row, fault, mayBeDone });

/** What a fault means to a write: a reason for a person; unsure where it may have been done all the same. */
export function answerOfFault({ connections }: EngineContext, fault: unknown, mayBeDone: boolean): Answer {
  if (mayBeDone && fault instanceof AppError) {
    const said = connections.masked(fault.message);
    const message = `It may have been written, and can’t be looked up: ${said}`;
    return { kind: 'refused', cause: 'unsure', message };
  }
  return answerOf(connections, fault);
}
