import fc from 'fast-check';
import { readDeliveryStatus } from './bounce.ts';
import { firstNameOf } from './first-name.ts';
import { isProven, kindOfMail } from './kind-of-mail.ts';
import { labelledLines } from './labelled-lines.ts';
import { hasQuestion, textParts, withoutLinks } from './new-text.ts';
import { messageIds, replySubject, threadOf, threadRoot, whyNotAnswered } from './reply.ts';

// Examples of RFCs are quoted from memory: their texts aren't to be had here.

const newText = (text: string, subject?: string): string => textParts(text, subject).newText;

describe('what is new in a mail', () => {
  test('quoted lines in the middle are left out, what was written between them stays', () => {
    const text = 'On 3 May 2026, Ada wrote:\n> One?\n\nYes.\n\n> Two?\n> Three?\n\nNo, and no.';
    expect(newText(text)).toBe('Yes.\n\nNo, and no.');
  });

  test.each([
    ['a colon before a list', 'We need the following:\n\n- clay\n- grog', 'We need the following:\n\n- clay\n- grog'],
    ['a sentence with “wrote”', 'As you wrote: the kiln is blue.\nIs it?', 'As you wrote: the kiln is blue.\nIs it?'],
    ['two labelled lines', 'From: 3 May\nTo: 5 May\n\nIs it free?', 'From: 3 May\nTo: 5 May\n\nIs it free?'],
    [
      'thanks with more below',
      'Thanks!\n\nAnd could you send two more bags of the white one?',
      'Thanks!\n\nAnd could you send two more bags of the white one?',
    ],
    ['a mail of nothing but regards', 'Kind regards\nAda', 'Kind regards\nAda'],
    [
      'a line that tells of a phone',
      'Sent from my phone shop in Leeds, a parcel came that I never ordered. What now?',
      'Sent from my phone shop in Leeds, a parcel came that I never ordered. What now?',
    ],
  ])('%s is no end of the text', (_, text, expected) => expect(newText(text)).toBe(expected));

  test('a mail that is answered and one that is sent on look the same; the subject tells them apart', () => {
    const head = 'From: Ada <ada@clay.example>\nSent: 3 May 2026\nTo: us\nSubject: Kiln\n\nHow much is it?';
    expect(newText(`Fine.\n\n${head}`, 'RE: Kiln')).toBe('Fine.');
    expect(textParts(`Fine.\n\n${head}`, 'FW: Kiln')).toMatchObject({
      newText: 'Fine.\n\nHow much is it?',
      forwarded: { from: 'Ada <ada@clay.example>', subject: 'Kiln', text: 'How much is it?' },
    });
  });

  const line = fc.stringMatching(/^[A-Za-z][a-z ,]{0,40}[.?]$/);
  const own = fc.array(line, { minLength: 1, maxLength: 6 });

  test('whatever is quoted below never comes into it, and what is written above is never lost', () => {
    fc.assert(
      fc.property(own, fc.array(line, { minLength: 1, maxLength: 8 }), (above, quoted) => {
        const marked = quoted.map((one) => `> QUOTED ${one}`);
        const found = newText(
          [...above, '', 'On 3 May 2026 at 10:12, Ada <ada@clay.example> wrote:', ...marked].join('\n'),
        );
        expect(found).not.toContain('QUOTED');
        expect(found).not.toContain('wrote:');
        expect(found).toBe(newText(above.join('\n')));
      }),
    );
  });

  test('what is new is new again: once taken apart, nothing more goes', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(line, fc.constant(''), fc.constant('-- '), fc.constant('> old'), fc.constant('Kind regards')),
          { maxLength: 12 },
        ),
        (lines) => {
          const once = newText(lines.join('\n'));
          const twice = newText(once);
          // A second signature below the first is one as well; never does anything come back.
          expect(once.split('\n')).toEqual(expect.arrayContaining(twice.split('\n').filter((one) => one !== '')));
          for (const one of once.split('\n'))
            if (one !== '') expect(lines.map((each) => each.trim())).toContain(one.trim());
        },
      ),
    );
  });

  test('it reads the longest and oddest texts in time', () => {
    const odd = [
      '> '.repeat(5000),
      `${'a:'.repeat(20_000)}`,
      'Von: '.repeat(4000),
      `${'\n'.repeat(30_000)}x`,
      '<'.repeat(30_000),
      `${' '.repeat(200_000)}x`,
      '<http://'.repeat(25_000),
      '(('.repeat(50_000),
      `${'- '.repeat(50_000)}x`,
    ];
    for (const text of odd) expect(typeof newText(text)).toBe('string');
  });
});

