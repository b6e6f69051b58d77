import { readAnswers } from '@golden/core';
import fc from 'fast-check';
import { makeDoor } from '../doors/door-app.ts';
import { DoorLimits } from '../doors/limits.ts';
import type { KillPoint } from '../seams.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { goLive, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt } from '../testing/drop.ts';
import { openServices, placeOf, rowsOf } from '../testing/world.ts';
import { FormLimits } from './form-routes.ts';
import { FormSettingSchema } from './setting.ts';

// A form as people fill it in, at the door. The truth is looked for in the workbook: a row for each submission that was
// thanked for, and none for any other.

afterEach(async () => expect(await unbalanced(around.services)).toEqual([]));
const around = productAroundEach();

interface Page {
  readonly status: number;
  readonly html: string;
  readonly to: string | null;
  readonly headers: Headers;
}

type Values = Readonly<Record<string, string | File | readonly string[]>>;

type Door = ReturnType<typeof makeDoor>;

/** The door as others reach it, through a proxy that says where they are. */
async function openDoor(times = 1): Promise<Door> {
  const { db } = around.services;
  await saveSettings(db, { ...(await loadSettings(db)), proxies: ['127.0.0.1'] });
  return makeDoor(around.services, new DoorLimits(100), new FormLimits(times));
}

/** One person's browser, or a robot's. */
class Browser {
  constructor(
    private readonly door: Door,
    private readonly from = '198.51.100.7',
  ) {}

  async open(url: string): Promise<Page> {
    return page(
      await this.door.request(
        new URL(url, 'http://door.example').pathname + new URL(url, 'http://door.example').search,
        { headers: this.headers },
      ),
    );
  }

  async send(url: string, values: Values): Promise<Page> {
    const body = new FormData();
    for (const [name, value] of Object.entries(values))
      for (const one of Array.isArray(value) ? value : [value]) body.append(name, one as string);
    return page(await this.door.request(new URL(url).pathname, { method: 'POST', body, headers: this.headers }));
  }

  private get headers(): Record<string, string> {
    return { 'x-forwarded-for': this.from };
  }
}

const page = async (answer: Response): Promise<Page> => ({
  status: answer.status,
  html: await answer.text(),
  to: answer.headers.get('location'),
  headers: answer.headers,
});

/** The hidden values of a page. */
const hidden = (html: string): Record<string, string> =>
  Object.fromEntries(
    [...html.matchAll(/<input type="hidden" name="([^"]+)" value="([^"]*)"/g)].map(([, name = '', value = '']) => [
      name,
      value,
    ]),
  );

interface Made {
  readonly workflow: string;
  readonly inbox: string;
  url(): Promise<string>;
}

interface View {
  readonly url: string;
  readonly version: number;
  readonly setting: Record<string, unknown> & { questions: unknown[] };
  readonly refused: { reason: string }[];
  readonly counts: { came: number; repeats: number };
}

const viewOf = (inbox: string): Promise<View> => askApi<View>(around.services, 'GET', `/api/forms/${inbox}`);

/** A form whose submissions become rows; it is live. */
async function formOntoTheList(
  questions?: object[],
  columns: Readonly<Record<string, string>> = { Name: '/q1', 'E-mail': '/q2' },
): Promise<Made> {
  const { services, connected } = around;
  const { id } = await askApi<{ id: string }>(services, 'POST', '/api/starts', { kind: 'form', name: 'Kiln visit' });
  const { draft } = await services.workflows.get(id);
  const inbox = draft.start.source?.path[0] ?? '';
  if (questions) {
    const { setting, version } = await viewOf(inbox);
    await askApi(services, 'PUT', `/api/forms/${inbox}`, { since: version, setting: { ...setting, questions } });
  }
  const source = draft.start.source && (await placeOf(services, draft.start.source.connection, [inbox]));
  const mapping = Object.fromEntries(
    Object.entries(columns).map(([name, path]) => [
      `/${name}`,
      { kind: 'field', ref: { step: 'start', path }, tidies: [] },
    ]),
  );
  const target = await placeOf(services, connected.shelf, ['customers.xlsx', 'Customers']);
  const steps = [{ id: 'row', kind: 'write', target, mode: 'append', mapping }];
  const { draftRev } = await services.workflows.get(id);
  const content = {
    ...draft,
    start: { ...draft.start, source: source && { ...source, labels: ['Kiln visit'] } },
    steps,
  };
  await services.workflows.saveDraft(id, content as typeof draft, draftRev);
  await goLive(services, id);
  return { workflow: id, inbox, url: async () => (await viewOf(inbox)).url };
}

