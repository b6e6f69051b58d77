import fc from 'fast-check';
import { bearsMark, confirmationIn, linksIn, probeMark } from './confirmation.ts';

// Mails made up after what mail hosts write, in the languages of our users; nothing of a host's own wording.

const asks = [
  ['English', 'Confirm forwarding', 'ada@clay.example wants to forward mail to you: https://mail.clay.example/c?id=7.'],
  ['German', 'Weiterleitung bestätigen', 'Bitte öffnen: https://post.clay.example/w/7'],
  ['French', 'Demande de transfert', 'Cliquez ici : <https://clay.example/t/7>'],
  ['Spanish', 'Confirme el reenvío', 'Abra (https://clay.example/r/7)'],
  ['Italian', 'Conferma inoltro', 'Apri https://clay.example/i/7!'],
  ['Dutch', 'Doorsturen bevestigen', 'Open https://clay.example/d/7'],
  ['Swedish', 'Bekräfta', 'Vidarebefordran av e-post: https://clay.example/v/7'],
  ['Polish', 'Potwierdź przekazywanie', 'https://clay.example/p/7'],
  ['Danish', 'Bekræft videresendelse', 'https://clay.example/vs/7'],
  ['Portuguese', 'Confirme o encaminhamento', 'https://clay.example/e/7'],
] as const;

test.each(asks)('what asks in %s whether mails may be sent on is known, with its link whole', (_, subject, text) => {
  const [link] = confirmationIn({ subject, text })?.links ?? [];
  expect(link).toMatch(/^https:\/\/[a-z.]+\/[a-z]+(\/7|\?id=7)$/);
});

test('a code is offered where it is called one, and a number in a link isn’t', () => {
  const text =
    'Forwarding to you. Your confirmation code: 482 is wrong, 918273 is right. https://clay.example/f/55512345';
  expect(confirmationIn({ subject: '', text })).toEqual({
    links: ['https://clay.example/f/55512345'],
    codes: ['918273'],
  });
  expect(confirmationIn({ subject: 'Forwarding', text: 'Order 918273 is on its way.' })).toBeUndefined();
});

test.each([
  ['a customer’s mail', 'Kiln', 'Is it blue? https://clay.example/kiln'],
  ['one without anything to open', 'Forwarding', 'May we forward this to you?'],
  ['a newsletter', 'We look forward', Array.from({ length: 20 }, (_, at) => `https://clay.example/${at}`).join('\n')],
])('%s isn’t one', (_, subject, text) => expect(confirmationIn({ subject, text })).toBeUndefined());

test('links are found whole, each once, whatever stands around them', () => {
  const link = fc
    .tuple(fc.stringMatching(/^[a-z]{1,12}$/), fc.stringMatching(/^[a-zA-Z0-9_=&%-]{1,40}$/))
    .map(([host, path]) => `https://${host}.example/${path}`)
    .filter((one) => !/_$/.test(one));
  const around = fc.constantFrom(['<', '>'], ['(', ')'], ['“', '”'], [' ', '.'], ['\n', ','], ['[', ']'], ['*', '*']);
  fc.assert(
    fc.property(fc.array(fc.tuple(link, around), { maxLength: 8 }), (all) => {
      const text = all.map(([one, [before, after]]) => `see ${before}${one}${after} and`).join(' ');
      expect(linksIn(text)).toEqual([...new Set(all.map(([one]) => one))]);
    }),
  );
});

test('a probe is known by its subject or its Message-ID, and by no other’s', () => {
  const mark = probeMark('3f9a2c11e0aa');
  expect(bearsMark({ subject: `Fwd: TEST (${mark.toUpperCase()})`, messageId: '' }, '3f9a2c11e0aa')).toBe(true);
  expect(bearsMark({ subject: '', messageId: `<${mark}@clay.example>` }, '3f9a2c11e0aa')).toBe(true);
  expect(bearsMark({ subject: `Test (${mark})`, messageId: '' }, '3f9a2c11e0ab')).toBe(false);
});