test('a question in a link is none', () => {
  expect(hasQuestion('See https://shop.example/?q=1 and <https://shop.example/a?b>.')).toBe(false);
  expect(hasQuestion('窯はありますか？')).toBe(true);
  expect(withoutLinks('See [this](https://a.example/?x) now')).toBe('See [this] now');
});

describe('labelled lines', () => {
  test('values stand beside their label or below it; the first of a label counts', () => {
    expect(labelledLines('Name: Kai\nPhone:\n+49 30 1\nname: Other\n\n*E-mail:* kai@x.example')).toEqual([
      { label: 'Name', value: 'Kai' },
      { label: 'Phone', value: '+49 30 1' },
      { label: 'E-mail', value: 'kai@x.example' },
    ]);
  });

  test('times, links and heads of copied mails are none', () => {
    expect(labelledLines('at 10:30 we come\nhttps://x.example/a:b\nFrom: a\nSubject: b\nDate: c')).toEqual([]);
  });
});

describe('who wrote a mail', () => {
  const headers = (given: Record<string, string>) =>
    Object.fromEntries(Object.entries(given).map(([name, value]) => [name, [value]]));

  // RFC 3834 section 5: auto-generated and auto-replied are automatic, "no" is not; parameters may follow.
  test.each([
    [{ 'auto-submitted': 'auto-replied (vacation)' }, 'automatic'],
    [{ 'auto-submitted': 'auto-generated; type=x' }, 'automatic'],
    [{ 'auto-submitted': 'No' }, 'person'],
    [{ 'return-path': '<>' }, 'automatic'],
    [{ precedence: 'bulk' }, 'list'],
    // RFC 2369 section 3.2, an example.
    [{ 'list-unsubscribe': '<mailto:list@host.com?subject=unsubscribe>' }, 'list'],
    // RFC 2919 section 3, an example.
    [{ 'list-id': 'List Header Mailing List <list-header.nisto.com>' }, 'list'],
    [{ 'content-type': 'multipart/report; report-type=delivery-status; boundary=x' }, 'bounce'],
    [{ 'content-type': 'multipart/report; report-type=disposition-notification' }, 'automatic'],
    [{}, 'person'],
  ] as const)('%j is written by: %s', (given, kind) =>
    expect(kindOfMail(headers(given), 'ada@clay.example')).toBe(kind),
  );

  test('nobody answers programs, lists and mail servers', () => {
    expect(whyNotAnswered('person')).toBeUndefined();
    for (const kind of ['automatic', 'list', 'bounce'] as const)
      expect(whyNotAnswered(kind)).toMatch(/never answered|never/);
  });

  // RFC 8601 appendix B.5, an example in which SPF and sender-id pass at example.com.
  const published =
    'example.com; auth=pass (cram-md5) smtp.auth=sender@example.net; spf=pass smtp.mailfrom=example.net';
  test('a sender is proven by the server that is trusted only', () => {
    expect(isProven({ 'authentication-results': [published] }, 'sender@example.net', 'example.com')).toBe(true);
    expect(isProven({ 'authentication-results': [published] }, 'sender@example.net', 'other.example')).toBe(false);
    expect(isProven({ 'authentication-results': [published] }, 'sender@example.net', undefined)).toBe(false);
    expect(isProven({ 'authentication-results': [published] }, 'sender@else.example', 'example.com')).toBe(false);
    // What stands below the topmost may have been written by the sender.
    const forged = ['mx.example; spf=fail smtp.mailfrom=example.net', published];
    expect(isProven({ 'authentication-results': forged }, 'sender@example.net', 'example.com')).toBe(false);
    const hidden = 'example.com (; dkim=pass header.d=example.net); spf=fail smtp.mailfrom=example.net';
    expect(isProven({ 'authentication-results': [hidden] }, 'sender@example.net', 'example.com')).toBe(false);
  });

  test.each([
    ['Abbey Bechtelar', 'Abbey'],
    ['"Bechtelar, Abbey"', 'Abbey'],
    ['Abbey Bechtelar (Kiln Studio)', 'Abbey'],
    ['Abbey Bechtelar via Potters', 'Abbey'],
    ['佐藤 恵美', '恵美'],
    ['Töpferei Moor GmbH', ''],
    ['Marsh Lane School', ''],
    ['Sales Team', ''],
    ['info@clay.example', ''],
    ['', ''],
  ])('“%s” is greeted as “%s”', (name, first) => expect(firstNameOf(name)).toBe(first));
});