async function rows() {
  const { bytes } = around.world.shelf.files.get('customers.xlsx') ?? { bytes: new Uint8Array() };
  return rowsOf(bytes, 'Customers');
}

/** Lets what came be taken in. */
async function takenIn(): Promise<void> {
  await around.services.engine.tick();
  await settled(around.services);
}

test('a submission becomes a row; what doesn’t fit is said beside its question, and nothing typed is lost', async () => {
  const made = await formOntoTheList();
  const url = await made.url();
  const browser = new Browser(await openDoor());
  const first = await browser.open(url);
  expect(first.headers.get('content-security-policy')).toMatch(
    /default-src 'none'.*script-src 'sha256-[\w+/=]+';.*frame-ancestors 'none'/,
  );
  const wrong = await browser.send(url, {
    ...hidden(first.html),
    'a.q1': '<b>Ada</b> & "Co"',
    'a.q2': 'ada at clay',
    'a.q3': 'Line one\r\nline two',
  });
  expect(wrong.status).toBe(422);
  expect(wrong.html).toContain('“ada at clay” is not an e-mail address.');
  expect(wrong.html).toContain('value="&lt;b&gt;Ada&lt;/b&gt; &amp; &quot;Co&quot;"');
  expect(wrong.html).toContain('Line one\nline two');
  const sent = await browser.send(url, {
    ...hidden(wrong.html),
    'a.q1': 'Ada',
    'a.q2': 'ada@clay.example',
    'a.q3': '',
  });
  expect([sent.status, sent.to]).toEqual([303, `${new URL(url).pathname}?sent`]);
  expect((await browser.open(`${url}?sent`)).html).toContain('Thank you. It has come in.');
  await takenIn();
  expect(await rows()).toMatchObject([{ Name: 'Ada', 'E-mail': 'ada@clay.example' }]);
});

test('sent twice from one page it is one; filled in twice it is two', async () => {
  const made = await formOntoTheList();
  const url = await made.url();
  const browser = new Browser(await openDoor());
  const values = { ...hidden((await browser.open(url)).html), 'a.q1': 'Ada', 'a.q2': 'ada@clay.example' };
  await Promise.all([browser.send(url, values), browser.send(url, values)]);
  await browser.send(url, { ...hidden((await browser.open(url)).html), 'a.q1': 'Ada', 'a.q2': 'ada@clay.example' });
  await takenIn();
  expect(await rows()).toHaveLength(2);
  expect((await viewOf(made.inbox)).counts).toMatchObject({ came: 2, repeats: 1 });
});

test('a robot: what people don’t see is a trap, and a thousand posts hold nobody else up', async () => {
  const made = await formOntoTheList();
  const url = await made.url();
  const door = await openDoor();
  const robot = new Browser(door, '203.0.113.9');
  const trapped = await robot.send(url, { 'a.q1': 'Buy', 'a.q2': 'buy@spam.example', website: 'http://spam.example' });
  expect(trapped.status).toBe(303);
  expect((await viewOf(made.inbox)).refused[0]?.reason).toMatch(/robot/);
  let came = 0;
  let held = 0;
  for (let at = 0; at < 1000; at++) {
    const { status } = await robot.send(url, { k: `robot ${at}`, 'a.q1': `Buy ${at}`, 'a.q2': 'buy@spam.example' });
    if (status === 303) came += 1;
    if (status === 429) held += 1;
  }
  expect(came + held).toBe(1000);
  expect(came).toBeLessThan(20);
  // Another person elsewhere isn't held up by that.
  const person = new Browser(door);
  const other = await person.send(url, { 'a.q1': 'Ada', 'a.q2': 'ada@clay.example' });
  expect(other.status).toBe(303);
  await takenIn();
  expect(await rows()).toHaveLength(came + 1);
});

