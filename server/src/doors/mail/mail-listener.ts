import { mostBytesOfMail } from '@golden/connectors';
import { SMTPServer, type SMTPServerSession } from 'smtp-server';
import { mailMedia } from '../../arrivals/read-body.ts';
import { DiskFull } from '../../db/group-commit.ts';
import { DoorLimits } from '../limits.ts';
import type { MailDoor } from './mail-doors.ts';
import { type CameMail, type MailServices, takeMail } from './take-mail.ts';

// The mail port: takes mails to the addresses of workflows over SMTP (RFC 5321), and nothing else. No mail is ever passed
// on, and a mail is answered as taken only once it is stored: until then it is the sender's, who tries again.

/** Mails that come at the same time; each is held whole until it is stored. */
const mostAtOnce = 20;

/** A certificate by which the line can be encrypted (STARTTLS), in PEM. */
export interface MailCertificate {
  readonly cert: string;
  readonly key: string;
}

/** A refusal as its sender reads it, with an enhanced status (RFC 3463). */
class MailRefused extends Error {
  override readonly name = 'MailRefused';
  constructor(
    readonly responseCode: number,
    status: string,
    readonly reason: string,
  ) {
    super(`${status} ${reason}`);
  }
}

/** What takes mails in; it listens once it is told to. */
export function makeMailListener(
  services: MailServices,
  {
    certificate,
    limits = new DoorLimits(),
  }: { readonly certificate?: MailCertificate; readonly limits?: DoorLimits } = {},
): SMTPServer {
  const { mailDoors } = services;
  const server = new SMTPServer({
    banner: 'Golden Relay',
    ...certificate,
    // Nobody signs in here: there is nothing to be done with a sign-in.
    disabledCommands: certificate ? ['AUTH'] : ['AUTH', 'STARTTLS'],
    authOptional: true,
    disableReverseLookup: true,
    logger: false,
    size: mostBytesOfMail,
    maxClients: mostAtOnce,
    closeTimeout: 100,
    onRcptTo: ({ address }, session, done) => {
      answer(expectTaken(address, session), done);
    },
    onData: (stream, session, done) => {
      const parts: Buffer[] = [];
      stream.on('data', (part: Buffer) => {
        // What is too large is read to its end, as the protocol has it, and not kept.
        if (!stream.sizeExceeded) parts.push(part);
      });
      stream.on('end', () => answer(takeAll(Buffer.concat(parts), stream.sizeExceeded, session), done));
    },
  });
  // A line that breaks off is the sender's to try again.
  server.on('error', () => undefined);
  return server;

  function answer(work: Promise<void>, done: (error?: Error | null) => void): void {
    work.then(
      () => done(),
      (error: unknown) => done(toldAs(error)),
    );
  }

  /** @throws MailRefused where there is no such address */
  async function expectTaken(address: string, session: SMTPServerSession): Promise<void> {
    const wait = await limits.wait(session.remoteAddress, address.toLowerCase());
    if (wait !== undefined)
      throw new MailRefused(451, '4.7.1', `Too much has come from you. Try again in ${wait} seconds.`);
    await doorAt(address, session);
  }

  async function doorAt(address: string, session: SMTPServerSession): Promise<MailDoor> {
    const at = address.lastIndexOf('@');
    const [local, domain] = [address.slice(0, at), address.slice(at + 1).toLowerCase()];
    if (!(await mailDoors.domains()).includes(domain))
      throw new MailRefused(550, '5.7.1', `Mails for ${domain} aren’t taken here, and none is passed on.`);
    const door = await mailDoors.at(local);
    if (door !== undefined && !('past' in door)) return door;
    const stranger = door === undefined ? await limits.strange(session.remoteAddress) : undefined;
    if (stranger !== undefined) throw new MailRefused(450, '4.7.1', `Try again in ${stranger} seconds.`);
    const refused = door
      ? new MailRefused(550, '5.1.6', 'This address is not in use any more. Ask its owner for the new one.')
      : new MailRefused(550, '5.1.1', 'There is no such address: it may be mistyped.');
    const came = { raw: null, from: senderOf(session), to: address, cameFrom: session.remoteAddress };
    await keepRefused(door ? door.past : null, came, refused);
    throw refused;
  }

  async function takeAll(raw: Buffer, isTooLarge: boolean, session: SMTPServerSession): Promise<void> {
    let refused: MailRefused | undefined;
    let isTaken = false;
    for (const { address } of session.envelope.rcptTo) {
      const door = await doorAt(address, session);
      const came = { raw, from: senderOf(session), to: address, cameFrom: session.remoteAddress };
      const why = isTooLarge
        ? new MailRefused(552, '5.3.4', `It is larger than ${mostBytesOfMail / 1024 / 1024} MB.`)
        : await takeMail(services, door, came).then((said) => said && new MailRefused(550, '5.7.1', said));
      if (why) {
        await keepRefused(door.inbox, isTooLarge ? { ...came, raw: null } : came, why);
        refused = why;
      } else isTaken = true;
    }
    // One answer is for all to whom it goes: who took it has it.
    if (refused && !isTaken) throw refused;
  }

  async function keepRefused(
    inbox: string | null,
    { raw, from, to, cameFrom }: Omit<CameMail, 'raw'> & { readonly raw: Uint8Array | null },
    { responseCode, reason }: MailRefused,
  ): Promise<void> {
    await services.refusals.keep({
      inbox_id: inbox,
      at: services.seams.now(),
      status: responseCode,
      reason,
      came_from: cameFrom,
      method: 'SMTP',
      media_type: mailMedia,
      headers: JSON.stringify({ 'mail from': from, 'rcpt to': to }),
      size: raw?.length ?? 0,
      body: raw,
    });
    if (inbox !== null) mailDoors.tell(inbox);
  }

  /** What isn't stored isn't answered as taken: the sender tries again. */
  function toldAs(error: unknown): Error {
    if (error instanceof MailRefused) return error;
    services.log.error({ said: services.redaction.clean(String(error)) }, 'a mail could not be stored');
    return error instanceof DiskFull
      ? new MailRefused(452, '4.3.1', 'There is no room to store it. Try again later.')
      : new MailRefused(451, '4.3.0', 'It could not be stored. Try again later.');
  }
}

const senderOf = ({ envelope: { mailFrom } }: SMTPServerSession): string => (mailFrom ? mailFrom.address : '');
