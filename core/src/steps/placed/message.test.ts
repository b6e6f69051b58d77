import { advance, beginItem } from '../../run/advance.ts';
import type { Advance, ItemState } from '../../run/state.ts';
import { aField, contentWith, fromField, list, priya, shop, versionWith } from '../../testing/workflows.ts';
import { sentenceText, writeBrief } from '../../workflow/brief.ts';
import { describeChanges } from '../../workflow/changes.ts';
import type { Place } from '../../workflow/place.ts';
import { checkReadiness } from '../../workflow/readiness.ts';
import type { WriteStep } from '../write/schema.ts';

// What goes out to somebody, from its plan to what keeps it back.

const outbox = (more: Partial<Place['described']> = {}, text: Parameters<typeof aField>[1] = {}): Place => ({
  ...list,
  connection: 'post',
  path: ['outgoing'],
  labels: ['Mails to send'],
  described: {
    ...shop.described,
    name: 'outgoing',
    singular: 'mail',
    plural: 'mails',
    fields: [
      aField('/to', { type: 'email', required: true }),
      aField('/subject'),
      aField('/text', text),
      aField('/cc'),
    ],
    can: { list: false, find: false, create: true, update: false, readBack: false },
    sentTo: { to: '/to', copies: ['/cc'], subject: '/subject', body: '/text' },
    ...more,
  },
});

const phones = outbox(
  {
    fields: [aField('/to', { type: 'phone', required: true }), aField('/text', { isTextMessage: true })],
    sentTo: { to: '/to', copies: [], subject: '/text', body: '/text' },
  },
  {},
);

const mail = (more: Partial<WriteStep> = {}): WriteStep => ({
  id: 'mail',
  kind: 'write',
  mode: 'append',
  target: outbox(),
  purpose: 'news',
  mapping: { '/to': fromField('/email'), '/text': { kind: 'fixed', value: 'Come and see.\n' } },
  ...more,
});

const links = { unsubscribe: 'https://relay.example/go/unsubscribe/7/mark' };

function begun(step: WriteStep, more: Parameters<typeof beginItem>[2] = {}, record: object = priya): Advance {
  const item = beginItem(record as never, '2026-11-27T09:00:00Z', { links, ...more });
  return advance(versionWith([step]), item, { kind: 'begin' });
}
const written = (at: Advance) => (at.effect?.kind === 'write' ? at.effect.write : undefined);
const resultOf = ({ state }: { readonly state: ItemState }) => state.steps['mail'];

test('news ends with a link of its own, once: also where its text has one, and in the words that were said', () => {
  const own = `${links.unsubscribe}/mail`;
  expect(written(begun(mail()))?.values['/text']).toBe(
    `Come and see.\n\nIf you don’t want mails like this any more: ${own}`,
  );
  expect(written(begun(mail({ unsubscribeWords: 'Genug davon' })))?.values['/text']).toBe(
    `Come and see.\n\nGenug davon: ${own}`,
  );
  const inText: WriteStep = mail({
    mapping: {
      '/to': fromField('/email'),
      '/text': {
        kind: 'text',
        parts: [
          { kind: 'words', text: 'No more? ' },
          { kind: 'field', ref: { step: 'wait_links', path: '/unsubscribe' } },
        ],
        tidies: [],
      },
    },
  });
  expect(written(begun(inText))?.values['/text']).toBe(`No more? ${own}`);
  expect(written(begun(mail()))?.message).toEqual({
    purpose: 'news',
    to: [priya.email.toLowerCase()],
    unsubscribe: own,
  });
});

test('service bears no link, and tells to whom it goes, each once', () => {
  const step = mail({
    purpose: 'service',
    mapping: { ...mail().mapping, '/cc': { kind: 'fixed', value: 'Mira <MIRA@clay.example>, mira@clay.example' } },
  });
  const write = written(begun(step));
  expect(write?.values['/text']).toBe('Come and see.\n');
  expect(write?.message).toEqual({ purpose: 'service', to: [priya.email.toLowerCase(), 'mira@clay.example'] });
});