test('changed while it is live: a page that was opened before is answered as it was; the new one asks the new questions', async () => {
  const made = await formOntoTheList();
  const url = await made.url();
  const browser = new Browser(await openDoor(100));
  const old = await browser.open(url);
  const { setting, version } = await viewOf(made.inbox);
  const questions = [
    { key: 'q1', label: 'What are you called?', type: 'text', isRequired: true },
    { key: 'q4', label: 'Postcode', type: 'text', isRequired: true },
  ];
  await askApi(around.services, 'PUT', `/api/forms/${made.inbox}`, {
    since: version,
    setting: { ...setting, questions },
  });
  // Somebody else's window doesn't overwrite it.
  await expect(askApi(around.services, 'PUT', `/api/forms/${made.inbox}`, { since: version, setting })).rejects.toThrow(
    'in another window',
  );
  expect((await browser.send(url, { ...hidden(old.html), 'a.q1': 'Ada', 'a.q2': 'ada@clay.example' })).status).toBe(
    303,
  );
  const now = await browser.open(url);
  expect(now.html).toContain('What are you called?');
  expect((await browser.send(url, { ...hidden(now.html), 'a.q1': 'Ben' })).html).toContain('This is missing.');
  expect((await browser.send(url, { ...hidden(now.html), 'a.q1': 'Ben', 'a.q4': 'ZZ1 2AB' })).status).toBe(303);
  await takenIn();
  // The live version goes on with what it knows: an answer that isn't asked for any more is empty.
  expect((await rows()).map((row) => [row['Name'], row['E-mail'] ?? null])).toEqual([
    ['Ada', 'ada@clay.example'],
    ['Ben', null],
  ]);
});

test('a file comes with a link that only whoever has it opens, as a download and nothing else', async () => {
  const questions = [
    { key: 'q1', label: 'Your name', type: 'text', isRequired: true },
    { key: 'q2', label: 'A photo', type: 'file', isRequired: true },
  ];
  const made = await formOntoTheList(questions, { Name: '/q1', 'E-mail': '/q2/link', Phone: '/q2/name' });
  const url = await made.url();
  const browser = new Browser(await openDoor());
  const opened = await browser.open(url);
  expect(opened.html).toContain('enctype="multipart/form-data"');
  const photo = new File(['<script>alert(1)</script>'], '../../wood "ash".html', { type: 'text/html' });
  const wrong = await browser.send(url, { ...hidden(opened.html), 'a.q1': '', 'a.q2': photo });
  expect(wrong.html).toContain('is kept: it needn’t be chosen again');
  expect((await browser.send(url, { ...hidden(wrong.html), 'a.q1': 'Ada' })).status).toBe(303);
  await takenIn();
  const [row] = await rows();
  expect(row?.['Phone']).toBe('wood _ash_.html');
  const link = String(
    typeof row?.['E-mail'] === 'object'
      ? (row['E-mail'] as { text?: string; hyperlink?: string }).hyperlink
      : row?.['E-mail'],
  );
  const file = await browser.open(link);
  expect(file.html).toBe('<script>alert(1)</script>');
  expect(file.headers.get('content-disposition')).toMatch(/^attachment/);
  expect(file.headers.get('x-content-type-options')).toBe('nosniff');
  expect(file.headers.get('content-type')).toBe('application/octet-stream');
  expect((await browser.open(link.replace(/\/file\/([^/]+)\/[^/]+/, '/file/$1/AAAAAAAAAAAAAAAAAAAAAA'))).status).toBe(
    404,
  );
  // What a process leaves behind is swept up at its next start; what a form has kept stays.
  await around.services.arrivals.sweep();
  expect((await browser.open(link)).status).toBe(200);
});

