import { mailType } from '@golden/connectors';
import type { Field } from '@golden/core';
import type { Arrivals, Stored } from '../../arrivals/arrivals.ts';
import type { GroupCommit } from '../../db/group-commit.ts';
import type { Db } from '../../db/open.ts';
import type { MailDoorTable } from '../../db/schema.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Events } from '../../events.ts';
import type { Seams } from '../../seams.ts';
import { loadSettings } from '../../settings.ts';
import { keepPast } from '../doors.ts';
import {
  type Forwarding,
  ForwardingSchema,
  type MailDoorSetting,
  MailDoorSettingSchema,
  newMailDoorSetting,
} from './setting.ts';

/** The domain of addresses that only this machine reaches (RFC 6761: names under localhost never leave it). */
export const ownDomain = 'relay.localhost';

/** What a mail at an address consists of: as in a mailbox, but for what only a mailbox has. */
const mailFields: readonly Field[] = mailType('', [])
  .fields.filter(({ path }) => !['/read', '/folder'].includes(path))
  .map((field) => ({ ...field, readOnly: true }));

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly arrivals: Arrivals;
  readonly events: Events;
  readonly seams: Seams;
}

/** An address as it is used: its setting read. */
export interface MailDoor {
  readonly inbox: string;
  readonly setting: MailDoorSetting;
  readonly forwarding: Forwarding | null;
  readonly provenBy: string | null;
}

/** The addresses to which mails are sent: each belongs to one inbox. */
export class MailDoors {
  /** The mail port of this machine. */
  port = 2525;
  /** Why no mails are taken there, in a sentence; null where they are. */
  trouble: string | null = null;

  constructor(private readonly parts: Parts) {}

  /** A new inbox with an address of its own; gives the connection and path under which it is a source. */
  async add(name: string): Promise<{ readonly connection: string; readonly path: string[] }> {
    const inbox = await this.parts.arrivals.addInbox({ name, singular: 'mail', plural: 'mails', fields: mailFields });
    await this.open(inbox.path[0] ?? '', name, newMailDoorSetting);
    return inbox;
  }

  /** Gives an inbox an address. */
  async open(inbox: string, name: string, setting: MailDoorSetting): Promise<void> {
    const { db, seams } = this.parts;
    await db
      .insertInto('mail_door')
      .values({
        inbox_id: inbox,
        address: newLocalPart(name, seams),
        setting: JSON.stringify(setting),
        forwarding: null,
        proven_by: null,
        made_at: seams.now(),
      })
      .execute();
  }

  /** The domains under which mails are taken; the first is the one that is shown. */
  async domains(): Promise<readonly [string, ...string[]]> {
    const { mailDomain } = await loadSettings(this.parts.db);
    return mailDomain === '' ? [ownDomain] : [mailDomain, ownDomain];
  }

  /** The door at what stands before the @; 'past' for one that was there before, undefined for none. */
  async at(local: string): Promise<MailDoor | { readonly past: string } | undefined> {
    const { db } = this.parts;
    const address = local.toLowerCase();
    const row = await db.selectFrom('mail_door').selectAll().where('address', '=', address).executeTakeFirst();
    if (row) return opened(row);
    const past = await db.selectFrom('door_past').selectAll().where('address', '=', address).executeTakeFirst();
    return past && { past: past.inbox_id };
  }

  /** The door of an inbox, with its whole address. @throws NotPossible where it has none */
  async of(inbox: string): Promise<MailDoor & { readonly address: string; readonly isPublic: boolean }> {
    const row = await this.row(inbox);
    const [domain] = await this.domains();
    return { ...opened(row), address: `${row.address}@${domain}`, isPublic: domain !== ownDomain };
  }

  /** How far forwarding to an inbox's address has come; null where none is set up, or it has no address. */
  async forwardingOf(inbox: string): Promise<Forwarding | null> {
    const row = await this.parts.db
      .selectFrom('mail_door')
      .selectAll()
      .where('inbox_id', '=', inbox)
      .executeTakeFirst();
    return row ? opened(row).forwarding : null;
  }

  /** Changes who may send, and whose checks count. */
  async change(inbox: string, setting: MailDoorSetting): Promise<void> {
    await this.row(inbox);
    await this.set(inbox, { setting: JSON.stringify(setting) });
  }

  /** Gives an inbox another address; who sends to the old one is told that it is gone, and forwarding is set up anew. */
  async renew(inbox: string): Promise<void> {
    const { commits, seams, db } = this.parts;
    const row = await this.row(inbox);
    const { name } = await db.selectFrom('inbox').select('name').where('id', '=', inbox).executeTakeFirstOrThrow();
    await commits.run(async (trx) => {
      await keepPast(trx, row, seams.now());
      await trx
        .updateTable('mail_door')
        .set({ address: newLocalPart(name, seams), proven_by: null, forwarding: null })
        .where('inbox_id', '=', inbox)
        .where('address', '=', row.address)
        .execute();
    });
    this.tell(inbox);
  }

  /** Takes the address of an inbox away that no workflow starts from any more: who sends there is told that it is gone. */
  async closeUnused(inbox: string, used: ReadonlySet<string>): Promise<void> {
    const { db, commits, seams } = this.parts;
    const row = await db.selectFrom('mail_door').selectAll().where('inbox_id', '=', inbox).executeTakeFirst();
    if (!row || used.has(inbox)) return;
    await commits.run(async (trx) => {
      await keepPast(trx, row, seams.now());
      await trx.deleteFrom('mail_door').where('inbox_id', '=', inbox).execute();
    });
  }

  /** How far forwarding has come from now on; null where none is set up. */
  async setForwarding(inbox: string, forwarding: Forwarding | null): Promise<void> {
    await this.set(inbox, { forwarding: forwarding && JSON.stringify(forwarding) });
  }

  /** A mail has come in by a domain that others reach. */
  async proven(inbox: string, by: string): Promise<void> {
    await this.set(inbox, { proven_by: by });
  }

  /** Stores what came, and tells whoever looks. */
  async store(came: Parameters<Arrivals['store']>[0]): Promise<Stored> {
    const stored = await this.parts.arrivals.store(came);
    this.tell(came.inbox);
    return stored;
  }

  tell(inbox: string): void {
    this.parts.events.tell({ topic: 'door', id: inbox });
  }

  private async set(inbox: string, values: Partial<MailDoorTable>): Promise<void> {
    await this.parts.db.updateTable('mail_door').set(values).where('inbox_id', '=', inbox).execute();
    this.tell(inbox);
  }

  private async row(inbox: string): Promise<MailDoorTable> {
    const row = await this.parts.db
      .selectFrom('mail_door')
      .selectAll()
      .where('inbox_id', '=', inbox)
      .executeTakeFirst();
    if (!row) throw new NotPossible('No mails are sent here: this source has no address of its own.');
    return row;
  }
}

const opened = (row: MailDoorTable): MailDoor => ({
  inbox: row.inbox_id,
  setting: MailDoorSettingSchema.parse(JSON.parse(row.setting)),
  forwarding: row.forwarding === null ? null : ForwardingSchema.parse(JSON.parse(row.forwarding)),
  provenBy: row.proven_by,
});

/** What stands before the @: what it is for, as far as plain letters say it, and ten signs that nobody guesses. */
function newLocalPart(name: string, { id }: Seams): string {
  const plain = name
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .slice(0, 24)
    .replace(/^-+|-+$/g, '');
  const random = BigInt(`0x${id().replaceAll('-', '')}`)
    .toString(36)
    .slice(-10);
  return `${plain || 'mails'}-${random}`;
}
