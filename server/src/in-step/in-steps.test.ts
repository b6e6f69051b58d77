import { usualInStep } from '@golden/core';
import { correctLink } from '../matching/correct-link.ts';
import type { KillPoint } from '../seams.ts';
import { productAroundEach } from '../testing/around.ts';
import { decide, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfInStep } from '../testing/drop.ts';
import { type PeopleApp, type Person, peopleApp } from '../testing/people-app.ts';
import { openServices } from '../testing/world.ts';
import { InSteps } from './in-steps.ts';
import { chainDescriptions, connectApps, keepInStep, liveAgain } from './testing.ts';

// Two apps that people work in at the same time, kept in step; judged by what the apps themselves hold.

const aroundWriting = [
  'take-in:after-store',
  'intent:after-store',
  'send:after',
  'result:before-store',
  'result:after-store',
  'read-back:after',
  'outcome:after-store',
] as const;

const around = productAroundEach();
let shop: PeopleApp;
let index: PeopleApp;
let connections: Record<string, string>;

beforeEach(async () => {
  [shop, index] = [await peopleApp(), await peopleApp()];
  await around.services.close();
  around.services = await openServices(around.world, { descriptions: chainDescriptions });
  connections = await connectApps(around.services, { shop, index });
});
afterEach(async () => {
  await shop.at.close();
  await index.at.close();
});

let made = 0;
const add = (app: PeopleApp, email: string, name: string, ref: string | null = null): Person => {
  const one = { id: `own-${++made}`, email, name, ref };
  app.people.push(one);
  return one;
};
const by = (app: PeopleApp, email: string): Person => {
  const found = app.people.filter((one) => one.email === email);
  if (found.length !== 1) throw new Error(`${email} is there ${found.length} times.`);
  return found[0] as Person;
};
const writes = (): number => [shop, index].flatMap(({ asked }) => asked).filter((one) => !one.startsWith('GET')).length;

const start = async (more = {}): Promise<string> => {
  const id = await keepInStep(around.services, connections['shop'] ?? '', connections['index'] ?? '', more);
  await rest();
  return id;
};

async function rest(): Promise<void> {
  const runs = await around.services.db.selectFrom('run').select('id').where('state', '!=', 'done').execute();
  for (const { id } of runs) await around.services.engine.finish(id);
  await settled(around.services);
}

async function check(id: string): Promise<void> {
  await new InSteps(around.services).check(id);
  await rest();
}

/** The process ends at a point of some work, and another one takes it up. */
async function endedAt(point: KillPoint, work: () => Promise<unknown>): Promise<void> {
  const dropped = dropAt(around.services, point);
  await Promise.race([work().catch(() => new Promise(() => undefined)), dropped]);
  const seams = (around.services.seams as TestClock).next();
  around.services = await openServices(around.world, { descriptions: chainDescriptions, seams });
  await around.services.engine.resume();
}

const runOf = async (workflow: string): Promise<void> => {
  const { engine } = around.services;
  await engine.finish(await engine.checkNow(workflow));
};

const open = () =>
  around.services.db
    .selectFrom('item')
    .select(['id', 'state', 'cause', 'message', 'item_state', 'workflow_id'])
    .where('state', '=', 'unsettled')
    .execute();

test('the first time: new ones go both ways, pairs are recognised, and what is empty is filled from the other side', async () => {
  add(shop, 'ada@clay.example', 'Ada', 'trade');
  add(shop, 'bo@clay.example', 'Bo');
  add(index, 'ada@clay.example', 'Ada');
  add(index, 'cy@clay.example', 'Cy', 'hobby');
  const id = await start();
  for (const app of [shop, index]) {
    expect(app.people.map(({ email }) => email).sort()).toEqual(
      ['ada', 'bo', 'cy'].map((who) => `${who}@clay.example`),
    );
    expect(by(app, 'ada@clay.example').ref).toBe('trade');
    expect(by(app, 'cy@clay.example')).toMatchObject({ name: 'Cy', ref: 'hobby' });
  }
  expect(await open()).toEqual([]);
  const before = writes();
  await check(id);
  await check(id);
  expect(writes()).toBe(before);
  // The echo of what was written starts nothing: only the first runs have items.
  const items = await around.services.db.selectFrom('item').select('id').execute();
  expect(items.length).toBeLessThanOrEqual(6);
  expect(await unbalanced(around.services)).toEqual([]);
});

