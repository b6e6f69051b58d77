import { comesByItself, type Field, fieldsOfExample, tellingOf, type WorkflowContent } from '@golden/core';
import { type Arrivals, joinFields, type Stored } from '../arrivals/arrivals.ts';
import type { ByteStore } from '../arrivals/byte-store.ts';
import { readBody } from '../arrivals/read-body.ts';
import type { GroupCommit, Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { DoorTable } from '../db/schema.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import type { Redaction } from '../secrets/redaction.ts';
import type { Sealing } from '../secrets/sealing.ts';
import type { Workflows } from '../workflows.ts';
import { isNetwork } from './access.ts';
import type { PublicAddress } from './public-address.ts';
import { type Access, type DoorSetting, DoorSettingSchema, newDoorSetting } from './setting.ts';

/** How long somebody waits for an event at a time, in milliseconds. */
const patience = 15 * 60_000;

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly arrivals: Arrivals;
  readonly bytes: ByteStore;
  readonly sealing: Sealing;
  readonly redaction: Redaction;
  readonly events: Events;
  readonly seams: Seams;
}

/** A door as it is used: its setting read, its secret unsealed. */
export interface Door {
  readonly inbox: string;
  readonly setting: DoorSetting;
  readonly secret: string;
  readonly isWaitedFor: boolean;
  readonly provenBy: string | null;
}

/** The addresses at which events are posted: each belongs to one inbox. */
export class Doors {
  constructor(private readonly parts: Parts) {}

  /** A new inbox with an address of its own; gives the connection and path under which it is a source. */
  async add(name: string): Promise<{ readonly connection: string; readonly path: string[] }> {
    const inbox = await this.parts.arrivals.addInbox({ name, singular: 'event', plural: 'events' });
    await this.open(inbox.path[0] ?? '', newDoorSetting);
    return inbox;
  }

  /** Gives an inbox an address, with a secret of its own. */
  async open(inbox: string, setting: DoorSetting): Promise<void> {
    const { db, seams } = this.parts;
    const secret = this.newSecret(setting.access);
    await db
      .insertInto('door')
      .values({
        inbox_id: inbox,
        address: newAddress(seams),
        setting: JSON.stringify(setting),
        secret: this.parts.sealing.seal(secret),
        waiting_until: null,
        proven_by: null,
        made_at: seams.now(),
      })
      .execute();
  }

  /** A secret of the kind that a way of signing has. */
  newSecret(access: Access): string {
    const random = Buffer.from(`${this.parts.seams.id()}${this.parts.seams.id()}`.replaceAll('-', ''), 'hex');
    return access.kind === 'standard' ? `whsec_${random.toString('base64')}` : random.toString('base64url');
  }

  /** The door at an address; 'past' for one that was there before, undefined for none. */
  async at(address: string): Promise<Door | { readonly past: string; readonly endedAt: string } | undefined> {
    const { db } = this.parts;
    const row = await db.selectFrom('door').selectAll().where('address', '=', address).executeTakeFirst();
    if (row) return this.opened(row);
    const past = await db.selectFrom('door_past').selectAll().where('address', '=', address).executeTakeFirst();
    return past && { past: past.inbox_id, endedAt: past.ended_at };
  }

  /** The door of an inbox. @throws NotPossible where it has none */
  async of(inbox: string): Promise<Door & { readonly address: string; readonly waitingUntil: string | null }> {
    const row = await this.row(inbox);
    return { ...this.opened(row), address: row.address, waitingUntil: row.waiting_until };
  }

  private opened(row: DoorTable): Door {
    const { sealing, redaction, seams } = this.parts;
    const secret = row.secret === null ? '' : sealing.unseal(row.secret);
    if (secret !== '') redaction.learn(secret);
    return {
      inbox: row.inbox_id,
      setting: DoorSettingSchema.parse(JSON.parse(row.setting)),
      secret,
      isWaitedFor: row.waiting_until !== null && row.waiting_until > seams.now(),
      provenBy: row.proven_by,
    };
  }

  private async row(inbox: string): Promise<DoorTable> {
    const row = await this.parts.db.selectFrom('door').selectAll().where('inbox_id', '=', inbox).executeTakeFirst();
    if (!row) throw new NotPossible('Nothing is posted here: this source has no address of its own.');
    return row;
  }

  /**
   * Changes what is set. A way of proving who posts that needs another kind of secret gets a new one.
   *
   * @param secret - one that the sender has made; a new one of ours when absent and needed
   * @throws NotPossible where a network is none
   */
  async change(inbox: string, setting: DoorSetting, secret?: string): Promise<void> {
    const { db, sealing } = this.parts;
    const strange = setting.networks.find((one) => !isNetwork(one));
    if (strange !== undefined)
      throw new NotPossible(
        `“${strange}” is no network. Write an address such as 203.0.113.7, or a range such as 203.0.113.0/24.`,
      );
    const before = await this.of(inbox);
    const isOther = before.setting.access.kind !== setting.access.kind;
    const next = secret ?? (isOther || before.secret === '' ? this.newSecret(setting.access) : before.secret);
    if (setting.access.kind === 'standard' && !/^(whsec_)?[\w+/=-]{24,}$/.test(next))
      throw new NotPossible(
        'A secret of Standard Webhooks begins with whsec_, with at least 24 signs of base64 behind it.',
      );
    await db
      .updateTable('door')
      .set({ setting: JSON.stringify(setting), secret: sealing.seal(next) })
      .where('inbox_id', '=', inbox)
      .execute();
    this.tell(inbox);
  }

