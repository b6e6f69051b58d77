import type { Connector } from '@golden/connectors';
import type { Answer, Effect, Found, Target } from '@golden/core';
import { baseOf } from '../../in-step/pairs.ts';
import { withPartners } from '../../in-step/partner.ts';
import type { AccountPlace } from '../../matching/links.ts';
import type { EngineContext } from '../context.ts';
import type { ItemAccounts } from '../item-accounts.ts';
import { withLastWrites } from '../last-written.ts';

/** For whom something is asked: the workflow whose turn it is, and whose ids are meant. */
export interface Asker {
  readonly context: EngineContext;
  readonly lane: string;
  readonly accounts: ItemAccounts;
}

/** An effect that changes nothing. */
export type ReadingEffect = Exclude<Effect, { kind: 'write' | 'handOver' | 'handedBack' }>;

/** How one kind of reading effect is carried out. @throws AppError, UnknownConnection, CannotUnseal */
export type Reading<K extends ReadingEffect['kind']> = (
  asker: Asker,
  effect: Extract<ReadingEffect, { kind: K }>,
) => Promise<Answer>;

/**
 * Asks an app when there is room for it. What stands in a file isn't waited for: all who ask at the same moment
 * share one look at it.
 */
export function ask<T>(
  { context, lane }: Pick<Asker, 'context' | 'lane'>,
  connection: string,
  connector: Connector,
  question: () => Promise<T>,
): Promise<T> {
  return connector.batch ? question() : context.slots.request(connection, lane, question);
}

/** One record as its app has it now, with what the app made of our own values. */
export async function readRecord(asker: Asker, target: Target, id: string): Promise<Found | null> {
  const { context, accounts } = asker;
  const connector = await context.connections.connector(target.connection);
  const there = await ask(asker, target.connection, connector, () => connector.fetch(target.path, id));
  const place = { account: accounts.of(target.connection), path: target.path };
  if (!there) {
    await context.mirrors.note(place, id, null);
    return null;
  }
  const [found] = await withWhatIsKnown(asker, place, [{ id, record: there.record }]);
  return found ?? null;
}

/** Found records with what is remembered of each: what was sent to it last, and of a pair in step whose it is. */
export async function withWhatIsKnown(
  { context: { db }, lane, accounts }: Asker,
  place: AccountPlace,
  found: readonly Found[],
): Promise<Found[]> {
  const { workflow: content } = accounts;
  const source = { account: accounts.source, path: content.start.source?.path ?? [] };
  const known = await withLastWrites(db, baseOf(content, lane), place.account, place.path, found);
  return withPartners(db, { content, workflow: lane, source }, place, known);
}
