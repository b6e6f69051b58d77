import {
  atLocal,
  dateOf,
  dayAfter,
  momentText,
  nextOpen,
  type OpenHours,
  type PlannedWrite,
  type WorkflowContent,
} from '@golden/core';
import { sql } from 'kysely';
import { openCalendars } from '../calendars.ts';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import { loadSettings } from '../settings.ts';
import { alreadyIn } from './once.ts';
import { unsubscribedAt } from './unsubscribes.ts';

// Whether a message may leave now: judged in the transaction in which its intent is stored, so that nothing comes
// between, and anew each time that it is planned again. What may have left already is settled first: an app that knows a
// second try by its key is given the same one again.

/** What keeps a message from leaving. */
export type Kept =
  /** Its recipient doesn't want it. */
  | { readonly kind: 'not_sent'; readonly why: string }
  /** Whom its record is about is in the workflow already. */
  | { readonly kind: 'left_out'; readonly why: string }
  /** It goes out later. */
  | { readonly kind: 'later'; readonly until: string; readonly message: string };

/** A message that is about to leave. */
export interface Leaving {
  readonly item: Pick<ItemRow, 'id' | 'workflow_id' | 'source_id' | 'item_state'>;
  readonly content: WorkflowContent;
  readonly write: PlannedWrite;
}

/** What keeps a write from leaving now; undefined for what goes to nobody, and for what may go. */
export async function whyKept(trx: Trx, { item, content, write }: Leaving, now: string): Promise<Kept | undefined> {
  const { message } = write;
  if (!message) return undefined;
  const settings = await loadSettings(trx);
  const zone = content.zone ?? settings.zone;
  const isNews = message.purpose === 'news';
  const unwanted = await whyUnwanted(trx, write, content);
  if (unwanted !== undefined) return { kind: 'not_sent', why: unwanted };
  const already = await alreadyIn(trx, item, content);
  if (already !== undefined) return { kind: 'left_out', why: already };
  const { messagesADay } = content.start;
  const { mostADay, calendar } = settings.news;
  const hours = isNews && calendar !== '' ? await hoursNamed(trx, calendar, now) : undefined;
  const open = hours ? nextOpen(Date.parse(now), hours, zone) : Date.parse(now);
  if (open > Date.parse(now)) return later(open, zone, 'News goes out in your hours for it.');
  const day = dateOf(Date.parse(now), zone);
  const begin = new Date(atLocal(day, '00:00', zone)).toISOString();
  const tomorrow = (): number => {
    const next = atLocal(dayAfter(day), '00:00', zone);
    return hours ? nextOpen(next, hours, zone) : next;
  };
  if (messagesADay !== undefined && (await sentBy(trx, item.workflow_id, begin)) >= messagesADay)
    return later(tomorrow(), zone, `${messagesADay} messages have gone out today, as many as may.`);
  if (!isNews || mostADay === 0) return undefined;
  for (const contact of message.to)
    if ((await sentTo(trx, contact, begin)) >= mostADay)
      return later(tomorrow(), zone, `${contact} has had ${mostADay} today, as many as may be.`);
  return undefined;
}

/** Why somebody gets no news; undefined for who does, and for what isn't news. */
export async function whyUnwanted(
  db: Db | Trx,
  { message }: Pick<PlannedWrite, 'message'>,
  content: WorkflowContent,
): Promise<string | undefined> {
  if (message?.purpose !== 'news') return undefined;
  for (const contact of message.to) {
    const since = await unsubscribedAt(db, contact);
    if (since === undefined) continue;
    const zone = content.zone ?? (await loadSettings(db)).zone;
    return `${contact} unsubscribed on ${momentText(since, zone)}.`;
  }
  return undefined;
}

const later = (until: number, zone: string, why: string): Kept => {
  const at = new Date(until).toISOString();
  return { kind: 'later', until: at, message: `${why} It goes out on ${momentText(at, zone)}.` };
};

async function hoursNamed(trx: Trx, id: string, now: string): Promise<OpenHours | undefined> {
  return (await openCalendars(trx, now)).find((one) => one.id === id);
}

// What certainly never left doesn't count.
const counts = sql<boolean>`NOT EXISTS (SELECT 1 FROM write WHERE write.token = sent_message.token AND write.status = 'void')`;

async function sentTo(trx: Trx, contact: string, since: string): Promise<number> {
  const { count } = await trx
    .selectFrom('sent_message')
    .select((eb) => eb.fn.countAll<number>().as('count'))
    .where('contact', '=', contact)
    .where('at', '>=', since)
    .where(counts)
    .executeTakeFirstOrThrow();
  return count;
}

async function sentBy(trx: Trx, workflow: string, since: string): Promise<number> {
  const { count } = await trx
    .selectFrom('sent_message')
    .select((eb) => eb.fn.count<number>('token').distinct().as('count'))
    .where('workflow_id', '=', workflow)
    .where('at', '>=', since)
    .where(counts)
    .executeTakeFirstOrThrow();
  return count;
}

/** Notes a message whose intent is stored, for each of those whom it goes to. */
export async function noteLeaving(trx: Trx, row: WriteRow, workflow: string, write: PlannedWrite): Promise<void> {
  const { purpose, to } = write.message ?? { purpose: 'service', to: [] };
  if (to.length === 0) return;
  const { token, item_id, step, at } = row;
  await trx
    .insertInto('sent_message')
    .values(to.map((contact) => ({ token, contact, purpose, workflow_id: workflow, item_id, step, at })))
    .onConflict((conflict) => conflict.doNothing())
    .execute();
}
