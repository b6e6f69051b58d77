import { makeApi } from '../api/app.ts';
import { calendarsFor } from '../calendars.ts';
import type { KillPoint } from '../seams.ts';
import { tellerParts } from '../telling/parts.ts';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import {
  type AskedDesk,
  ann,
  askBoth,
  ben,
  column,
  connectPost,
  fromAsk,
  lettersOf,
  openAskedDesk,
  Visitor,
} from '../testing/asking.ts';
import { checkNow, goLive, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfAsking } from '../testing/drop.ts';
import { screenOf } from '../testing/screen.ts';
import { addCustomers, customer, customerMapping, customersWorkflow, rowsOf } from '../testing/world.ts';

// People are asked by mail, and answer on the page that its link leads to. The truth is looked for in their mailboxes and
// in the workbook: nothing stands there that nobody said yes to.

afterEach(async () => expect(await unbalanced(around.services)).toEqual([]));
const around = productAroundEach();

let desk: AskedDesk;
let post: string;
beforeEach(async () => {
  desk = await openAskedDesk();
  post = await connectPost(around.services, desk);
});
afterEach(() => desk.close());

type Question = Parameters<typeof askBoth>[1];

async function live(more: Question = {}, wishes: Parameters<typeof customersWorkflow>[2] = {}): Promise<string> {
  const workflow = await customersWorkflow(around.services, around.connected, {
    on: 'added_or_changed',
    steps: [askBoth(post, more)],
    ...wishes,
  });
  await goLive(around.services, workflow);
  await mailed();
  return workflow;
}

/** What is to be written to people is. */
async function mailed(): Promise<void> {
  await around.services.askLetters.look();
}

async function time(hours: number): Promise<void> {
  (around.services.seams as TestClock).pass(hours * 3_600_000);
  await around.services.engine.tick();
  await settled(around.services);
  await mailed();
}

async function rows(): Promise<string[]> {
  const { bytes } = around.world.shelf.files.get('customers.xlsx') ?? { bytes: new Uint8Array() };
  return (await rowsOf(bytes, 'Customers')).map((row) => String(row['Name'])).sort();
}

const states = async (): Promise<string[]> =>
  (await around.services.db.selectFrom('item').select('state').orderBy('seq').execute()).map(({ state }) => state);

const messages = async (): Promise<(string | null)[]> =>
  (await around.services.db.selectFrom('item').select('message').orderBy('seq').execute()).map(
    ({ message }) => message,
  );

const last = <T>(list: readonly T[]): T => list.at(-1) as T;
const linkOf = (address: string): string => last(lettersOf(desk, address)).link;

test('one mail to each tells of all, its link shows what would be written, and some are approved, one changed, one refused', async () => {
  addCustomers(around.world, 3);
  const workflow = await live();
  expect(lettersOf(desk, ann).map(({ subject }) => subject)).toEqual(['Please approve Ada 1 Nair and 2 more']);
  expect(lettersOf(desk, ben)).toHaveLength(1);
  expect(linkOf(ann)).not.toBe(linkOf(ben));
  expect(await states()).toEqual(['waiting', 'waiting', 'waiting']);
  expect(await rows()).toEqual([]);
  const visitor = new Visitor(around.services);
  const page = await visitor.open(linkOf(ann));
  expect(page.status).toBe(200);
  expect(page.html).toContain('Approve 3 records?');
  expect(page.inputs['c.0.1']).toBe('Ada 1 Nair');
  // A refusal without a reason isn't taken, and nothing typed is lost by it.
  const typed = { ...page.inputs, 'v.0': 'yes', 'v.1': 'no', 'c.2.1': 'Ada the Third', all: '' };
  const unfit = await visitor.send(linkOf(ann), typed);
  expect(unfit.html).toContain('Say in a few words why you refuse it.');
  expect([unfit.inputs['v.0'], unfit.inputs['c.1.1']]).toEqual(['no', 'Ada the Third']);
  await settled(around.services);
  const now = await visitor.open(linkOf(ann));
  expect(now.html).toContain('Approve 2 records?');
  const some = await visitor.send(linkOf(ann), { ...now.inputs, 'v.0': 'no', 'r.0': 'a double of Ada 1', all: '' });
  expect(some.html).toContain('1 answered. 1 still to answer.');
  await settled(around.services);
  expect(await rows()).toEqual(['Ada 1 Nair']);
  expect(await messages()).toContain(`Refused by ${ann}: a double of Ada 1`);
  const rest = await visitor.open(linkOf(ann));
  const third = await visitor.send(linkOf(ann), { ...rest.inputs, 'c.0.1': 'Ada the Third', 'v.0': 'yes', all: 'yes' });
  expect(third.html).toContain('All of this is answered');
  expect(third.html).toContain(`approved with one change by ${ann}`);
  await settled(around.services);
  expect(await rows()).toEqual(['Ada 1 Nair', 'Ada the Third']);
  expect(await states()).toEqual(['delivered', 'left_out', 'delivered']);
  // What was refused stays so, and what was approved isn't asked about again.
  await checkNow(around.services, workflow);
  expect(await states()).toEqual(['delivered', 'left_out', 'delivered']);
});

