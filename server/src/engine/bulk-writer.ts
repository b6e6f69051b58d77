import { AppError, type BulkSender, type Connector, Unsure } from '@golden/connectors';
import type { Kept } from '../consent/may-send.ts';
import type { WriteRow } from '../db/schema.ts';
import type { Sent } from './batch-writer.ts';
import type { EngineContext } from './context.ts';
import { sendOnce } from './direct-writer.ts';
import { isStored, type NewIntent, storeIntent, writeOf } from './intents.ts';

interface Gathered {
  readonly intent: NewIntent;
  readonly resolve: (sent: Sent | Kept) => void;
  readonly reject: (error: unknown) => void;
}

/** Milliseconds between two looks whether more come, and for how long they are waited for at the most. */
const [lookEvery, mostPatience] = [8, 400];

/**
 * Gathers new records of one place into calls that take many at once, up to the app's own limit. Each has an intent, a
 * result and a reason of its own. Which ones went together is stored with them, before the call leaves: so that after a
 * break-off the very same call can be sent again, or each is found out about by itself.
 */
export class BulkWriter {
  private gathered: Gathered[] = [];
  private isBusy = false;

  constructor(
    private readonly context: EngineContext,
    private readonly connection: string,
  ) {}

  /** Makes one record, together with others that are ready by then. */
  write(connector: Connector, bulk: BulkSender, intent: NewIntent): Promise<Sent | Kept> {
    return new Promise((resolve, reject) => {
      this.gathered.push({ intent, resolve, reject });
      if (!this.isBusy) void this.empty(connector, bulk);
    });
  }

  private async empty(connector: Connector, bulk: BulkSender): Promise<void> {
    this.isBusy = true;
    try {
      while (this.gathered.length > 0) {
        await this.waitForMore(bulk.most);
        await this.send(connector, bulk, this.gathered.splice(0, bulk.most));
      }
    } finally {
      this.isBusy = false;
    }
  }

  /** Others may be on their way here: as long as one comes with each look, the next is waited for. */
  private async waitForMore(most: number): Promise<void> {
    for (let waited = 0, count = 0; waited < mostPatience && this.gathered.length < most; waited += lookEvery) {
      if (count === this.gathered.length) return;
      count = this.gathered.length;
      await new Promise((resolve) => setTimeout(resolve, lookEvery));
    }
  }

  private async send(connector: Connector, bulk: BulkSender, all: readonly Gathered[]): Promise<void> {
    const { context } = this;
    try {
      context.seams.reach('intent:before-store');
      const stored = await context.commits.run(async (trx) => {
        const rows: (WriteRow | Kept)[] = [];
        for (const { intent } of all) rows.push(await storeIntent(context, trx, intent));
        const members = rows.filter(isStored).map(({ token }) => token);
        const [id] = members;
        if (id !== undefined && members.length > 1)
          await trx
            .insertInto('write_call')
            .values(members.map((token, at) => ({ token, call_id: id, at })))
            .execute();
        return rows;
      });
      context.seams.reach('intent:after-store');
      const rows = stored.filter(isStored);
      const sent = new Map<string, Sent>();
      for (const one of await this.sendRows(connector, bulk, rows, false)) sent.set(one.row.token, one);
      all.forEach(({ resolve }, at) => {
        const row = stored[at] as WriteRow | Kept;
        resolve(isStored(row) ? (sent.get(row.token) as Sent) : row);
      });
    } catch (error) {
      for (const { reject } of all) reject(error);
    }
  }

  /** One alone goes as it would without others. */
  private async sendRows(
    connector: Connector,
    bulk: BulkSender,
    rows: readonly WriteRow[],
    isAgain: boolean,
  ): Promise<Sent[]> {
    const { context, connection } = this;
    const [first, ...others] = rows;
    if (!first) return [];
    const lane = first.item_id;
    if (others.length === 0) return [await sendOnce(context, connector, first, lane, isAgain)];
    const requests = rows.map((row) => ({ write: writeOf(row), token: row.token }));
    context.seams.reach('send:before');
    try {
      const results = await context.slots.request(connection, lane, () => bulk.send(requests, first.token));
      context.seams.reach('send:after');
      return rows.map((row, at): Sent => {
        const result = results[at] ?? new Unsure('The app didn’t say what became of this one.');
        if (!(result instanceof AppError)) return { row, answer: { kind: 'written', ...result } };
        return { row, fault: result, mayBeDone: isAgain || result instanceof Unsure };
      });
    } catch (fault) {
      const mayBeDone = isAgain || fault instanceof Unsure || !(fault instanceof AppError);
      return rows.map((row): Sent => ({ row, fault, mayBeDone }));
    }
  }

  /** The calls that are being sent again, by their ids: all of their members ask for it at once. */
  private readonly again = new Map<string, Promise<Map<string, Sent>>>();

  /** Sends the call that a write went with once more, unchanged: for an app that does the same call once. */
  async sendAgain(connector: Connector, bulk: BulkSender, row: WriteRow): Promise<Sent | undefined> {
    const { db } = this.context;
    const member = await db
      .selectFrom('write_call')
      .select('call_id')
      .where('token', '=', row.token)
      .executeTakeFirst();
    if (!member) return undefined;
    const known = this.again.get(member.call_id) ?? this.wholeAgain(connector, bulk, member.call_id);
    this.again.set(member.call_id, known);
    return (await known).get(row.token);
  }

  private async wholeAgain(connector: Connector, bulk: BulkSender, call: string): Promise<Map<string, Sent>> {
    const rows = await this.context.db
      .selectFrom('write_call')
      .innerJoin('write', 'write.token', 'write_call.token')
      .selectAll('write')
      .where('write_call.call_id', '=', call)
      .orderBy('write_call.at')
      .execute();
    try {
      const sent = await this.sendRows(connector, bulk, rows, true);
      return new Map(sent.map((one) => [one.row.token, one]));
    } finally {
      // Asked for again later it is sent again: its answer may be another by then.
      setTimeout(() => this.again.delete(call), 1000).unref();
    }
  }
}