test('changes on both sides go over, a conflict is asked once, and the answer holds for both', async () => {
  add(shop, 'ada@clay.example', 'Ada', 'trade');
  const id = await start();
  by(shop, 'ada@clay.example').name = 'Ada Shop';
  by(index, 'ada@clay.example').ref = 'school';
  await check(id);
  expect([by(shop, 'ada@clay.example'), by(index, 'ada@clay.example')].map(({ name, ref }) => [name, ref])).toEqual([
    ['Ada Shop', 'school'],
    ['Ada Shop', 'school'],
  ]);
  by(shop, 'ada@clay.example').name = 'Ada One';
  by(index, 'ada@clay.example').name = 'Ada Two';
  await check(id);
  const asked = await open();
  expect(asked).toHaveLength(1);
  expect(asked[0]?.message).toContain('changed there and in the source');
  const state = JSON.parse(asked[0]?.item_state ?? '{}');
  const [step] = Object.keys(state.steps).filter((one) => state.steps[one].kind === 'unsettled');
  await decide(around.services, asked[0]?.id ?? '', {
    kind: 'set',
    step: step ?? '',
    values: { '/name': 'Ada Two' },
  });
  await settled(around.services);
  expect([by(shop, 'ada@clay.example').name, by(index, 'ada@clay.example').name]).toEqual(['Ada Two', 'Ada Two']);
  const before = writes();
  await check(id);
  expect(writes()).toBe(before);
  expect(await unbalanced(around.services)).toEqual([]);
});

test('what is undone is held: neither side is written over until a person has said what holds', async () => {
  add(shop, 'ada@clay.example', 'Ada', 'trade');
  const id = await start();
  by(shop, 'ada@clay.example').name = 'Ada Moss';
  await check(id);
  expect(by(index, 'ada@clay.example').name).toBe('Ada Moss');
  const item = await around.services.db
    .selectFrom('item')
    .select('id')
    .where('state', '=', 'delivered')
    .orderBy('seq', 'desc')
    .executeTakeFirstOrThrow();
  await around.services.engine.takeBack(item.id);
  expect([by(shop, 'ada@clay.example').name, by(index, 'ada@clay.example').name]).toEqual(['Ada Moss', 'Ada']);
  await check(id);
  expect([by(shop, 'ada@clay.example').name, by(index, 'ada@clay.example').name]).toEqual(['Ada Moss', 'Ada']);
  expect(await open()).toEqual([]);
  // Another field changes: that one goes over, and what was undone is asked.
  by(index, 'ada@clay.example').ref = 'school';
  await check(id);
  const [asked] = await open();
  expect(asked?.message).toContain('It was undone');
  const state = JSON.parse(asked?.item_state ?? '{}');
  const [step] = Object.keys(state.steps).filter((one) => state.steps[one].kind === 'unsettled');
  await decide(around.services, asked?.id ?? '', { kind: 'set', step: step ?? '', values: { '/name': 'Ada M.' } });
  await settled(around.services);
  for (const app of [shop, index]) expect(by(app, 'ada@clay.example')).toMatchObject({ name: 'Ada M.', ref: 'school' });
  expect(await unbalanced(around.services)).toEqual([]);
});

test('a workflow that copies one way gets its other direction: what it has sent and matched holds for both', async () => {
  add(shop, 'ada@clay.example', 'Ada', 'trade');
  const first = await start();
  const { row } = await new InSteps(around.services).get(first);
  const inSteps = new InSteps(around.services);
  await inSteps.turn(first, false);
  await inSteps.remove(first);
  const { draft } = await around.services.workflows.get(row.there_id);
  expect([draft.inStep, draft.steps.length]).toEqual([undefined, 1]);
  await around.services.workflows.remove(row.here_id);
  const again = await inSteps.addTo(row.there_id);
  expect(await inSteps.addTo(row.there_id)).toBe(again);
  await liveAgain(around.services, again);
  await rest();
  by(index, 'ada@clay.example').name = 'Ada Moss';
  const before = writes();
  await check(again);
  expect(by(shop, 'ada@clay.example').name).toBe('Ada Moss');
  expect(writes()).toBe(before + 1);
  expect(await open()).toEqual([]);
});