test('two who decide at once: the first counts, and the other is told; a link used twice, by another, too late', async () => {
  addCustomers(around.world, 1);
  await live();
  const [one, other] = [new Visitor(around.services), new Visitor(around.services)];
  const [seen, too] = [await one.open(linkOf(ann)), await other.open(linkOf(ben))];
  const [yes, no] = await Promise.all([
    one.send(linkOf(ann), { ...seen.inputs, all: 'yes' }),
    other.send(linkOf(ben), { ...too.inputs, all: 'no', 'r.0': 'no' }),
  ]);
  await settled(around.services);
  const isApproved = (await states())[0] === 'delivered';
  expect((isApproved ? no : yes).html).toContain(`by ${isApproved ? ann : ben}`);
  expect(await rows()).toHaveLength(isApproved ? 1 : 0);
  const decisions = await around.services.db.selectFrom('decision').selectAll().execute();
  expect(decisions).toHaveLength(1);
  // Used once more it does nothing.
  await one.send(linkOf(ann), { ...seen.inputs, all: isApproved ? 'no' : 'yes', 'r.0': 'after all' });
  await settled(around.services);
  expect(await states()).toEqual([isApproved ? 'delivered' : 'left_out']);
  // A link that was guessed or cut off leads nowhere, and one letter's answers are none of another's.
  expect((await one.open(linkOf(ann).slice(0, -3))).status).toBe(404);
});

test('a letter answers only for what it is about', async () => {
  addCustomers(around.world, 1);
  await live({ to: [{ kind: 'words', text: ann }] });
  const visitor = new Visitor(around.services);
  const first = await visitor.open(linkOf(ann));
  around.world.shop.store.add(customer({ email: 'second@clay.example', first_name: 'Second' }));
  const [{ id = '' } = {}] = await around.services.db.selectFrom('workflow').select('id').execute();
  await checkNow(around.services, id);
  await mailed();
  expect(lettersOf(desk, ann)).toHaveLength(2);
  const second = await visitor.open(linkOf(ann));
  const [old] = lettersOf(desk, ann);
  await visitor.send(old?.link ?? '', { ...first.inputs, 'i.0': second.inputs['i.0'] ?? '', all: 'yes' });
  await settled(around.services);
  expect(await rows()).toEqual([]);
});

test('working days are counted by the workspace’s calendar, as a wait’s are', async () => {
  addCustomers(around.world, 1);
  const workflow = await live({ by: { amount: 1, unit: 'working_days' } });
  const { services } = around;
  const { draft } = await services.workflows.get(workflow);
  expect(await calendarsFor(services.db, draft, services.seams.now())).not.toBeUndefined();
  const plain = { ...draft, steps: [askBoth(post), ...draft.steps.filter(({ kind }) => kind !== 'ask')] };
  expect(await calendarsFor(services.db, plain, services.seams.now())).toBeUndefined();
});