test('a text message has no room for a link: whoever wants no more answers', () => {
  const step = mail({
    target: phones,
    mapping: { '/to': fromField('/phone'), '/text': { kind: 'fixed', value: 'Hello' } },
  });
  expect(written(begun(step, { links: {} }))?.values['/text']).toBe('Hello\nAnswer STOP to get no more of these.');
});

test('news to several at once needs a person, and so does a record without a link', () => {
  // An address field takes one already; one that takes any text is looked at all the same.
  const anyText = outbox({ fields: [aField('/to', { required: true }), aField('/text'), aField('/cc')] });
  const several = { kind: 'fixed' as const, value: 'a@clay.example, b@clay.example' };
  const two = mail({ target: anyText, mapping: { ...mail().mapping, '/to': several } });
  expect(begun(two).outcome).toMatchObject({
    kind: 'unsettled',
    message: expect.stringContaining('one person at a time'),
  });
  const copied = mail({ mapping: { ...mail().mapping, '/cc': { kind: 'fixed', value: 'b@clay.example' } } });
  expect(begun(copied).outcome).toMatchObject({ kind: 'unsettled', message: expect.stringMatching(/^cc: /i) });
  expect(begun(mail(), { links: {} }).outcome).toMatchObject({ kind: 'unsettled' });
});

test('who doesn’t want it is not sent it; a record for which that is all counts as delivered, one that is in already is left out', () => {
  const at = begun(mail());
  const unwanted = advance(versionWith([mail()]), at.state, { kind: 'not_sent', why: 'They unsubscribed.' });
  expect([unwanted.outcome, resultOf(unwanted)]).toEqual([
    { kind: 'delivered' },
    { kind: 'not_sent', why: 'They unsubscribed.' },
  ]);
  const already = advance(versionWith([mail()]), at.state, { kind: 'not_sent', why: 'In it.', leavesOut: true });
  expect(already.outcome).toEqual({ kind: 'left_out', step: 'mail', why: 'In it.' });
});

test('a trial goes to one’s own address, is judged by nobody’s consent, and never goes the other way out', () => {
  const tried = written(begun(mail(), { instead: 'mira@clay.example' }));
  expect([tried?.values['/to'], tried?.message]).toEqual(['mira@clay.example', undefined]);
  const byNumber = begun(mail(), { instead: '+441632960771' });
  expect([written(byNumber), resultOf(byNumber)?.kind]).toEqual([undefined, 'not_sent']);
  const text = mail({
    target: phones,
    mapping: { '/to': fromField('/phone'), '/text': { kind: 'fixed', value: 'Hi' } },
  });
  expect(resultOf(begun(text, { instead: 'mira@clay.example' }))?.kind).toBe('not_sent');
  expect(written(begun(text, { instead: '+441632960771' }))?.values['/to']).toBe('+441632960771');
});

test('what it is for is asked where nobody has said, told in the brief, and a change of it is told', () => {
  const { purpose: _unsaid, ...rest } = mail();
  const said = (step: WriteStep): string[] => checkReadiness(contentWith([step])).map(({ message }) => message);
  expect(said(rest)).toContainEqual(expect.stringContaining('service or news'));
  expect(said(mail()).join()).not.toContain('service or news');
  const fixed = {
    ...rest,
    mapping: { ...rest.mapping, '/to': { kind: 'fixed' as const, value: 'mira@clay.example' } },
  };
  expect(said(fixed).join()).not.toContain('service or news');
  const names = { post: 'Post room', shop: 'Shop' };
  const sentence = writeBrief(contentWith([mail()]), names).at(-1);
  expect(sentence && sentenceText(sentence)).toMatch(/, as news\.$/);
  const changes = describeChanges(contentWith([rest]), contentWith([mail()]), names, {
    zone: 'Europe/London',
    country: 'GB',
  });
  expect(changes.map(({ text }) => text)).toContainEqual(expect.stringContaining('are news now'));
});