test('two with one address: the second is never written onto the partner of the first', async () => {
  add(shop, 'ada@clay.example', 'Ada', 'trade');
  const id = await start();
  shop.people.push({ id: 'twin', email: 'ada@clay.example', name: 'Adam', ref: null });
  await check(id);
  expect(index.people.map(({ name }) => name)).toEqual(['Ada']);
  const [asked] = await open();
  expect(asked?.message).toContain('is in step with another record already');
});

test.each([
  ['nothing', { kind: 'nothing' }, 'trade'],
  ['marked', { kind: 'retire', field: '/ref', value: 'left' }, 'left'],
] as const)(
  'removed on one side, and the other is %s; it isn’t made again by a later change',
  async (_what, here, ref) => {
    add(shop, 'ada@clay.example', 'Ada', 'trade');
    add(shop, 'bo@clay.example', 'Bo', 'trade');
    const id = await start({ removed: { here, there: { kind: 'nothing' } } });
    await check(id);
    shop.people.splice(0, 1);
    await check(id);
    expect(by(index, 'ada@clay.example').ref).toBe(ref);
    by(index, 'ada@clay.example').name = 'Ada Moss';
    await check(id);
    await check(id);
    expect(shop.people.map(({ email }) => email)).toEqual(['bo@clay.example']);
    expect(await open()).toEqual([]);
    expect(await unbalanced(around.services)).toEqual([]);
  },
);

