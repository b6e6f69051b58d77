import { type ChildProcess, execFileSync, spawn } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createConnection, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pagesOf } from '../paging.ts';
import { MailConnector } from './mail-connector.ts';

// A mailbox on an IMAP server that others wrote, Dovecot of Debian's packages. Where it isn't installed the tests are skipped.

const program = '/usr/sbin/dovecot';
const there = existsSync(program) ? describe : describe.skip;

/** Some of its parts must not be root; where the tests are run by somebody else, all are theirs. */
const isRoot = process.getuid?.() === 0;
const who = isRoot ? 'nobody' : execFileSync('id', ['-un']).toString().trim();
const group = isRoot ? 'nogroup' : execFileSync('id', ['-gn']).toString().trim();
const idOf = (flag: string, name: string): string => execFileSync('id', [flag, name]).toString().trim();

const config = (folder: string, port: number): string => `
base_dir = ${folder}/run
log_path = ${folder}/log
protocols = imap
listen = 127.0.0.1
ssl = no
disable_plaintext_auth = no
default_login_user = ${who}
default_internal_user = ${who}
default_internal_group = ${group}
mail_location = maildir:${folder}/mail/%u
mail_uid = ${idOf('-u', who)}
mail_gid = ${idOf('-g', who)}
first_valid_uid = 1
service imap-login {
  chroot =
  inet_listener imap {
    port = ${port}
  }
  inet_listener imaps {
    port = 0
  }
}
service anvil {
  chroot =
}
service stats {
  chroot =
}
passdb {
  driver = static
  args = password=secret
}
userdb {
  driver = static
  args = uid=${idOf('-u', who)} gid=${idOf('-g', who)} home=${folder}/mail/%u
}
namespace inbox {
  inbox = yes
  mailbox Sent {
    special_use = \\Sent
    auto = create
  }
  mailbox Done {
    auto = create
  }
}
`;

const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => resolve(port));
    });
  });

const answers = (port: number): Promise<boolean> =>
  new Promise((resolve) => {
    const socket = createConnection(port, '127.0.0.1')
      .once('data', () => {
        socket.destroy();
        resolve(true);
      })
      .once('error', () => resolve(false));
  });

there('a mailbox on Dovecot', () => {
  let folder: string;
  let port: number;
  let server: ChildProcess;
  const inbox = ['folder:INBOX'];
  const opened = (password = 'secret') =>
    new MailConnector({
      servers: async () => ({ imap: `127.0.0.1:${port}`, smtp: '' }),
      user: 'ada@clay.example',
      password,
      senders: '',
      sent: '',
      trusted: '',
      isInsideAllowed: async () => true,
    });
  const put = async (subject: string): Promise<void> => {
    const { ImapFlow } = await import('imapflow');
    const client = new ImapFlow({
      host: '127.0.0.1',
      port,
      secure: false,
      auth: { user: 'ada@clay.example', pass: 'secret' },
      logger: false,
    });
    await client.connect();
    const mail = `From: Bo <bo@x.example>\r\nSubject: ${subject}\r\nMessage-ID: <${subject}@x.example>\r\n\r\nIs it?\r\n`;
    await client.append('INBOX', mail);
    await client.logout();
  };

  beforeAll(async () => {
    folder = mkdtempSync(join(tmpdir(), 'golden-dovecot-'));
    chmodSync(folder, 0o777);
    for (const name of ['run', 'mail']) mkdirSync(join(folder, name));
    chmodSync(join(folder, 'mail'), 0o777);
    port = await freePort();
    writeFileSync(join(folder, 'dovecot.conf'), config(folder, port));
    server = spawn(program, ['-F', '-c', join(folder, 'dovecot.conf')], { stdio: 'ignore' });
    while (!(await answers(port)) && server.exitCode === null) await new Promise((resolve) => setTimeout(resolve, 20));
  });
  afterAll(async () => {
    const ended = new Promise((resolve) => server.once('exit', resolve));
    server.kill();
    await ended;
    rmSync(folder, { recursive: true, force: true });
  });

  test('is listed, told at once, found, moved; what was there is counted', async () => {
    const mailbox = opened();
    expect(await mailbox.health()).toMatchObject({ sees: ['Inbox', 'Sent', 'Done'], mayRead: true });
    for (const subject of ['one', 'two', 'three']) await put(subject);
    const mark = (await mailbox.placeMark(inbox)) ?? '';
    const subjects = async (unlessAsAt?: string): Promise<unknown[]> => {
      const found: unknown[] = [];
      for await (const page of pagesOf(mailbox, { path: inbox, ...(unlessAsAt && { unlessAsAt }) }))
        found.push(...page.records.map(({ record }) => record['subject']));
      return found;
    };
    expect(await subjects()).toEqual(['one', 'two', 'three']);
    expect(await subjects(mark)).toEqual([]);
    const told = new Promise<void>((resolve) => {
      void mailbox.watch(inbox, resolve, () => undefined).then((stop) => put('four').then(() => told.then(stop)));
    });
    await told;
    expect(await subjects(mark)).toEqual(['four']);
    const [four] = await mailbox.find(inbox, { path: '/message_id', value: '<four@x.example>' });
    const write = {
      kind: 'update' as const,
      id: four?.id ?? '',
      target: { connection: 'c', path: inbox, recordType: 'mail' },
      values: { '/read': true, '/folder': 'Done' },
      types: {},
    };
    await mailbox.update({ write, token: 'a'.repeat(40) });
    expect(await mailbox.fetch(inbox, four?.id ?? '')).toMatchObject({
      id: four?.id,
      record: { read: true, folder: 'Done' },
    });
    // Another process, which remembers nothing.
    expect((await opened().list({ path: inbox, unlessAsAt: mark })).unchanged).toBe(3);
  });

  test('tells in its own words why it lets nobody in, and which folder it hasn’t', async () => {
    await expect(opened('wrong').health()).rejects.toThrow(/It says: “.*Authentication failed/);
    await expect(opened().list({ path: ['folder:Nowhere'] })).rejects.toThrow('isn’t in the mailbox');
  });
});