describe('answers', () => {
  // RFC 5322 appendix A.2: three mails of one thread.
  test('the thread of the published example', () => {
    const second = threadOf({ messageId: '<1234@local.machine.example>', subject: 'Saying Hello' });
    expect(second).toEqual({
      inReplyTo: '<1234@local.machine.example>',
      references: '<1234@local.machine.example>',
      subject: 'Re: Saying Hello',
    });
    const third = threadOf({
      messageId: '<3456@example.net>',
      inReplyTo: '<1234@local.machine.example>',
      references: '<1234@local.machine.example>',
      subject: 'Re: Saying Hello',
    });
    expect(third).toEqual({
      inReplyTo: '<3456@example.net>',
      references: '<1234@local.machine.example> <3456@example.net>',
      subject: 'Re: Saying Hello',
    });
  });

  test('a parent without references gives its In-Reply-To, where that names one mail (RFC 5322 section 3.6.4)', () => {
    expect(threadOf({ messageId: '<c@x>', inReplyTo: '<a@x>', subject: '' }).references).toBe('<a@x> <c@x>');
    expect(threadOf({ messageId: '<c@x>', inReplyTo: '<a@x> <b@x>', subject: '' }).references).toBe('<c@x>');
  });

  test('“Re:” stands once, whatever other programs call it', () => {
    for (const subject of ['Kiln', 'Re: Kiln', 'AW: Re: Kiln', 'Antw: Kiln', 'SV: re[2]: Kiln', 'RE : Kiln'])
      expect(replySubject(subject)).toBe('Re: Kiln');
    fc.assert(
      fc.property(fc.string(), (subject) => expect(replySubject(replySubject(subject))).toBe(replySubject(subject))),
    );
  });

  test('a long thread keeps its beginning and its end', () => {
    const ids = Array.from({ length: 80 }, (_, at) => `<m${at}@x>`);
    const { references } = threadOf({ messageId: '<last@x>', references: ids.join('\r\n '), subject: '' });
    const kept = messageIds(references);
    expect(kept).toHaveLength(30);
    expect(kept[0]).toBe('<m0@x>');
    expect(kept.at(-1)).toBe('<last@x>');
    expect(threadRoot({ messageId: '<last@x>', references })).toBe('<m0@x>');
  });
});

// RFC 3464 appendix E.2: a mail to two recipients of whom one failed after five days, and one wasn't tried by this server.
test('the published report of several recipients', () => {
  const report = `Reporting-MTA: dns; cs.utk.edu

Original-Recipient: rfc822;arathib@vnet.ibm.com
Final-Recipient: rfc822;arathib@vnet.ibm.com
Action: failed
Status: 5.0.0 (permanent failure)
Diagnostic-Code: smtp;
 550 'arathib@vnet.IBM.COM' is not a registered gateway user
Remote-MTA: dns; vnet.ibm.com

Original-Recipient: rfc822;johnh@hpnjld.njd.hp.com
Final-Recipient: rfc822;johnh@hpnjld.njd.hp.com
Action: delayed
Status: 4.0.0 (hpnjld.njd.jp.com: host name lookup failure)

Original-Recipient: rfc822;wsnell@sdcc13.ucsd.edu
Final-Recipient: rfc822;wsnell@sdcc13.ucsd.edu
Action: failed
Status: 5.0.0
Diagnostic-Code: smtp; 550 user unknown
Remote-MTA: dns; sdcc13.ucsd.edu
`;
  expect(readDeliveryStatus(report)).toEqual([
    {
      recipient: 'arathib@vnet.ibm.com',
      action: 'failed',
      status: '5.0.0',
      reason: "550 'arathib@vnet.IBM.COM' is not a registered gateway user",
    },
    { recipient: 'johnh@hpnjld.njd.hp.com', action: 'delayed', status: '4.0.0', reason: '' },
    { recipient: 'wsnell@sdcc13.ucsd.edu', action: 'failed', status: '5.0.0', reason: '550 user unknown' },
  ]);
  expect(readDeliveryStatus('nothing of the kind')).toEqual([]);
});