describe('removed for good', () => {
  const removed = (here: 'remove' | 'ask_to_remove') => ({ removed: { here: { kind: here }, there: { kind: here } } });
  const emails = (app: PeopleApp): string[] => app.people.map(({ email }) => email).sort();
  const lastDone = () =>
    around.services.db
      .selectFrom('item')
      .selectAll()
      .where('state', '=', 'delivered')
      .orderBy('seq', 'desc')
      .executeTakeFirstOrThrow();

  beforeEach(() => {
    for (const who of ['ada', 'bo', 'cy']) add(shop, `${who}@clay.example`, who, 'trade');
  });

  test.each([
    ['here', () => [shop, index]],
    ['there', () => [index, shop]],
  ] as const)('%s: the other one is removed too, and nothing comes back of it', async (_side, apps) => {
    const id = await start(removed('remove'));
    const [from, to] = apps() as [PeopleApp, PeopleApp];
    from.people.splice(
      from.people.findIndex(({ email }) => email === 'bo@clay.example'),
      1,
    );
    await check(id);
    for (const app of [from, to]) expect(emails(app)).toEqual(['ada@clay.example', 'cy@clay.example']);
    const before = writes();
    for (let again = 0; again < 2; again++) await check(id);
    expect(writes()).toBe(before);
    expect(await open()).toEqual([]);
    expect(await unbalanced(around.services)).toEqual([]);
  });

  test('in the other place, and on from there into a third; it doesn’t come back', async () => {
    const books = await peopleApp();
    try {
      const first = await start(removed('remove'));
      const { books: at } = await connectApps(around.services, { books });
      const second = await keepInStep(around.services, connections['index'] ?? '', at ?? '', removed('remove'));
      await rest();
      await check(second);
      expect(emails(books)).toHaveLength(3);
      const pairs = [first, second];
      shop.people.splice(1, 1);
      for (const id of [...pairs, ...pairs]) await check(id);
      for (const app of [shop, index, books]) expect(emails(app)).toEqual(['ada@clay.example', 'cy@clay.example']);
      books.people.splice(0, 1);
      for (const id of [...pairs, ...pairs]) await check(id);
      for (const app of [shop, index, books]) expect(emails(app)).toEqual(['cy@clay.example']);
      expect(await open()).toEqual([]);
      expect(await unbalanced(around.services)).toEqual([]);
    } finally {
      await books.at.close();
    }
  });

  test('made there and removed again before anybody looked: the first one goes too', async () => {
    const id = await start(removed('remove'));
    await check(id);
    const { row } = await new InSteps(around.services).get(id);
    add(shop, 'dee@clay.example', 'dee', 'trade');
    await around.services.engine.checkNow(row.there_id);
    await rest();
    index.people.splice(
      index.people.findIndex(({ email }) => email === 'dee@clay.example'),
      1,
    );
    await check(id);
    for (const app of [shop, index]) expect(emails(app)).not.toContain('dee@clay.example');
  });

  test('what is removed before a change of the rules is live is carried by them', async () => {
    const id = await start(removed('remove'));
    await check(id);
    shop.people.splice(1, 1);
    const inSteps = new InSteps(around.services);
    const { row, setting } = await inSteps.get(id);
    await inSteps.change(id, row.name, { ...setting, emptied: 'empties' });
    await liveAgain(around.services, id);
    await rest();
    expect(emails(index)).toEqual(['ada@clay.example', 'cy@clay.example']);
    expect(await open()).toEqual([]);
    expect(await unbalanced(around.services)).toEqual([]);
  });

  test('what was removed long before it is in step removes nobody', async () => {
    const id = await start();
    await check(id);
    index.people.splice(0, 1);
    const inSteps = new InSteps(around.services);
    const { row, setting } = await inSteps.get(id);
    await inSteps.change(id, row.name, { ...setting, ...removed('remove') });
    await liveAgain(around.services, id);
    for (let again = 0; again < 2; again++) await check(id);
    expect(emails(shop)).toHaveLength(3);
    expect(emails(index)).toHaveLength(2);
  });

  test('only who is remembered is removed: somebody else with that address stays', async () => {
    const id = await start(removed('remove'));
    by(index, 'bo@clay.example').email = 'bo@moss.example';
    by(index, 'ada@clay.example').email = 'bo@clay.example';
    shop.people.splice(1, 1);
    await check(id);
    // Somebody has changed the address of the one that is meant: it is asked about, and the other one isn’t touched.
    expect(emails(index)).toContain('bo@moss.example');
    const [asked] = await open();
    expect(asked).toMatchObject({ cause: 'removal' });
    expect(asked?.message).toContain('bo');
    await decide(around.services, asked?.id ?? '', { kind: 'remove', step: 'remove' });
    await settled(around.services);
    expect(index.people.map(({ name }) => name).sort()).toEqual(['ada', 'cy']);
    expect(await unbalanced(around.services)).toEqual([]);
  });

  test('what somebody changed there meanwhile is never lost unasked; what changes after the answer is asked again', async () => {
    const id = await start(removed('remove'));
    by(index, 'bo@clay.example').ref = 'on the phone today';
    shop.people.splice(1, 1);
    await check(id);
    const [asked] = await open();
    expect(asked).toMatchObject({ cause: 'removal' });
    const state = JSON.parse(asked?.item_state ?? '{}');
    expect(state.steps.remove.fields).toMatchObject([{ path: '/ref', given: 'trade', there: 'on the phone today' }]);
    by(index, 'bo@clay.example').name = 'Bo Moss';
    await decide(around.services, asked?.id ?? '', { kind: 'remove', step: 'remove' });
    await settled(around.services);
    expect(emails(index)).toContain('bo@clay.example');
    const [again] = await open();
    expect(again?.message).toContain('name');
    await decide(around.services, again?.id ?? '', { kind: 'dismiss', reason: 'It stays.' });
    await settled(around.services);
    await check(id);
    expect(emails(index)).toContain('bo@clay.example');
    expect(emails(shop)).not.toContain('bo@clay.example');
    expect(await unbalanced(around.services)).toEqual([]);
  });

  test('after asking: nothing is removed before somebody has said so, and the answer holds once', async () => {
    const id = await start(removed('ask_to_remove'));
    shop.people.splice(0, 2);
    await check(id);
    const asked = await open();
    expect(asked.map(({ cause }) => cause)).toEqual(['removal', 'removal']);
    expect(emails(index)).toHaveLength(3);
    const alike = await around.services.engine.decide(asked[0]?.id ?? '', { kind: 'remove', step: 'remove' });
    expect(alike).toBeUndefined();
    await settled(around.services);
    expect(emails(index)).toHaveLength(2);
  });

  test('what a list leaves out, and is there all the same, isn’t removed', async () => {
    const id = await start(removed('remove'));
    // A list that shows one record less, as when somebody sorts it while it is read.
    const [hidden] = shop.people.splice(1, 1) as [Person];
    shop.before = (c) => (c.req.path === `/people/${hidden.id}` ? c.json(hidden) : undefined);
    await check(id);
    expect(emails(index)).toContain('bo@clay.example');
    const left = await around.services.db
      .selectFrom('item')
      .select('message')
      .where('state', '=', 'left_out')
      .execute();
    expect(left.map(({ message }) => message)).toEqual([expect.stringContaining('still there')]);
    shop.before = () => undefined;
    shop.people.push(hidden);
    await check(id);
    expect(emails(index)).toEqual(emails(shop));
  });

  test('somebody else has removed it there in the same moment: nothing is left to do', async () => {
    const id = await start(removed('remove'));
    shop.people.splice(1, 1);
    index.before = (c) => {
      if (c.req.method === 'DELETE')
        index.people.splice(
          index.people.findIndex(({ email }) => email.startsWith('bo')),
          1,
        );
      return undefined;
    };
    await check(id);
    expect(emails(index)).toEqual(emails(shop));
    expect(await open()).toEqual([]);
    expect(await unbalanced(around.services)).toEqual([]);
  });

  test('undone: it is made again as it was, in step with nobody that is there, and sent again it is removed once more', async () => {
    const id = await start(removed('remove'));
    shop.people.splice(1, 1);
    await check(id);
    const { id: item, run_id } = await lastDone();
    expect(await around.services.undos.prospectOf(item)).toMatchObject({
      kind: 'back',
      found: { parts: [{ makes: 1, removes: 0, restores: 0 }] },
    });
    const undo = await around.services.undos.look(run_id);
    await around.services.undos.wait(undo);
    await around.services.undos.carryOut(undo, { used: false, sent: false });
    await around.services.undos.wait(undo);
    expect(by(index, 'bo@clay.example')).toMatchObject({ name: 'bo', ref: 'trade' });
    // It stays as it is: neither made anew on the other side, nor removed again by itself.
    await check(id);
    expect(emails(shop)).not.toContain('bo@clay.example');
    expect(emails(index)).toContain('bo@clay.example');
    await around.services.undos.sendAgain(undo);
    await rest();
    expect(emails(index)).toEqual(emails(shop));
    expect(await unbalanced(around.services)).toEqual([]);
  });

  test('undone, but somebody has made it again: nobody is there twice', async () => {
    const id = await start(removed('remove'));
    shop.people.splice(1, 1);
    await check(id);
    const { id: item } = await lastDone();
    add(index, 'bo@clay.example', 'Bo again');
    await expect(around.services.engine.takeBack(item)).rejects.toThrow('made it again');
    expect(index.people.filter(({ email }) => email === 'bo@clay.example')).toHaveLength(1);
  });

  test.each([...aroundWriting, 'answer lost'] as const)(
    'the process ends at %s while it is removed: it is removed once, and nobody else',
    async (point) => {
      const id = await start(removed('remove'));
      const { row } = await new InSteps(around.services).get(id);
      shop.people.splice(1, 1);
      if (point === 'answer lost') {
        const gone = new Set<string>();
        index.before = (c) => {
          if (c.req.method !== 'DELETE' || gone.has(c.req.path)) return undefined;
          gone.add(c.req.path);
          index.people.splice(
            index.people.findIndex((one) => c.req.path.endsWith(`/${one.id}`)),
            1,
          );
          return 'break';
        };
        await check(id);
      } else {
        await endedAt(point, () => runOf(row.removed_here_id ?? ''));
      }
      await rest();
      await check(id);
      for (const app of [shop, index]) expect(emails(app)).toEqual(['ada@clay.example', 'cy@clay.example']);
      expect(await open()).toEqual([]);
      expect(await unbalanced(around.services)).toEqual([]);
    },
  );

  test.each(['take-back:after-store', 'take-back:after-send', 'take-back:before-result'] as const)(
    'the process ends at %s while a removal is undone: it is there once',
    async (point) => {
      const id = await start(removed('remove'));
      shop.people.splice(1, 1);
      await check(id);
      const { id: item } = await lastDone();
      await endedAt(point, () => around.services.engine.takeBack(item));
      await rest();
      expect(by(index, 'bo@clay.example').name).toBe('bo');
      await check(id);
      expect(emails(index)).toHaveLength(3);
      expect(emails(shop)).toHaveLength(2);
      expect(await unbalanced(around.services)).toEqual([]);
    },
  );
});

