import { createServer, type Server, type Socket } from 'node:net';
import { createInterface } from 'node:readline';
import { NotSignedIn } from '../errors.ts';
import { TokenKeeper, type Tokens } from '../http/tokens.ts';
import { readMailServer } from './mail-server.ts';
import { MailSender } from './send-mail.ts';

// RFC 7628 over SMTP, against a server written here from the RFC (sections 3.1, 3.2.3 and 4.3; from memory).

const user = 'user@example.com';
let server: Server;
let port = 0;
const sockets = new Set<Socket>();
/** What came: each try to sign in as it was encoded, and the mails. */
let tries: string[] = [];
let mails: string[] = [];
let letsIn: (token: string) => boolean = () => true;

/** Whether somebody is let in who sends this; the signs that part it (0x01) are shown as bars. */
function takes([way = '', encoded = '']: readonly string[]): boolean {
  const sent = Buffer.from(encoded, 'base64').toString().replaceAll('\u0001', '|');
  tries.push(`${way} ${sent}`);
  return letsIn(/\|auth=Bearer ([^|]+)\|\|$/.exec(sent)?.[1] ?? '');
}

/** One line of a mail; undefined at its end. */
function taken(text: string, data: string[]): string[] | undefined {
  if (text !== '.') return [...data, text];
  mails.push(data.join('\n'));
  return undefined;
}

/** Where a conversation stands: what of a mail has come, and whether it was just told why a token isn't taken. */
interface Talk {
  data: string[] | undefined;
  isRefusing: boolean;
}

/** What is answered to one line; nothing within a mail. */
function answerTo(talk: Talk, text: string): string | undefined {
  if (talk.data) {
    talk.data = taken(text, talk.data);
    return talk.data ? undefined : '250 2.0.0 Taken';
  }
  if (talk.isRefusing) {
    talk.isRefusing = false;
    // Anything else than one sign isn't the protocol.
    return text === 'AQ==' ? '535 5.7.8 Not with this token' : '501 5.5.2 Not understood';
  }
  const [verb = '', ...rest] = text.split(' ');
  if (verb === 'EHLO') return '250-mx.example.com\r\n250-SIZE 1000000\r\n250 AUTH XOAUTH2 OAUTHBEARER';
  if (verb === 'AUTH') {
    talk.isRefusing = !takes(rest);
    return talk.isRefusing ? `334 ${Buffer.from('{"status":"invalid_token"}').toString('base64')}` : '235 2.7.0 In';
  }
  if (verb === 'DATA') talk.data = [];
  return verb === 'DATA' ? '354 Go on' : '250 2.1.0 Fine';
}

const speak = (): Server =>
  createServer((socket) => {
    sockets.add(socket);
    const talk: Talk = { data: undefined, isRefusing: false };
    socket.on('error', () => undefined);
    createInterface({ input: socket }).on('line', (text) => {
      const answer = answerTo(talk, text);
      if (answer !== undefined) socket.write(`${answer}\r\n`);
    });
    socket.write('220 mx.example.com\r\n');
  });

beforeEach(async () => {
  [tries, mails, letsIn] = [[], [], () => true];
  server = speak();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const at = server.address();
  port = typeof at === 'object' && at ? at.port : 0;
});
afterEach(async () => {
  // Connections are kept for the next mail: nobody waits for their end.
  for (const socket of sockets) socket.destroy();
  await new Promise((resolve) => server.close(resolve));
});

function sender(tokens: Tokens): MailSender {
  const app = { title: 'The host', issuer: 'http://127.0.0.1:9', clientId: 'golden-relay' };
  const keeper = new TokenKeeper(app, tokens, async () => undefined);
  // The host's own page isn't asked here: what it would give is.
  jest.spyOn(keeper, 'renew').mockImplementation(async () => ({ ...tokens, access: 'new-one' }));
  return new MailSender(async () => ({
    server: readMailServer(`127.0.0.1:${port}`, 'smtp'),
    user,
    password: '',
    tokens: keeper,
    isInsideAllowed: async () => true,
  }));
}
const mail = Buffer.from('Subject: Kiln\r\n\r\nIt is ready.');
const envelope = { from: user, to: ['ada@clay.example'] };

test('the token goes with whom and where it is for, and is preferred to the way that was there before', async () => {
  await sender({ access: 'vF9dft4qmTc2Nvb3RlckBhbHRhdmlzdGEuY29tCg==' }).send(envelope, mail);
  expect(tries).toEqual([
    `OAUTHBEARER n,a=${user},|host=127.0.0.1|port=${port}|auth=Bearer vF9dft4qmTc2Nvb3RlckBhbHRhdmlzdGEuY29tCg==||`,
  ]);
  expect(mails).toEqual(['Subject: Kiln\n\nIt is ready.']);
});

test('one that isn’t taken is renewed once, and the mail goes out once', async () => {
  letsIn = (token) => token === 'new-one';
  await sender({ access: 'ended' }).send(envelope, mail);
  expect(tries.map((one) => /Bearer ([^|]+)/.exec(one)?.[1])).toEqual(['ended', 'new-one']);
  expect(mails).toHaveLength(1);
});

test('where no token is taken nothing is sent, and it is told as not signed in, without the token', async () => {
  letsIn = () => false;
  const failed = await sender({ access: 'secret-token' })
    .send(envelope, mail)
    .catch((error: Error) => error);
  expect(failed).toBeInstanceOf(NotSignedIn);
  expect(String(failed)).not.toContain('secret-token');
  expect([tries.length, mails]).toEqual([2, []]);
});
