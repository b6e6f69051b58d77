import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { hasQuestion, type JsonRecord } from '@golden/core';
import { readMail } from './mail-record.ts';

// Mails as people and programs write them, all made up: charsets, nested parts, ten programs' ways of quoting, mails
// that were sent on, broken ones. They were put together by another language's library for mails (Python's `email`) or
// by hand; what is expected of each was written down beside it, not computed by what is tested here.

interface Expected {
  readonly from_?: string;
  readonly name?: string;
  readonly first?: string;
  readonly subject?: string;
  readonly new?: string;
  readonly newHas?: string;
  readonly newHasNot?: string;
  readonly asks?: boolean;
  readonly signature?: string;
  readonly writer?: string;
  readonly writerFirst?: string;
  readonly replyTo?: string;
  readonly kind?: string;
  readonly bounce?: JsonRecord;
  readonly attachments?: readonly string[];
  readonly lines?: Readonly<Record<string, string>>;
  readonly proven?: string;
  readonly date?: string | null;
  readonly to?: string;
  readonly cc?: string;
  readonly message_id?: string;
  readonly in_reply_to?: string;
  readonly thread?: string;
}

const folder = join(__dirname, '..', '..', 'testdata', 'mails');
const corpus = Object.entries(
  JSON.parse(readFileSync(join(folder, 'expected.json'), 'utf8')) as Record<string, Expected>,
);

const at = (record: JsonRecord, ...names: string[]): unknown =>
  names.reduce<unknown>((value, name) => (value as JsonRecord | undefined)?.[name], record);

test.each(corpus)('%s', async (name, expected) => {
  const raw = readFileSync(join(folder, `${name}.eml`));
  const { record } = await readMail(raw, { trusted: 'mx.saltmarsh.example' });
  const newText = String(record['new_text']);
  const found: Expected = {
    from_: at(record, 'from', 'address') as string,
    name: at(record, 'from', 'name') as string,
    first: at(record, 'from', 'first_name') as string,
    subject: record['subject'] as string,
    new: newText,
    asks: hasQuestion(newText),
    writer: at(record, 'true_sender', 'address') as string,
    writerFirst: at(record, 'true_sender', 'first_name') as string,
    replyTo: record['reply_to'] as string,
    kind: record['kind'] as string,
    bounce: record['bounce'] as JsonRecord,
    attachments: (record['attachments'] as { name: string }[]).map((one) => one.name),
    lines: record['lines'] as Record<string, string>,
    proven: record['sender_proven'] as string,
    date: record['date'] as string | null,
    to: record['to'] as string,
    cc: record['cc'] as string,
    message_id: record['message_id'] as string,
    in_reply_to: record['in_reply_to'] as string,
    thread: record['thread'] as string,
  };
  const { newHas, newHasNot, signature, ...plain } = expected;
  expect(found).toMatchObject(plain);
  if (newHas !== undefined) expect(newText).toContain(newHas);
  if (newHasNot !== undefined) expect(newText).not.toContain(newHasNot);
  if (signature !== undefined) expect(record['signature']).toContain(signature);
});

test('one mail has one id wherever it lies and whatever servers put on top; others never share it', async () => {
  const ids = new Set<string>();
  for (const [name] of corpus) {
    const raw = readFileSync(join(folder, `${name}.eml`));
    const { id } = await readMail(raw, { folder: 'INBOX' });
    expect(id).toBe((await readMail(raw, { folder: 'Done', isRead: true })).id);
    if (!id.startsWith('#')) {
      const moved = Buffer.concat([Buffer.from('Received: by elsewhere; Mon, 23 Nov 2026 15:00:00 +0000\r\n'), raw]);
      expect((await readMail(moved)).id).toBe(id);
    }
    expect(ids).not.toContain(id);
    ids.add(id);
  }
});

test('two mails to which one program gave the same Message-ID are two', async () => {
  const mail = (subject: string): Buffer =>
    Buffer.from(`From: a@b.example\r\nSubject: ${subject}\r\nMessage-ID: <same@b.example>\r\n\r\nx\r\n`);
  expect((await readMail(mail('One'))).id).not.toBe((await readMail(mail('Two'))).id);
});
