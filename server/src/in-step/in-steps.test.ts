import { productAroundEach } from '../testing/around.ts';
import { decide, settled, unbalanced } from '../testing/checks.ts';
import { type PeopleApp, type Person, peopleApp } from '../testing/people-app.ts';
import { openServices } from '../testing/world.ts';
import { InSteps } from './in-steps.ts';
import { chainDescriptions, connectApps, keepInStep } from './testing.ts';

// Two apps that people work in at the same time, kept in step; judged by what the apps themselves hold.

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
