import { isMailAddress, mailAppIds } from '@golden/connectors';
import { linksIn, probeMark } from '@golden/core';
import { readBody } from '../../arrivals/read-body.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Services } from '../../services.ts';
import type { Forwarding } from './setting.ts';

// Setting up that a mailbox elsewhere sends its mails on: the address is entered there, its host asks this address whether
// it wants them, forwarding is switched on, and a probe shows whether mails really come on from there.

type Parts = Pick<Services, 'db' | 'bytes' | 'mailDoors' | 'connections' | 'seams'>;

/** Begins it; what was known of another mailbox is over. @throws NotPossible */
export async function beginForwarding({ mailDoors }: Parts, inbox: string, given: string): Promise<void> {
  const mailbox = given.trim().toLowerCase();
  const { address } = await mailDoors.of(inbox);
  if (!isMailAddress(mailbox)) throw new NotPossible(`“${given}” is no e-mail address.`);
  if (mailbox === address)
    throw new NotPossible('This is the address itself. Enter that of the mailbox whose mails are to come here.');
  await mailDoors.setForwarding(inbox, { mailbox, confirmation: null, probe: null });
}

/** @throws NotPossible where none is being set up */
async function forwardingOf({ mailDoors }: Parts, inbox: string): Promise<Forwarding> {
  const { forwarding } = await mailDoors.of(inbox);
  if (!forwarding) throw new NotPossible('No forwarding is being set up here.');
  return forwarding;
}

/** A person says which of the mails that came asked for the confirmation: it is no record from then on. */
export async function takeAsConfirmation(parts: Parts, inbox: string, seq: number): Promise<void> {
  const { db, bytes, mailDoors } = parts;
  const forwarding = await forwardingOf(parts, inbox);
  const row = await db
    .selectFrom('arrival')
    .selectAll()
    .where('inbox_id', '=', inbox)
    .where('seq', '=', seq)
    .executeTakeFirst();
  if (!row) throw new NotPossible('This mail isn’t there any more. Load the list again.');
  const reading = await readBody(row.media_type, row.body ?? (await bytes.get(row.hash)));
  const links = reading.ok ? linksIn(String(reading.record['text'] ?? '')) : [];
  await db.updateTable('arrival').set({ is_test: 1 }).where('seq', '=', seq).execute();
  await mailDoors.setForwarding(inbox, { ...forwarding, confirmation: { seq, links, codes: [] } });
}

/**
 * Sends a probe to the mailbox, through a connection that may send mails, or has a person send it.
 *
 * @param connection - null where a person sends it themselves
 * @returns the subject that the probe is known by
 * @throws what the connection's mail server says
 */
export async function sendProbe(parts: Parts, inbox: string, connection: string | null): Promise<string> {
  const { mailDoors, connections, seams } = parts;
  const forwarding = await forwardingOf(parts, inbox);
  const { address } = await mailDoors.of(inbox);
  const token = seams.id().replaceAll('-', '').slice(0, 12);
  const subject = subjectOf(token);
  const sentAt = seams.now();
  const by = connection === null ? null : (await connections.get(connection)).name;
  // Before it leaves: it may be back before its sending is answered.
  await mailDoors.setForwarding(inbox, { ...forwarding, probe: { token, sentAt, by, cameAt: null } });
  if (connection === null) return subject;
  const connector = await connections.connector(connection);
  try {
    await connector.create({
      write: {
        kind: 'create',
        target: { connection, path: ['outgoing'], recordType: 'outgoing' },
        values: {
          '/to': forwarding.mailbox,
          '/subject': subject,
          '/text': `This mail was sent to see whether mails to ${forwarding.mailbox} are sent on to ${address}. It needs no answer.`,
        },
        types: {},
      },
      token: probeMark(token),
    });
  } catch (error) {
    await mailDoors.setForwarding(inbox, forwarding);
    throw error;
  }
  return subject;
}

/** The subject of a probe. */
export const subjectOf = (token: string): string => `Testing forwarding (${probeMark(token)})`;

/** Connections that may send a probe. */
export async function mailSenders({ connections }: Pick<Parts, 'connections'>) {
  const all = await connections.list();
  return all
    .filter(({ app, health }) => mailAppIds.includes(app) && health?.mayWrite === true)
    .map(({ id, name, settings }) => ({ id, name, address: settings['user'] ?? '' }));
}

/** Why a workflow can't go live yet that waits for what a mailbox sends on. @throws NotPossible */
export async function expectForwarded(
  { mailDoors }: Pick<Parts, 'mailDoors'>,
  inboxes: readonly string[],
): Promise<void> {
  for (const inbox of inboxes) {
    const forwarding = await mailDoors.forwardingOf(inbox);
    if (forwarding && !forwarding.probe?.cameAt)
      throw new NotPossible(
        `No mail has come on from ${forwarding.mailbox} yet. Send a test mail under “What starts it”, or end the setting up of forwarding there.`,
      );
  }
}