  /** Gives a door another address; at the old one callers are told that it is gone. */
  async renew(inbox: string): Promise<void> {
    const { commits, seams } = this.parts;
    const row = await this.row(inbox);
    await commits.run(async (trx) => {
      await keepPast(trx, row, seams.now());
      await trx
        .updateTable('door')
        .set({ address: newAddress(seams), proven_by: null })
        .where('inbox_id', '=', inbox)
        .where('address', '=', row.address)
        .execute();
    });
    this.tell(inbox);
  }

  /** Closes the door of an inbox that no workflow starts from any more: its callers are told that it is gone. */
  async closeUnused(inbox: string, used: ReadonlySet<string>): Promise<void> {
    const { db, commits, seams } = this.parts;
    const row = await db.selectFrom('door').selectAll().where('inbox_id', '=', inbox).executeTakeFirst();
    if (!row || used.has(inbox)) return;
    await commits.run(async (trx) => {
      await keepPast(trx, row, seams.now());
      await trx.deleteFrom('door').where('inbox_id', '=', inbox).execute();
    });
  }

  /** Somebody waits for an event from now on, or no more. */
  async wait(inbox: string, isWaiting: boolean): Promise<void> {
    const { db, seams } = this.parts;
    const until = isWaiting ? new Date(Date.parse(seams.now()) + patience).toISOString() : null;
    await db.updateTable('door').set({ waiting_until: until }).where('inbox_id', '=', inbox).execute();
    this.tell(inbox);
  }

  /** Something has come in by a public address. */
  async proven(inbox: string, by: string): Promise<void> {
    await this.parts.db.updateTable('door').set({ proven_by: by }).where('inbox_id', '=', inbox).execute();
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

  /**
   * The fields of an inbox learnt anew from some of what came, so that those that no event has any more
   * go. What is mapped stays; the editor tells what has changed.
   */
  async learn(inbox: string, keys: readonly string[]): Promise<void> {
    const { db, bytes } = this.parts;
    let fields: Field[] = [];
    for (const key of keys) {
      const row = await db
        .selectFrom('arrival')
        .selectAll()
        .where('inbox_id', '=', inbox)
        .where('key', '=', key)
        .where('emptied_at', 'is', null)
        .executeTakeFirst();
      if (!row) throw new NotPossible('This event isn’t there any more. Load the list again.');
      const reading = await readBody(row.media_type, row.body ?? (await bytes.get(row.hash)));
      if (reading.ok) fields = joinFields(fields, fieldsOfExample(reading.record));
    }
    await db
      .updateTable('inbox')
      .set({ fields: JSON.stringify(fields) })
      .where('id', '=', inbox)
      .execute();
    this.tell(inbox);
  }
}

/** An address that holds no more is known all the same: its callers are told. */
export async function keepPast(
  trx: Trx,
  { address, inbox_id }: Pick<DoorTable, 'address' | 'inbox_id'>,
  ended_at: string,
): Promise<void> {
  await trx
    .insertInto('door_past')
    .values({ address, inbox_id, ended_at })
    .onConflict((conflict) => conflict.doNothing())
    .execute();
}

/** The inboxes from which a workflow starts, live or as a draft. */
export async function inboxesInUse(workflows: Workflows): Promise<ReadonlySet<string>> {
  const used = new Set<string>();
  for (const { id, draft, liveVersion } of await workflows.list()) {
    const live = liveVersion === null ? undefined : await workflows.readableVersion(id, liveVersion);
    for (const start of [draft.start, live?.content.start])
      if (start) for (const inbox of doorsOf(start)) used.add(inbox);
  }
  return used;
}

/** The inboxes whose addresses a start uses: its own, and that of events that only tell of its records. */
export function doorsOf(start: WorkflowContent['start']): string[] {
  const own = comesByItself(start) ? [start.source?.path[0] ?? ''] : [];
  const telling = tellingOf(start)?.inbox;
  return telling === undefined ? own : [...own, telling];
}

/**
 * An address that others are to post to goes live once something has come in by it: until then nobody knows that the
 * way is open. @throws NotPossible
 */
export async function expectReached(
  { db, publicAddress }: { readonly db: Db; readonly publicAddress: PublicAddress },
  { start }: WorkflowContent,
): Promise<void> {
  const address = await publicAddress.address();
  if (start.trigger.kind !== 'event' || address === '') return;
  const doors = await db.selectFrom('door').select('proven_by').where('inbox_id', 'in', doorsOf(start)).execute();
  if (doors.every((door) => door.proven_by === address)) return;
  throw new NotPossible(
    `No event has come in by ${address} yet. Let the other app send one to the address of this workflow; then it can go live.`,
  );
}

const newAddress = ({ id }: Seams): string => `${id()}${id()}`.replaceAll('-', '').slice(0, 40);
