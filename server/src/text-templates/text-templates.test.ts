import { type Step, startId, type TextTemplate, templateFilling, type WriteStep } from '@golden/core';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { customer, customersWorkflow, rowsOf } from '../testing/world.ts';

// Texts for several workflows, judged by the words that stand in the list in the end.

const hour = 60 * 60_000;
afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
interface Read extends TextTemplate {
  readonly name: string;
  readonly versions: readonly { readonly number: number; readonly text: string }[];
  readonly uses: readonly { readonly id: string }[];
}
const ask = <T>(method: string, path: string, body?: unknown): Promise<T> =>
  askApi(around.services, method, path, body);
const get = (id: string): Promise<Read> => ask('GET', `/api/text-templates/${id}`);
const words = async () =>
  (await rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers'))
    .map((row) => row['Name'])
    .sort();

async function saved(name: string, text: string): Promise<TextTemplate> {
  return get((await ask<{ id: string }>('POST', '/api/text-templates', { name, text })).id);
}

const change = (text: TextTemplate, to: string, name = 'Greeting', since = text.version) =>
  ask('PUT', `/api/text-templates/${text.id}`, { since, name, text: to });

/** A workflow whose customers are written after two hours, with the text as their name. */
async function using(text: TextTemplate, isLive: boolean): Promise<string> {
  const { services, connected } = around;
  const id = await customersWorkflow(services, connected, { mode: 'append' });
  const { draft, draftRev } = await services.workflows.get(id);
  const write = draft.steps[0] as WriteStep;
  const wait: Step = { id: 'wait', kind: 'wait', until: { kind: 'time', amount: 2, unit: 'hours', from: 'start' } };
  const greeting: Step = {
    ...write,
    id: 'greeting',
    mapping: {
      '/Number': { kind: 'field', ref: { step: startId, path: '/id' }, tidies: [] },
      '/Name': templateFilling(draft, write.id, text),
    },
  };
  await services.workflows.saveDraft(id, { ...draft, steps: [wait, greeting] }, draftRev);
  if (isLive) await live(id);
  return id;
}

async function live(id: string, waiting: 'stays' | 'goes_on' = 'stays'): Promise<void> {
  const { engine } = around.services;
  await engine.finish((await engine.makeLive(id, undefined, undefined, waiting === 'goes_on')).run);
  await engine.quiet();
}

async function hours(count: number): Promise<void> {
  (around.services.seams as TestClock).pass(count * hour);
  await around.services.engine.tick();
  await around.services.engine.quiet();
}

const usesOf = async ({ id }: TextTemplate) => (await get(id)).uses;
const add = (first_name: string) =>
  around.world.shop.store.add(customer({ first_name, email: `${first_name}@clay.example` }));

test.each([
  ['stays', ['Dear Ada', 'Dear Tom', 'Hello Ida']],
  ['goes_on', ['Hello Ada', 'Hello Ida', 'Hello Tom']],
] as const)(
  'who waits while a text is changed is told of; as chosen (%s) they get the old words or the new',
  async (waiting, rows) => {
    const text = await saved('Greeting', 'Dear {first name}');
    add('Ada');
    add('Tom');
    const first = await using(text, true);
    const other = await using(text, false);
    expect(await usesOf(text)).toMatchObject([
      { id: first, draft: 1, live: 1, waiting: 0 },
      { id: other, draft: 1, live: null, waiting: 0 },
    ]);
    await change(text, 'Hello {first name}');
    expect(await usesOf(text)).toMatchObject([
      { id: first, draft: 1, live: 1, waiting: 2 },
      { id: other, draft: 1, waiting: 0 },
    ]);
    const put = await ask('POST', `/api/text-templates/${text.id}/drafts`, { workflows: [first, other] });
    expect(put).toEqual({ count: 2 });
    // A live workflow goes on as it is until its draft is made live.
    expect(await usesOf(text)).toMatchObject([{ draft: 2, live: 1, waiting: 2 }, { draft: 2 }]);
    await live(first, waiting);
    expect(await usesOf(text)).toMatchObject([
      { draft: 2, live: 2, waiting: waiting === 'stays' ? 2 : 0 },
      { draft: 2 },
    ]);
    add('Ida');
    await around.services.engine.finish(await around.services.engine.checkNow(first));
    await hours(3);
    expect(await words()).toEqual(rows);
    expect((await usesOf(text))[0]).toMatchObject({ waiting: 0 });
  },
);

test('every version stays; one that was changed elsewhere isn’t overwritten; names are given once', async () => {
  const text = await saved('Greeting', 'One');
  await change(text, 'Two');
  await expect(change(text, 'Three')).rejects.toThrow('changed in another window');
  // Another name is no other version.
  await change(text, 'Two', 'Salutation', 2);
  const now = await get(text.id);
  expect(now).toMatchObject({ name: 'Salutation', version: 2 });
  expect(now.versions.map((one) => [one.number, one.text])).toEqual([
    [2, 'Two'],
    [1, 'One'],
  ]);
  await expect(saved('salutation ', 'Other')).rejects.toThrow('already');
  await expect(saved(' ', 'Other')).rejects.toThrow();
});

test('what is removed has given its words away: who uses them has them still', async () => {
  const text = await saved('Greeting', 'Dear {first name}');
  add('Ada');
  await using(text, true);
  await ask('DELETE', `/api/text-templates/${text.id}`);
  await expect(get(text.id)).rejects.toThrow('isn’t there any more');
  await hours(3);
  expect(await words()).toEqual(['Dear Ada']);
});
