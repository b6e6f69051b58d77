import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { UnsubscribedHow } from '../db/schema.ts';
import { linkMark, type WaitLinkParts } from '../engine/wait-link-parts.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import { unsubscribe, unsubscribedAt } from './unsubscribes.ts';

/** A link as it was opened. `step` is the message that it stands in; '' for all of its record. */
export interface UnsubscribeAsked {
  readonly itemId: string;
  readonly mark: string;
  readonly step: string;
}

/** What a link is good for: it acts, it has acted, nothing was sent by it (as in a trial), or it is none of ours. */
export interface UnsubscribeState {
  readonly state: 'open' | 'done' | 'nothing' | 'unknown';
  /** Whom it is about. */
  readonly contacts: readonly string[];
}

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly seams: Seams;
  readonly events: Events;
  readonly sealing: WaitLinkParts['sealing'];
}

/** The links by which recipients of news unsubscribe. They hold for ever, also when their workflow is long gone. */
export class UnsubscribeLinks {
  constructor(private readonly parts: Parts) {}

  /** What is known of a link; changes nothing. */
  async look({ itemId, mark, step }: UnsubscribeAsked): Promise<UnsubscribeState> {
    const { db, sealing } = this.parts;
    if (mark !== linkMark(sealing, 'unsubscribe', itemId)) return { state: 'unknown', contacts: [] };
    let sent = db.selectFrom('sent_message').select('contact').distinct().where('item_id', '=', itemId);
    if (step !== '') sent = sent.where('step', '=', step);
    const contacts = (await sent.orderBy('contact').execute()).map(({ contact }) => contact);
    if (contacts.length === 0) return { state: 'nothing', contacts };
    for (const contact of contacts)
      if ((await unsubscribedAt(db, contact)) === undefined) return { state: 'open', contacts };
    return { state: 'done', contacts };
  }

  /** Unsubscribes whom a link is about. Used twice it does it once. */
  async use(asked: UnsubscribeAsked, how: UnsubscribedHow): Promise<UnsubscribeState> {
    const { commits, events } = this.parts;
    const seen = await this.look(asked);
    if (seen.state !== 'open') return seen;
    await commits.run(async (trx) => {
      for (const contact of seen.contacts) await unsubscribe(this.parts, trx, { contact, how, itemId: asked.itemId });
    });
    events.tell({ topic: 'workspace' });
    return { ...seen, state: 'done' };
  }
}

/** An address as its owner knows it again: "ad…@clay.example", or the end of a number. */
export function partly(contact: string): string {
  const at = contact.lastIndexOf('@');
  if (at > 0) return `${contact.slice(0, Math.min(2, at))}…${contact.slice(at)}`;
  return `…${contact.slice(-3)}`;
}