test.each(pointsOfInStep)('ended at %s while it goes live: carried on, everybody is there once', async (point) => {
  for (const who of ['ada', 'bo', 'cy']) add(shop, `${who}@clay.example`, who, 'trade');
  add(index, 'bo@clay.example', 'Bo');
  const inSteps = new InSteps(around.services);
  const place = (app: string) => ({ connection: connections[app] ?? '', path: ['people'], labels: ['People'] });
  const id = await inSteps.add(place('shop'), place('index'));
  await inSteps.accept(id);
  await inSteps.change(id, 'Both', { ...usualInStep, first: 'here' });
  await inSteps.rehearse(id);
  const { row } = await inSteps.get(id);
  for (const leg of [row.there_id, row.here_id]) await around.services.engine.rehearsals.wait(leg);
  await endedAt(point, () => inSteps.makeLive(id));
  await rest();
  // As a person does who finds it not live, or partly: once more.
  await new InSteps(around.services).makeLive(id);
  await rest();
  await check(id);
  for (const app of [shop, index])
    expect(app.people.map(({ email, name }) => [email, name]).sort()).toEqual(
      ['ada', 'bo', 'cy'].map((who) => [`${who}@clay.example`, who]),
    );
  expect(await unbalanced(around.services)).toEqual([]);
});