test('what has changed between showing and approving is shown once more', async () => {
  addCustomers(around.world, 1);
  const workflow = await live();
  const visitor = new Visitor(around.services);
  const page = await visitor.open(linkOf(ann));
  const [ada] = around.world.shop.store.search('', 1, 0);
  around.world.shop.store.change(ada?.id ?? 0, { last_name: 'Byron' });
  // It changes there before any check has seen it: read anew on waking, it isn't what she saw.
  await visitor.send(linkOf(ann), { ...page.inputs, all: 'yes' });
  await settled(around.services);
  expect(await rows()).toEqual([]);
  expect(await states()).toEqual(['waiting']);
  await mailed();
  expect(last(lettersOf(desk, ann)).text).toContain('It has changed since it was approved: Name.');
  // A check that sees it makes another revision, which is asked about in its place.
  await checkNow(around.services, workflow);
  await mailed();
  expect(await states()).toEqual(['dismissed', 'waiting']);
  const again = await visitor.open(linkOf(ann));
  expect(again.inputs['c.0.1']).toBe('Ada 1 Byron');
  // The page that was opened before says so instead of taking the answer.
  const stale = await visitor.send(linkOf(ann), { ...again.inputs, 'i.0': page.inputs['i.0'] ?? '', all: 'yes' });
  expect(stale.status).toBe(200);
  expect(await rows()).toEqual([]);
  await visitor.send(linkOf(ann), { ...again.inputs, all: 'yes' });
  await settled(around.services);
  expect(await rows()).toEqual(['Ada 1 Byron']);
});

test('nobody answers: reminded, then as chosen, and never a yes', async () => {
  addCustomers(around.world, 1);
  await live({ remind: { amount: 1, unit: 'days' } });
  await time(25);
  expect(lettersOf(desk, ann).map(({ subject }) => subject)).toEqual([
    'Please approve Ada 1 Nair',
    'Reminder: Please approve Ada 1 Nair',
  ]);
  expect(await rows()).toEqual([]);
  await time(25);
  expect(await states()).toEqual(['left_out']);
  expect((await messages())[0]).toMatch(/^Nobody answered until /);
  const visitor = new Visitor(around.services);
  const page = await visitor.open(linkOf(ann));
  expect(page.html).toContain('not asked any more');
  expect(await rows()).toEqual([]);
});

test('reminded for ever where that was chosen; a link whose time is over is good for nothing, the newer one is', async () => {
  addCustomers(around.world, 1);
  await live({ silence: 'reminds' });
  const early = linkOf(ann);
  const visitor = new Visitor(around.services);
  const page = await visitor.open(early);
  await time(49);
  expect(lettersOf(desk, ann)).toHaveLength(2);
  expect((await visitor.open(early)).status).toBe(410);
  await visitor.send(early, { ...page.inputs, all: 'yes' });
  await settled(around.services);
  expect(await rows()).toEqual([]);
  const now = await visitor.open(linkOf(ann));
  await visitor.send(linkOf(ann), { ...now.inputs, all: 'yes' });
  await settled(around.services);
  expect(await rows()).toEqual(['Ada 1 Nair']);
});

