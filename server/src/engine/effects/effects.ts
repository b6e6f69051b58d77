import type { Answer, Target } from '@golden/core';
import type { Kept } from '../../consent/may-send.ts';
import type { WriteRow } from '../../db/schema.ts';
import { FileBatcher, type Sent } from '../batch-writer.ts';
import { BulkWriter } from '../bulk-writer.ts';
import type { EngineContext } from '../context.ts';
import { sendOnce, writeDirect } from '../direct-writer.ts';
import type { NewIntent } from '../intents.ts';
import type { ItemAccounts } from '../item-accounts.ts';
import { type Settled, settleDirect } from '../settle.ts';
import { PlaceMakers } from './make-place.ts';
import type { ReadingEffect } from './reading.ts';
import { carryOut } from './registry.ts';

/** What came of finding out about a write: how it stands, or a fault that kept that from being told. */
export type Resumed = Sent | { readonly row: WriteRow; readonly settled: Exclude<Settled, { kind: 'again' }> };

/** What is said of a write whose account can't be reached any more. */
const inAnotherAccount =
  'It was sent to another account than the connection leads to now, so it can’t be found out whether it was written. Look there, then accept it or send it again.';

/** Carries effects out through connectors, for real. */
export class Effects {
  private readonly batchers = new Map<string, FileBatcher>();
  private readonly bulkWriters = new Map<string, BulkWriter>();
  /** When requests left that have had no answer, by the time that has passed in this process. */
  private readonly sentAt = new Map<string, number>();

  private readonly makers: PlaceMakers;

  constructor(private readonly context: EngineContext) {
    this.makers = new PlaceMakers(context);
  }

  /** Asks for what changes nothing. @throws AppError, UnknownConnection, CannotUnseal */
  read(effect: ReadingEffect, lane: string, accounts: ItemAccounts): Promise<Answer> {
    return carryOut({ context: this.context, lane, accounts }, effect);
  }

  /** Makes the place of a write where it is missing and that was chosen. @throws AppError */
  async makePlace(target: Target): Promise<void> {
    if (target.likeLast) await this.makers.make(await this.context.connections.connector(target.connection), target);
  }

  /** Makes a write for the first time; gives what keeps a message from leaving, where something does. */
  async write(wish: Omit<NewIntent, 'account'>): Promise<Sent | Kept> {
    const { connection, path } = wish.effect.write.target;
    const { connector, account } = await this.context.connections.opened(connection);
    const intent = { ...wish, account };
    const bulk = wish.effect.write.kind === 'create' ? connector.bulk?.(path) : undefined;
    const sent = connector.batch
      ? await this.batcher(connection, connector.batch.groupOf(path)).write(intent, wish.item.workflow_id)
      : bulk
        ? await this.bulkWriter(connection, path).write(connector, bulk, intent)
        : await writeDirect(this.context, connector, intent);
    if ('row' in sent) this.noteSent(sent);
    return sent;
  }

  /**
   * Finds out about a write that may have been done, and sends it again where the app recognises it.
   * @throws AppError when the app can't be asked now
   */
  async resume(row: WriteRow, lane: string): Promise<Resumed> {
    const { connector, account } = await this.context.connections.opened(row.connection);
    if (account !== row.account) return { row, settled: { kind: 'unknown', message: inAnotherAccount } };
    if (connector.batch)
      return this.batcher(row.connection, connector.batch.groupOf(JSON.parse(row.place))).write(row, lane);
    const settled = await settleDirect(connector, row, this.ageOf(row));
    if (settled.kind !== 'again') {
      if (settled.kind !== 'later') this.sentAt.delete(row.token);
      return { row, settled };
    }
    const path = JSON.parse(row.place) as string[];
    const bulk = connector.bulk?.(path);
    // The very same call, with all that went in it: the app knows it by its key.
    const whole = bulk && (await this.bulkWriter(row.connection, path).sendAgain(connector, bulk, row));
    const sent = whole ?? (await sendOnce(this.context, connector, row, lane, true));
    this.noteSent(sent);
    return sent;
  }

  private noteSent(sent: Sent): void {
    if ('fault' in sent && sent.mayBeDone) this.sentAt.set(sent.row.token, this.context.seams.uptime());
    else this.sentAt.delete(sent.row.token);
  }

  /** Milliseconds since a write may have left: exactly in this process, by the clock for one that an earlier process sent. */
  private ageOf(row: WriteRow): number {
    const { seams } = this.context;
    const sentAt = this.sentAt.get(row.token);
    // A clock that was put back since must not lengthen the wait.
    return sentAt === undefined ? Math.max(0, Date.parse(seams.now()) - Date.parse(row.at)) : seams.uptime() - sentAt;
  }

  private bulkWriter(connection: string, path: readonly string[]): BulkWriter {
    const name = `${connection}\n${path.join('\n')}`;
    const known = this.bulkWriters.get(name) ?? new BulkWriter(this.context, connection);
    this.bulkWriters.set(name, known);
    return known;
  }

  private batcher(connection: string, file: string): FileBatcher {
    const name = `${connection}\n${file}`;
    const known = this.batchers.get(name) ?? new FileBatcher(this.context, connection, file);
    this.batchers.set(name, known);
    return known;
  }
}
