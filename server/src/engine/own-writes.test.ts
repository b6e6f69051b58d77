import { emptyContent, formatPointer, type Start, type WorkflowContent } from '@golden/core';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, goLive, settled, turns, until } from '../testing/checks.ts';
import { customersToApp, type PeopleApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
import { customer, emptyWorkbook, fieldFilling, openServices, placeOf, rowsOf } from '../testing/world.ts';

// One workflow writes into an app, another begins there: what it takes for the first one's work, and what for a person's.

const around = productAroundEach();
let app: PeopleApp;
let writer: string;
let reader: string;

beforeEach(async () => {
  app = await peopleApp();
  around.services = await openServices(around.world, { descriptions: [peopleDescription('lookup')] });
});
afterEach(() => app.at.close());

/** The first workflow writes the shop's customers into the app; the second brings what changes there onto a list. */
async function begin(start: Partial<Start> = {}): Promise<void> {
  const { services, connected, world } = around;
  const made = await customersToApp(services, connected, app, 'lookup', { on: 'added_or_changed' });
  writer = made.workflow;
  world.shelf.files.replace('list.xlsx', await emptyWorkbook('List', ['Key', 'Name', 'Remark']), undefined);
  const empty = emptyContent('People onto the list');
  const content: WorkflowContent = {
    ...empty,
    start: {
      ...empty.start,
      source: await placeOf(services, made.connection, ['people']),
      on: 'added_or_changed',
      waitsToFit: undefined,
      ...start,
    },
    steps: [
      {
        id: 'list',
        kind: 'write',
        target: await placeOf(services, connected.shelf, ['list.xlsx', 'List']),
        mode: 'create_or_update',
        firstDifference: 'source',
        key: formatPointer(['Key']),
        mapping: {
          [formatPointer(['Key'])]: fieldFilling('/id'),
          [formatPointer(['Name'])]: fieldFilling('/name'),
          ...(!start.fields && { [formatPointer(['Remark'])]: fieldFilling('/ref') }),
        },
      },
    ],
  };
  reader = (await services.workflows.add(content)).id;
  await goLive(services, writer);
  await goLive(services, reader);
}

const run = async (workflow: string): Promise<string> => checkNow(around.services, workflow);

async function looked(): Promise<{ own: number; noted: number; taken: number }> {
  const id = await run(reader);
  const row = await around.services.db.selectFrom('run').selectAll().where('id', '=', id).executeTakeFirstOrThrow();
  return { own: row.own, noted: row.noted_earlier, taken: row.taken_in };
}

const listed = async (): Promise<string[]> =>
  (await rowsOf(around.world.shelf.files.get('list.xlsx')?.bytes ?? Buffer.alloc(0), 'List')).map(
    ({ Name, Remark }) => `${Name} ${Remark ?? ''}`,
  );

function shopSays(first_name: string): void {
  const { store } = around.world.shop;
  const [known] = store.page(1, undefined, undefined, 'ada@clay.example').data;
  if (known) store.change(known.id, { first_name });
  else store.add(customer({ first_name, email: 'ada@clay.example' }));
}

test('a new record and a change that we wrote are counted as our own, and start nothing; a person’s do', async () => {
  await begin();
  shopSays('Ada');
  await run(writer);
  expect(await looked()).toEqual({ own: 1, noted: 1, taken: 0 });
  // Seen once, it is known like any other.
  expect(await looked()).toMatchObject({ own: 0, taken: 0 });
  shopSays('Ada Maria');
  await run(writer);
  expect(await looked()).toMatchObject({ own: 1, taken: 0 });
  expect(await listed()).toEqual([]);
  app.people[0] = { ...app.people[0], ref: 'by hand' } as (typeof app.people)[0];
  expect(await looked()).toMatchObject({ own: 0, taken: 1 });
  expect(await listed()).toEqual(['Ada Maria by hand']);
});

test('where it is chosen, what we wrote starts it too', async () => {
  await begin({ takesOwn: true });
  shopSays('Ada');
  await run(writer);
  expect(await looked()).toMatchObject({ own: 0, taken: 1 });
  expect(await listed()).toEqual(['Ada ']);
});

test('what stands there as it goes live is as it was chosen, whoever wrote it', async () => {
  shopSays('Ada');
  await begin({ fromWhen: { kind: 'all' } });
  expect(await listed()).toEqual(['Ada ']);
});

test('a person’s change before our own of the same record isn’t lost in it', async () => {
  await begin();
  shopSays('Ada');
  await run(writer);
  await looked();
  Object.assign(app.people[0] ?? {}, { ref: 'by hand' });
  shopSays('Ada Maria');
  await run(writer);
  expect(await looked()).toMatchObject({ own: 0, taken: 1 });
  expect(await listed()).toEqual(['Ada Maria by hand']);
});

test('what a person saves between our look and our write is theirs', async () => {
  await begin();
  shopSays('Ada');
  await run(writer);
  await looked();
  shopSays('Ada Maria');
  app.before = (c) => {
    if (c.req.method === 'PATCH') Object.assign(app.people[0] ?? {}, { ref: 'at the same time' });
    return undefined;
  };
  await run(writer);
  expect(await looked()).toMatchObject({ own: 0, taken: 1 });
  expect(await listed()).toEqual(['Ada Maria at the same time']);
});

test('a person who does by hand what we once did is a person', async () => {
  await begin();
  shopSays('Ada');
  await run(writer);
  await looked();
  shopSays('Ada Maria');
  await run(writer);
  await looked();
  Object.assign(app.people[0] ?? {}, { name: 'Ada' });
  expect(await looked()).toMatchObject({ own: 0, taken: 1 });
  Object.assign(app.people[0] ?? {}, { name: 'Ada Maria' });
  expect(await looked()).toMatchObject({ own: 0, taken: 1 });
  expect(await listed()).toEqual(['Ada Maria ']);
});

test('several writes of ours between two looks are our own together', async () => {
  await begin();
  shopSays('Ada');
  await run(writer);
  await looked();
  for (const name of ['Ada M', 'Ada Maria', 'A. Maria']) {
    shopSays(name);
    await run(writer);
  }
  expect(await looked()).toMatchObject({ own: 1, taken: 0 });
});

test('of a start that fetches some fields a change of ours is known too', async () => {
  await begin({ fields: ['/id', '/name'] });
  shopSays('Ada');
  await run(writer);
  expect(await looked()).toMatchObject({ own: 1, taken: 0 });
  shopSays('Ada Maria');
  await run(writer);
  expect(await looked()).toMatchObject({ own: 1, taken: 0 });
  Object.assign(app.people[0] ?? {}, { name: 'Ada by hand' });
  expect(await looked()).toMatchObject({ own: 0, taken: 1 });
});

test('what we take out again is no removal that starts anything; one by a person is', async () => {
  await begin({ on: 'removed' });
  shopSays('Ada');
  app.people.push({ id: 'typed', email: 'bo@clay.example', name: 'Bo', ref: null });
  await run(writer);
  await looked();
  const { id } = await around.services.db
    .selectFrom('item')
    .select('id')
    .where('workflow_id', '=', writer)
    .executeTakeFirstOrThrow();
  await around.services.engine.takeBack(id);
  expect(app.people.map(({ name }) => name)).toEqual(['Bo']);
  expect(await looked()).toMatchObject({ own: 1, taken: 0 });
  app.people.length = 0;
  expect(await looked()).toMatchObject({ own: 0, taken: 1 });
  expect(await listed()).toEqual(['Bo ']);
});

test('taking back leaves what somebody has worked on since', async () => {
  await begin();
  shopSays('Ada');
  await run(writer);
  Object.assign(app.people[0] ?? {}, { ref: 'a remark' });
  const { id } = await around.services.db
    .selectFrom('item')
    .select('id')
    .where('workflow_id', '=', writer)
    .executeTakeFirstOrThrow();
  await expect(around.services.engine.takeBack(id)).rejects.toThrow('Somebody changed ref since it was written');
  expect(app.people).toHaveLength(1);
});

test('a look while our write is on its way waits for what becomes of it', async () => {
  await begin();
  let [isThere, isListed] = [false, false];
  let answer: () => void = () => undefined;
  app.after = () => {
    isThere = true;
    return undefined;
  };
  app.before = async (c) => {
    if (!isThere || c.req.method !== 'GET') return undefined;
    // Written there, and its reading back isn't answered before the other one has listed it.
    if (c.req.path === '/people') isListed = true;
    else
      await new Promise<void>((resolve) => {
        answer = resolve;
      });
    return undefined;
  };
  shopSays('Ada');
  const { engine } = around.services;
  const writing = await engine.checkNow(writer);
  await until(() => isThere);
  const reading = await engine.checkNow(reader);
  await until(() => isListed);
  // It would be taken in by now.
  await turns(500);
  app.before = () => undefined;
  answer();
  await engine.finish(writing);
  await engine.finish(reading);
  await settled(around.services);
  expect(await listed()).toEqual([]);
});