test('a code is sent beside the link, in a mail of its own: without it nothing is seen or answered', async () => {
  addCustomers(around.world, 1);
  await live({ alwaysCode: true });
  const visitor = new Visitor(around.services);
  const link = linkOf(ann);
  const closed = await visitor.open(link);
  expect(closed.html).toContain('First a code');
  expect(closed.html).not.toContain('Nair');
  const sent = await visitor.send(link, { do: 'send' });
  expect(sent.html).toContain('Type the code');
  const code = /Your code is (\d{6})/.exec(last(lettersOf(desk, ann)).text)?.[1] ?? '';
  const wrong = String((Number(code) + 1) % 1_000_000).padStart(6, '0');
  for (let tries = 0; tries < 5; tries++)
    expect((await visitor.send(link, { do: 'code', code: wrong })).html).toContain('isn’t the code');
  // Guessing ends; a new code begins anew.
  expect((await visitor.send(link, { do: 'code', code })).html).toContain('mistyped too often');
  await time(0.1);
  await visitor.send(link, { do: 'send' });
  const next = /Your code is (\d{6})/.exec(last(lettersOf(desk, ann)).text)?.[1] ?? '';
  const open = await visitor.send(link, { do: 'code', code: next });
  expect(open.html).toContain('Nair');
  // Another browser with the same link isn't let in by that, nor is one code good for two.
  const thief = new Visitor(around.services);
  expect((await thief.open(link)).html).not.toContain('Nair');
  expect((await thief.send(link, { do: 'code', code: next })).html).not.toContain('Nair');
  await thief.send(link, { ...open.inputs, all: 'yes' });
  await settled(around.services);
  expect(await rows()).toEqual([]);
  await visitor.send(link, { ...open.inputs, all: 'yes' });
  await settled(around.services);
  expect(await rows()).toEqual(['Ada 1 Nair']);
  // Also once it is answered it says nothing of what it was about to anybody else.
  expect((await thief.open(link)).html).not.toContain('Nair');
  expect((await visitor.open(link)).html).toContain('Ada 1 Nair: approved');
});

test('questions are answered on the page and become fields; what doesn’t fit is said', async () => {
  addCustomers(around.world, 1);
  const questions = [
    { key: 'q1', label: 'Since when is she a customer?', type: 'date' as const, isRequired: true },
    { key: 'q2', label: 'How many kilns?', type: 'integer' as const, isRequired: false },
  ];
  const workflow = await customersWorkflow(around.services, around.connected, {
    steps: [askBoth(post, { what: { kind: 'questions', questions } })],
  });
  const { draft } = await around.services.workflows.get(workflow);
  const steps = draft.steps.map((step) =>
    step.kind === 'write'
      ? {
          ...step,
          mapping: { ...customerMapping, [column('Since')]: fromAsk('/q1'), [column('Postcode')]: fromAsk('/q2') },
        }
      : step,
  );
  const { draftRev } = await around.services.workflows.get(workflow);
  await around.services.workflows.saveDraft(workflow, { ...draft, steps }, draftRev);
  await goLive(around.services, workflow);
  await mailed();
  const visitor = new Visitor(around.services);
  const page = await visitor.open(linkOf(ann));
  expect(page.html).toContain('Since when is she a customer?');
  const unfit = await visitor.send(linkOf(ann), { ...page.inputs, 'q.0.q2': 'many' });
  expect(unfit.html).toContain('This is missing.');
  expect(unfit.inputs['q.0.q2']).toBe('many');
  await visitor.send(linkOf(ann), { ...page.inputs, 'q.0.q1': '2026-03-01', 'q.0.q2': '4' });
  await settled(around.services);
  const { bytes } = around.world.shelf.files.get('customers.xlsx') ?? { bytes: new Uint8Array() };
  const [row] = await rowsOf(bytes, 'Customers');
  expect(String(row?.['Postcode'])).toBe('4');
  expect(JSON.stringify(row?.['Since'])).toContain('2026-03-01');
});

