import type { Socket } from 'node:net';
import { SMTPServer, type SMTPServerSession } from 'smtp-server';
import type { SignIn } from '../kit/sign-in.ts';
import { type PracticeState, suffers } from '../kit/trouble.ts';
import type { Delivery } from './delivery.ts';
import type { ImapHouse } from './imap.ts';
import type { PostStore } from './store.ts';

/** A connection, as far as it is broken off here. */
interface Open {
  readonly id: string;
  readonly _socket: Socket;
}

/** Bytes of one mail. */
const mostBytes = 30 * 1024 * 1024;

/**
 * Takes mails from those who have a mailbox here, over SMTP; each of them may send in its own name only. A copy lies in
 * the sender's Sent folder.
 */
export function smtpHouse(
  store: PostStore,
  imap: ImapHouse,
  delivery: Delivery,
  state: PracticeState,
  signIn: SignIn,
): SMTPServer {
  const server = new SMTPServer({
    banner: 'Post room',
    authMethods: ['PLAIN', 'LOGIN', 'XOAUTH2'],
    disabledCommands: ['STARTTLS'],
    allowInsecureAuth: true,
    disableReverseLookup: true,
    logger: false,
    // Mail programs keep their connections a moment: closing doesn't wait for them.
    closeTimeout: 100,
    size: mostBytes,
    onConnect: (_session, done) => {
      state.requests += 1;
      if (suffers(state, 'down')) return done(refusal(421, 'Not now'));
      return done();
    },
    onAuth: ({ username = '', password = '', accessToken }, _session, done) => {
      const mailbox = store.mailbox(username);
      if (accessToken !== undefined) {
        const isLetIn = !suffers(state, 'sign_out') && signIn.grantOf(accessToken)?.user === mailbox?.address;
        // Without a user the server says what is wanted, and ends the conversation in its own words.
        return mailbox && isLetIn
          ? done(null, { user: mailbox.address })
          : done(null, { data: { status: '401', schemes: 'bearer', scope: 'mail' } } as never);
      }
      if (suffers(state, 'sign_out') || !mailbox || mailbox.password !== password)
        return done(refusal(535, '5.7.8 The name or the password is wrong'));
      return done(null, { user: mailbox.address });
    },
    onMailFrom: ({ address }, session, done) => {
      if (suffers(state, 'rate_limit')) return done(refusal(451, '4.7.1 Too many mails, try again later'));
      // RFC 5321 section 3.4: not here any more, try elsewhere.
      if (suffers(state, 'redirect')) return done(refusal(551, '5.1.6 This mailbox has moved; please try elsewhere'));
      if (suffers(state, 'refuse_rights')) return done(refusal(550, '5.7.1 You may not send'));
      if (address !== '' && address.toLowerCase() !== session.user)
        return done(refusal(553, `5.7.1 ${session.user} may not send as ${address}`));
      return done();
    },
    onRcptTo: ({ address }, _session, done) => {
      if (address.toLowerCase().endsWith('@closed.example'))
        return done(refusal(550, `5.1.1 ${address}: no such mailbox`));
      return done();
    },
    onData: (stream, session, done) => {
      const parts: Buffer[] = [];
      stream.on('data', (part: Buffer) => parts.push(part));
      stream.on('end', () => {
        take(Buffer.concat(parts), session).then(
          () => done(),
          (error: Error) => done(error),
        );
      });
    },
  });
  return server;

  async function take(raw: Buffer, session: SMTPServerSession): Promise<void> {
    if (suffers(state, 'slow')) await state.pause(1500);
    if (suffers(state, 'fault')) throw refusal(451, '4.3.0 Something broke');
    if (suffers(state, 'conflict')) throw refusal(554, '5.7.1 This mail is not accepted');
    const user = String(session.user);
    state.writes += 1;
    imap.put(user, 'Sent', raw, { flags: ['\\Seen'] });
    await delivery.deliver(
      raw,
      user,
      session.envelope.rcptTo.map(({ address }) => address),
    );
    if (suffers(state, 'break_off')) {
      // Taken, but whoever sent it never hears of it.
      for (const one of server.connections as Iterable<Open>) if (one.id === session.id) one._socket.destroy();
      throw refusal(421, 'Gone');
    }
  }
}

const refusal = (responseCode: number, message: string): Error => Object.assign(new Error(message), { responseCode });