describe.each(['there', 'here'] as const)('the process ends while something goes %s', (direction) => {
  test.each(aroundWriting)('at %s: it goes over once, and what came from the other side stands', async (point) => {
    add(shop, 'ada@clay.example', 'Ada', 'trade');
    const id = await start();
    const { row } = await new InSteps(around.services).get(id);
    const [from, to] = direction === 'there' ? [shop, index] : [index, shop];
    by(from, 'ada@clay.example').name = 'Ada Moss';
    by(to, 'ada@clay.example').ref = 'school';
    add(from, 'bo@clay.example', 'Bo');
    await endedAt(point, () => runOf(direction === 'there' ? row.there_id : row.here_id));
    await rest();
    // Of a new record that may have been made, nobody can be sure here: somebody looks, and says so.
    for (const one of await open())
      await decide(around.services, one.id, {
        kind: to.people.some(({ email }) => email === 'bo@clay.example') ? 'accept' : 'send_again',
        step: 'write-1',
      });
    await rest();
    await check(id);
    for (const app of [shop, index]) {
      expect(by(app, 'ada@clay.example')).toMatchObject({ name: 'Ada Moss', ref: 'school' });
      expect(by(app, 'bo@clay.example').name).toBe('Bo');
    }
    expect(await open()).toEqual([]);
    expect(await unbalanced(around.services)).toEqual([]);
  });
});

test('a pair that is corrected is so in both directions, and what was agreed on with another one doesn’t count', async () => {
  const [ada] = [add(shop, 'ada@clay.example', 'Ada', 'trade')];
  const id = await start();
  const other = add(index, 'other@clay.example', 'Ada Other', 'school');
  await check(id);
  const { store } = { store: around.services };
  const links = await store.db.selectFrom('link').selectAll().where('from_id', '=', ada.id).execute();
  expect(links).toHaveLength(1);
  shop.people.splice(
    shop.people.findIndex(({ email }) => email === 'other@clay.example'),
    1,
  );
  await correctLink(store, links[0] as never, other.id);
  const all = await store.db.selectFrom('link').select(['from_id', 'to_id']).execute();
  expect(all).toHaveLength(2);
  expect(all).toContainEqual({ from_id: other.id, to_id: ada.id });
  ada.ref = 'moved';
  await check(id);
  // It is met for the first time: nothing of the other one is written over unasked.
  expect(other).toMatchObject({ email: 'other@clay.example', name: 'Ada Other' });
  expect((await open()).map(({ cause }) => cause)).toEqual(['differs']);
});

test('somebody new goes over, and their first change on the other side comes back without a question', async () => {
  add(shop, 'zed@clay.example', 'Zed', 'trade');
  const id = await start();
  for (const app of [shop, index]) {
    add(app, `${app === shop ? 'ada' : 'bo'}@clay.example`, 'New', 'trade');
    await check(id);
  }
  by(index, 'ada@clay.example').name = 'Ada Moss';
  by(shop, 'bo@clay.example').name = 'Bo Reed';
  await check(id);
  for (const app of [shop, index])
    expect(['ada', 'bo'].map((who) => by(app, `${who}@clay.example`).name)).toEqual(['Ada Moss', 'Bo Reed']);
  expect(await open()).toEqual([]);
});