test('in the product: it stands there to be done, “send now” is no yes, and screens are told', async () => {
  addCustomers(around.world, 2);
  const workflow = await live({ to: [], through: null });
  const { services } = around;
  const screen = screenOf(services);
  await screen();
  expect(lettersOf(desk, ann)).toEqual([]);
  type Row = { readonly id: string; readonly print: string };
  const groups = await askApi<{ count: number; kind: string }[]>(services, 'GET', '/api/asks');
  expect(groups).toMatchObject([{ count: 2, kind: 'approval', titles: ['Ada 1 Nair', 'Ada 2 Nair'] }]);
  // Nobody was written to by the step: whoever is told what needs somebody hears of it.
  expect(await tellerParts(services).needs()).toMatchObject([{ count: 2, message: 'To be approved.' }]);
  const shown = await askApi<{ rows: Row[] }>(services, 'GET', `/api/workflows/${workflow}/asks/ask`);
  const [first, second] = shown.rows;
  const now = await askApi<{ count: number }>(services, 'POST', `/api/workflows/${workflow}/due`, {
    items: [first?.id],
    act: { kind: 'now' },
  });
  expect(now.count).toBe(0);
  expect(await rows()).toEqual([]);
  const given = [
    { itemId: first?.id, print: first?.print, says: { kind: 'yes', changes: { [column('Name')]: 'Ada One' } } },
    { itemId: second?.id, print: 'another', says: { kind: 'yes', changes: {} } },
  ];
  const answered = await askApi<{ results: { state: string }[] }>(services, 'POST', '/api/asks', { answers: given });
  expect(answered.results.map(({ state }) => state)).toEqual(['taken', 'changed']);
  await settled(services);
  expect(await rows()).toEqual(['Ada One']);
  expect(await screen()).toBe(true);
  await askApi(services, 'POST', `/api/workflows/${workflow}/due`, {
    items: [second?.id],
    act: { kind: 'stop', why: 'not wanted' },
  });
  await settled(services);
  expect(await states()).toEqual(['delivered', 'left_out']);
  expect(
    (await makeApi(services).request('http://127.0.0.1/api/asks', { headers: { host: '127.0.0.1' } })).status,
  ).toBe(200);
});

test('a mail that can’t be sent is tried again, and said where it is answered', async () => {
  addCustomers(around.world, 1);
  desk.room.state.troubles.set('fault', 1);
  await live();
  const [group] = await askApi<{ trouble: string | null }[]>(around.services, 'GET', '/api/asks');
  expect(lettersOf(desk, ann).length + lettersOf(desk, ben).length).toBe(1);
  expect(group?.trouble).toContain('could not be sent');
  await time(2);
  expect([lettersOf(desk, ann).length, lettersOf(desk, ben).length]).toEqual([1, 1]);
});

test.each(pointsOfAsking)(
  'the process ends at %s: nothing is lost, and nothing is written without a yes',
  async (point: KillPoint) => {
    addCustomers(around.world, 2);
    const workflow = await customersWorkflow(around.services, around.connected, { steps: [askBoth(post)] });
    const dropped = dropAt(around.services, point);
    const under = goLive(around.services, workflow).then(mailed);
    if (point !== 'ask:after-answer') {
      await Promise.race([dropped, under.then(() => dropped)]);
      await reopenAfterDrop();
      await mailed();
      await time(0.1);
    } else await under;
    // Whoever got a mail twice has the same link in both.
    expect(new Set(lettersOf(desk, ann).map(({ link }) => link)).size).toBe(1);
    expect(await rows()).toEqual([]);
    const visitor = new Visitor(around.services);
    const page = await visitor.open(linkOf(ann));
    const sent = visitor.send(linkOf(ann), { ...page.inputs, all: 'yes' });
    if (point === 'ask:after-answer') {
      await dropped;
      await reopenAfterDrop();
      const again = new Visitor(around.services);
      const rest = await again.open(linkOf(ann));
      await again.send(linkOf(ann), { ...rest.inputs, all: 'yes' });
    } else await sent;
    await time(0.1);
    expect(await rows()).toEqual(['Ada 1 Nair', 'Ada 2 Nair']);
  },
);

/** Another process goes on with what the dropped one left. */
async function reopenAfterDrop(): Promise<void> {
  const { seams } = around.services;
  const { openServices } = await import('../testing/world.ts');
  around.services = await openServices(around.world, { seams: (seams as TestClock).next() });
  await around.services.engine.start();
  await settled(around.services);
}
