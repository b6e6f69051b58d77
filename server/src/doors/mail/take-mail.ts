import { bearsMark, confirmationIn, type JsonRecord } from '@golden/core';
import { keptMarks } from '../../arrivals/mail-marks.ts';
import { mailMedia, readBody } from '../../arrivals/read-body.ts';
import type { Services } from '../../services.ts';
import { type MailDoor, ownDomain } from './mail-doors.ts';
import { whyMayNotSend } from './setting.ts';

export type MailServices = Pick<Services, 'db' | 'mailDoors' | 'refusals' | 'seams' | 'log' | 'redaction'>;

/** A mail as it came over the line, with its envelope. */
export interface CameMail {
  readonly raw: Uint8Array;
  /** The sender in the envelope; '' for a report. */
  readonly from: string;
  readonly to: string;
  /** The machine that brought it. */
  readonly cameFrom: string;
}

/** What a mail is to the setting up of forwarding; undefined for a mail like any. */
type Mark =
  | { readonly is: 'probe' }
  | { readonly is: 'confirmation'; readonly links: string[]; readonly codes: string[] };

/**
 * Takes a mail that came to an address, or says why it doesn't. It is stored when this resolves. The same mail once more,
 * as when a server that wasn't answered sends it again, is a repeat: it is known by its Message-ID and head.
 */
export async function takeMail(services: MailServices, door: MailDoor, came: CameMail): Promise<string | undefined> {
  const { mailDoors, seams } = services;
  const { inbox, setting } = door;
  const received = seams.now();
  const reading = await readBody(mailMedia, came.raw, { received, trusted: setting.trusted });
  if (!reading.ok) return reading.message;
  const { record } = reading;
  const mark = markOf(door, record);
  const isProven = record['sender_proven'] === 'proven';
  const why = mark ? undefined : whyMayNotSend(setting, senderOf(record), isProven);
  if (why !== undefined) return why;
  const hops = Number((record['$arrival'] as JsonRecord | undefined)?.['hops'] ?? 0);
  const marks = { ...came, trusted: setting.trusted, hops, ...(mark && { is: mark.is }) };
  await mailDoors.store({
    inbox,
    key: String(record['id']),
    mediaType: mailMedia,
    headers: keptMarks(marks),
    body: came.raw,
    reading,
    isTest: mark !== undefined,
  });
  if (mark) await noteMark(services, door, mark, String(record['id']), received);
  await noteProof(services, door, came.to);
  return undefined;
}

const senderOf = (record: JsonRecord): string => String((record['from'] as JsonRecord | undefined)?.['address'] ?? '');

/** A probe that comes back, or the question whether this address wants what a mailbox sends on, while that is set up. */
function markOf({ forwarding }: MailDoor, record: JsonRecord): Mark | undefined {
  if (!forwarding) return undefined;
  const { probe } = forwarding;
  const mail = { subject: String(record['subject'] ?? ''), messageId: String(record['message_id'] ?? '') };
  if (probe && bearsMark(mail, probe.token)) return { is: 'probe' };
  if (forwarding.confirmation || probe?.cameAt) return undefined;
  const asked = confirmationIn({ subject: mail.subject, text: String(record['text'] ?? '') });
  return asked && { is: 'confirmation', links: [...asked.links], codes: [...asked.codes] };
}

async function noteMark(
  { db, mailDoors }: MailServices,
  { inbox }: MailDoor,
  mark: Mark,
  key: string,
  at: string,
): Promise<void> {
  const { forwarding } = await mailDoors.of(inbox);
  if (!forwarding) return;
  if (mark.is === 'probe') {
    const { probe } = forwarding;
    if (probe && !probe.cameAt)
      await mailDoors.setForwarding(inbox, { ...forwarding, probe: { ...probe, cameAt: at } });
    return;
  }
  const { seq } = await db
    .selectFrom('arrival')
    .select('seq')
    .where('inbox_id', '=', inbox)
    .where('key', '=', key)
    .executeTakeFirstOrThrow();
  await mailDoors.setForwarding(inbox, {
    ...forwarding,
    confirmation: { seq, links: mark.links, codes: mark.codes },
  });
}

/** A mail that came under the domain that others reach proves that the way is open. */
async function noteProof({ mailDoors }: MailServices, { inbox, provenBy }: MailDoor, to: string): Promise<void> {
  const domain = to.split('@').at(-1)?.toLowerCase() ?? '';
  if (domain !== ownDomain && domain !== provenBy) await mailDoors.proven(inbox, domain);
}