test('with a link that can’t be guessed, or one that can be remembered; the old one says that it is closed', async () => {
  const made = await formOntoTheList();
  const before = await made.url();
  expect(new URL(before).pathname).toMatch(/^\/form\/[0-9a-f]{40}$/);
  const { setting, version } = await viewOf(made.inbox);
  await askApi(around.services, 'PUT', `/api/forms/${made.inbox}`, {
    since: version,
    setting: { ...setting, title: 'Visit our Öfen', access: 'anybody' },
  });
  const browser = new Browser(await openDoor());
  expect(new URL(await made.url()).pathname).toBe('/form/visit-our-ofen');
  expect((await browser.open(before)).status).toBe(410);
  expect((await browser.send(before, { 'a.q1': 'Ada', 'a.q2': 'ada@clay.example' })).status).toBe(410);
  expect((await browser.open(`${new URL(before).origin}/form/nothing`)).status).toBe(404);
  // A copy of the workflow has a form of its own, at an address of its own.
  const copy = await askApi<{ id: string }>(around.services, 'POST', `/api/workflows/${made.workflow}/duplicate`);
  const { draft } = await around.services.workflows.get(copy.id);
  const other = await viewOf(draft.start.source?.path[0] ?? '');
  expect(new URL(other.url).pathname).toBe('/form/visit-our-ofen-2');
});

test.each(['arrival:before-store', 'arrival:after-store'] as const)(
  'the process ends at %s: whoever was not thanked sends it again, and it is there once',
  async (point: KillPoint) => {
    const made = await formOntoTheList();
    const url = await made.url();
    const browser = new Browser(await openDoor());
    const values = { ...hidden((await browser.open(url)).html), 'a.q1': 'Ada', 'a.q2': 'ada@clay.example' };
    const dropped = dropAt(around.services, point);
    await Promise.race([dropped, browser.send(url, values).then(() => dropped)]);
    around.services = await openServices(around.world, { seams: (around.services.seams as TestClock).next() });
    await around.services.engine.start();
    expect((await new Browser(await openDoor()).send(url, values)).status).toBe(303);
    await takenIn();
    expect((await rows()).map((row) => row['Name'])).toEqual(['Ada']);
  },
);

test('a colour on which white words can’t be read is refused (WCAG 2.2, 1.4.3)', () => {
  const of = (colour: string) => FormSettingSchema.safeParse({ title: 'x', questions: [], colour }).success;
  expect([of('#0f5b50'), of('#767676'), of('#777777'), of('#ffff00'), of('green')]).toEqual([
    true,
    true,
    false,
    false,
    false,
  ]);
});

// Law: whatever is typed, a submission either comes in as its fields have it, read back the same, or each problem names its
// question; nothing throws.
test('law: answers of any kind are read or refused, and what is read is read the same again', () => {
  const types = [
    'text',
    'long_text',
    'choice',
    'choices',
    'integer',
    'decimal',
    'date',
    'boolean',
    'email',
    'phone',
  ] as const;
  const question = fc.record({
    key: fc.constantFrom('q1', 'q2', 'q3', 'q4'),
    label: fc.string({ minLength: 1 }),
    type: fc.constantFrom(...types),
    options: fc.constant<string[]>(['low', 'high', 'Öfen']),
    isRequired: fc.boolean(),
  });
  const answer = fc.oneof(
    fc.string(),
    fc.constantFrom('low', 'high', '12,5', '2026-02-30', '31/12/2026', 'true', 'a@b.example', '01632 960001'),
    fc.array(fc.constantFrom('low', 'x')),
    fc.boolean(),
  );
  fc.assert(
    fc.property(
      fc.uniqueArray(question, { selector: ({ key }) => key }),
      fc.dictionary(fc.constantFrom('q1', 'q2', 'q3', 'q4', 'q9', '__proto__'), answer),
      (questions, given) => {
        const locale = { zone: 'Europe/London', country: 'GB' };
        const read = readAnswers(questions, given, locale);
        if (!read.ok) {
          for (const { key } of read.problems) expect(questions.map((one) => one.key)).toContain(key);
          return;
        }
        expect(Object.keys(read.record).sort()).toEqual(questions.map(({ key }) => key).sort());
        expect(readAnswers(questions, read.record as typeof given, locale)).toEqual(read);
      },
    ),
    { numRuns: 500 },
  );
});
