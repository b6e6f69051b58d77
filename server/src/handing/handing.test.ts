import { draftOfEvents, type HandOverStep, startId } from '@golden/core';
import { beginningOf } from '../arrivals/beginnings.ts';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { checkNow, decide, goLive, settled, unbalanced } from '../testing/checks.ts';
import { dropAt, pointsOfHandingOver } from '../testing/drop.ts';
import { customersHandedOver, receiverInto } from '../testing/handing.ts';
import { addCustomers, customer, emptyWorkbook, openServices, placeOf, rowsOf } from '../testing/world.ts';

// One workflow hands records over to another. Judged by the rows that stand there, and by both books.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
  expect(await apart()).toEqual([]);
});
const around = productAroundEach();

beforeEach(async () => {
  around.world.shelf.files.replace('people.xlsx', await emptyWorkbook('People', ['E-mail', 'Name']), undefined);
  around.world.shelf.files.replace('notes.xlsx', await emptyWorkbook('Notes', ['Who', 'What']), undefined);
});

/** Where the books of those who hand over and of those who take in differ; nowhere is the law. */
async function apart(): Promise<string[]> {
  const { db } = around.services;
  const rows = await db
    .selectFrom('handed')
    .leftJoin('item', 'item.id', 'handed.child_id')
    .select(['handed.key', 'handed.state', 'handed.child_id', 'item.state as now'])
    .execute();
  return rows.flatMap(({ key, state, child_id, now }) =>
    child_id === null
      ? ['handed', 'cancelled'].includes(state)
        ? []
        : [key]
      : state === now
        ? []
        : [`${key}: ${state}, ${now}`],
  );
}

const people = async () =>
  (await rowsOf(around.world.shelf.files.get('people.xlsx')?.bytes ?? Buffer.alloc(0), 'People'))
    .map((row) => `${row['E-mail']} ${row['Name']}`)
    .sort();

async function rest(): Promise<void> {
  for (let times = 0; times < 4; times++) {
    await around.services.engine.quiet();
    await around.services.engine.tick();
  }
  await settled(around.services);
}

const itemsOf = (workflow: string) =>
  around.services.db
    .selectFrom('item')
    .select(['id', 'state', 'cause', 'message', 'title', 'item_state'])
    .where('workflow_id', '=', workflow)
    .orderBy('seq')
    .execute();

test('each record becomes an item of the other workflow, once', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 3);
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const parent = await customersHandedOver(services, connected.shop, [step]);
  await goLive(services, receiver);
  await goLive(services, parent);
  await rest();
  expect(await people()).toEqual(['ada1@clay.example Ada 1', 'ada2@clay.example Ada 2', 'ada3@clay.example Ada 3']);
  expect((await itemsOf(parent)).map(({ state }) => state)).toEqual(['delivered', 'delivered', 'delivered']);
  expect((await itemsOf(receiver)).map(({ state }) => state)).toEqual(['delivered', 'delivered', 'delivered']);
  await checkNow(services, parent);
  await checkNow(services, receiver);
  await rest();
  expect(await itemsOf(receiver)).toHaveLength(3);
});

test('who waits for it goes on with what came back; one that needs somebody leaves it waiting, with the reason', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 1);
  world.shop.store.add(customer({ first_name: 'Bo', email: 'bo@clay.example' }));
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx', [
    { path: '/email', label: 'E-mail', type: 'email', required: true },
    { path: '/name', label: 'Name', type: 'text' },
  ]);
  const { draft, draftRev } = await services.workflows.get(receiver);
  const [list] = draft.steps;
  if (list?.kind !== 'write') throw new Error('no list');
  // Somebody has to look at Bo.
  const asks = {
    ...list,
    mapping: {
      ...list.mapping,
      '/Name': {
        kind: 'options' as const,
        ref: { step: 'start', path: '/name' },
        table: [{ from: 'Ada 1', to: 'Ada 1' }],
        otherwise: { kind: 'problem' as const },
      },
    },
  };
  await services.workflows.saveDraft(receiver, { ...draft, steps: [asks] }, draftRev);
  const note = {
    id: 'note',
    kind: 'write' as const,
    target: await placeOf(services, connected.shelf, ['notes.xlsx', 'Notes']),
    mode: 'append' as const,
    mapping: {
      '/Who': { kind: 'field' as const, ref: { step: 'hand', path: '/wrote/list/E-mail' }, tidies: [] },
      '/What': { kind: 'field' as const, ref: { step: 'hand', path: '/state' }, tidies: [] },
    },
  };
  const back = [{ path: '/wrote/list/E-mail', label: 'E-mail (People)', type: 'text' as const }];
  const parent = await customersHandedOver(services, connected.shop, [{ ...step, awaits: true, back }, note]);
  await goLive(services, receiver);
  await goLive(services, parent);
  await rest();
  const [ada, bo] = await itemsOf(parent);
  expect(ada).toMatchObject({ state: 'delivered' });
  expect(bo).toMatchObject({
    state: 'waiting',
    message: expect.stringMatching(/^Handed over to People onto the list: 1 needs you \(bo@clay.example: Name: /),
  });
  const notes = async () =>
    (await rowsOf(world.shelf.files.get('notes.xlsx')?.bytes ?? Buffer.alloc(0), 'Notes')).map((row) => [
      row['Who'],
      row['What'],
    ]);
  expect(await notes()).toEqual([['ada1@clay.example', 'delivered']]);
  const child = (await itemsOf(receiver)).find(({ state }) => state === 'unsettled');
  await decide(services, child?.id ?? '', { kind: 'set', step: 'list', values: { '/Name': 'Bo' } });
  await rest();
  expect((await itemsOf(parent)).map(({ state }) => state)).toEqual(['delivered', 'delivered']);
  expect(await notes()).toEqual([
    ['ada1@clay.example', 'delivered'],
    ['bo@clay.example', 'delivered'],
  ]);
});

test('for a workflow that is off they wait, and none is lost', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 2);
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const parent = await customersHandedOver(services, connected.shop, [{ ...step, awaits: true }]);
  await goLive(services, parent);
  await rest();
  expect((await itemsOf(parent)).map(({ message }) => message)).toEqual(
    Array(2).fill('Handed over to People onto the list: 1 on the way.'),
  );
  await goLive(services, receiver);
  await rest();
  expect(await people()).toHaveLength(2);
  expect((await itemsOf(parent)).map(({ state }) => state)).toEqual(['delivered', 'delivered']);
  await services.engine.switchOff(receiver);
  addCustomers(world, 2, 3);
  await checkNow(services, parent);
  await rest();
  expect(await people()).toHaveLength(2);
  await services.engine.switchOn(receiver);
  await rest();
  expect(await people()).toHaveLength(4);
});

test('a later change of a record comes after the earlier one', async () => {
  const { services, world, connected } = around;
  const added = world.shop.store.add(customer({ first_name: 'Ada', email: 'ada@clay.example' }));
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const parent = await customersHandedOver(services, connected.shop, [step]);
  await goLive(services, parent);
  await rest();
  world.shop.store.change(added.id, { first_name: 'Ada Maria' });
  await checkNow(services, parent);
  await goLive(services, receiver);
  await rest();
  expect(await people()).toEqual(['ada@clay.example Ada Maria']);
  expect((await itemsOf(receiver)).map(({ state }) => state)).toEqual(['delivered', 'delivered']);
});

/** A workflow that hands over each row of what comes in. */
async function rowsHandedOver(step: HandOverStep): Promise<{ readonly id: string; readonly inbox: string }> {
  const { services } = around;
  const { start } = await beginningOf(services, { kind: 'posted', name: 'Lists of people' });
  const source = start.source;
  if (!source) throw new Error('no source');
  const inbox = source.path[0] ?? '';
  await services.arrivals.storeRecord(inbox, 'shape', { rows: [{ mail: 'shape@clay.example', called: 'Shape' }] });
  const content = draftOfEvents(await placeOf(services, source.connection, source.path), 'Lists, row by row');
  const field = (path: string) => ({ kind: 'field' as const, ref: { step: 'each', path }, tidies: [] });
  const { id } = await services.workflows.add({
    ...content,
    steps: [
      { id: 'each', kind: 'each', over: { step: startId, path: '/rows' } },
      { ...step, within: 'each', mapping: { '/email': field('/mail'), '/name': field('/called') } },
    ],
  });
  return { id, inbox };
}

const rows = (count: number) =>
  Array.from({ length: count }, (_, at) => ({ mail: `row${at + 1}@clay.example`, called: `Row ${at + 1}` }));

test('a list of a thousand is handed over as a whole, and one record keeps no thousand turns', async () => {
  const { services, connected } = around;
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const { id, inbox } = await rowsHandedOver({ ...step, awaits: true });
  await goLive(services, receiver);
  await goLive(services, id);
  await services.arrivals.storeRecord(inbox, 'monday', { rows: rows(1000) });
  await rest();
  const [parent] = await itemsOf(id);
  expect(parent).toMatchObject({ state: 'delivered' });
  const state = JSON.parse(parent?.item_state ?? '{}');
  expect(state.steps).toEqual({
    each: { kind: 'each', count: 1000 },
    hand: { kind: 'handed', count: 1000, back: { delivered: 1000, leftOut: 0, dropped: 0 } },
  });
  expect(state.values.hand.each[999]).toMatchObject({ number: 1000, state: 'delivered' });
  expect(await people()).toHaveLength(1000);
  expect(await itemsOf(receiver)).toHaveLength(1000);
});

test.each(pointsOfHandingOver)('killed at %s, each row is there once', async (point) => {
  const { connected } = around;
  const { receiver, step } = await receiverInto(around.services, connected.shelf, 'people.xlsx');
  const { id, inbox } = await rowsHandedOver({ ...step, awaits: true });
  await goLive(around.services, receiver);
  await goLive(around.services, id);
  const dropped = dropAt(around.services, point);
  // Whoever ends in the middle answers nothing any more.
  void around.services.arrivals.storeRecord(inbox, 'monday', { rows: rows(450) });
  await dropped;
  around.services = await openServices(around.world);
  await around.services.engine.resume();
  await rest();
  expect((await itemsOf(id)).map(({ state }) => state)).toEqual(['delivered']);
  expect(await people()).toEqual(
    rows(450)
      .map(({ mail, called }) => `${mail} ${called}`)
      .sort(),
  );
  expect(await itemsOf(receiver)).toHaveLength(450);
});

test('what lacks something that is needed asks for it where it was taken in, and the others go on', async () => {
  const { services, connected } = around;
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const { id, inbox } = await rowsHandedOver(step);
  await goLive(services, receiver);
  await goLive(services, id);
  await services.arrivals.storeRecord(inbox, 'monday', {
    rows: [...rows(2), { mail: '', called: 'Nobody' }, { mail: 'no address', called: 'Someone' }],
  });
  await rest();
  expect(await people()).toHaveLength(2);
  const [nobody, someone] = (await itemsOf(receiver)).filter(({ state }) => state === 'unsettled');
  expect(nobody?.message).toMatch(/^E-mail: /);
  expect(someone?.message).toMatch(/^E-mail: .*e-mail/);
  await decide(services, nobody?.id ?? '', { kind: 'set', step: startId, values: { '/email': 'nobody@clay.example' } });
  await decide(services, someone?.id ?? '', { kind: 'set', step: startId, values: { '/email': 'some@clay.example' } });
  await rest();
  expect(await people()).toEqual([
    'nobody@clay.example Nobody',
    'row1@clay.example Row 1',
    'row2@clay.example Row 2',
    'some@clay.example Someone',
  ]);
});

test('taking a record back takes back what it handed over', async () => {
  const { services, connected } = around;
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const { id, inbox } = await rowsHandedOver(step);
  await goLive(services, receiver);
  await goLive(services, id);
  await services.arrivals.storeRecord(inbox, 'monday', { rows: rows(3) });
  await rest();
  expect(await people()).toHaveLength(3);
  // What comes while the other is off was never taken in.
  await services.engine.switchOff(receiver);
  await services.arrivals.storeRecord(inbox, 'tuesday', { rows: [{ mail: 'late@clay.example', called: 'Late' }] });
  await rest();
  for (const { id: item } of await itemsOf(id)) await services.engine.takeBack(item);
  await services.engine.switchOn(receiver);
  await rest();
  expect(await people()).toEqual([]);
  expect((await itemsOf(receiver)).map(({ state }) => state)).toEqual(['undone', 'undone', 'undone']);
  expect((await itemsOf(id)).map(({ state }) => state)).toEqual(['undone', 'undone']);
});

test('a rehearsal shows what each would come to in the other workflow, and changes nothing', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 2);
  world.shop.store.add(customer({ first_name: 'Ada again', email: 'ada1@clay.example' }));
  const { step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const parent = await customersHandedOver(services, connected.shop, [{ ...step, awaits: true }]);
  await services.engine.rehearse(parent, 'samples');
  await services.engine.rehearsals.wait(parent);
  const kept = await services.db.selectFrom('rehearsal_item').select('item_state').orderBy('at').execute();
  const would = kept.map(({ item_state }) => JSON.parse(item_state).steps.hand.would);
  expect(
    would
      .flat()
      .map(({ state, marks }: { state: string; marks: string[] }) => [state, ...marks])
      .sort(),
  ).toEqual([
    ['delivered', 'changed'],
    ['delivered', 'new'],
    ['delivered', 'new'],
  ]);
  expect(await people()).toEqual([]);
  expect(await services.db.selectFrom('handed').selectAll().execute()).toEqual([]);
});

test('the other workflow is built with what would be handed over to it', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 3);
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  await customersHandedOver(services, connected.shop, [step]);
  const samples = await services.engine.samples.of(receiver);
  expect(samples.map(({ record }) => record['email']).sort()).toEqual([
    'ada1@clay.example',
    'ada2@clay.example',
    'ada3@clay.example',
  ]);
});

test('a workflow is made for what is handed over, and none can go round', async () => {
  const { services, connected } = around;
  const parent = await customersHandedOver(services, connected.shop, []);
  const { draft } = await services.workflows.get(parent);
  const made = await askApi<{ id: string; target: { described: { fields: { label: string }[] } } }>(
    services,
    'POST',
    `/api/workflows/${parent}/receivers`,
    { name: 'Accounts', singular: 'person', fields: [{ path: '', label: 'E-mail', type: 'email', required: true }] },
  );
  expect(made.target.described.fields.map(({ label }) => label)).toContain('E-mail');
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const into = async (id: string, steps: readonly HandOverStep[]) => {
    const { draft: now, draftRev } = await services.workflows.get(id);
    await services.workflows.saveDraft(id, { ...now, steps: [...now.steps, ...steps] }, draftRev);
  };
  const field = { kind: 'field' as const, ref: { step: startId, path: '/email' }, tidies: [] };
  await into(parent, [{ ...step, target: made.target as never, mapping: { '/E-mail': field } }]);
  const onward = {
    ...step,
    id: 'onward',
    mapping: { '/email': { ...field, ref: { step: startId, path: '/E-mail' } } },
  };
  await into(made.id, [onward]);
  const account = await services.workflows.get(made.id);
  await into(receiver, [{ ...step, id: 'back', target: account.draft.start.source, mapping: { '/E-mail': field } }]);
  const receivers = await askApi<{ name: string; isRound: boolean }[]>(
    services,
    'GET',
    `/api/workflows/${receiver}/receivers`,
  );
  expect(receivers).toEqual([expect.objectContaining({ name: 'Accounts', isRound: true })]);
  await expect(askApi(services, 'POST', `/api/workflows/${receiver}/live`)).rejects.toThrow(
    'These workflows would set each other going without end: People onto the list → Accounts → People onto the list.',
  );
  expect(draft.name).toBe('Shop customers, handed over');
});

test('a folder goes on and off as one, and out into a file and back with what hands over to what', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 2);
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const parent = await customersHandedOver(services, connected.shop, [step]);
  for (const id of [parent, receiver]) await services.workflows.putInFolder(id, 'People');
  const turn = (isOn: boolean) =>
    askApi<{ turned: { name: string; why: string | null }[] }>(services, 'POST', '/api/folders/turn', {
      folder: 'People',
      isOn,
    });
  expect((await turn(true)).turned.map(({ why }) => why)).toEqual(
    Array(2).fill(expect.stringMatching('never been live')),
  );
  await goLive(services, receiver);
  await goLive(services, parent);
  await rest();
  expect((await turn(false)).turned.map(({ why }) => why)).toEqual([null, null]);
  addCustomers(world, 1, 3);
  expect((await turn(true)).turned.map(({ name }) => name)).toEqual([
    'People onto the list',
    'Shop customers, handed over',
  ]);
  await checkNow(services, parent);
  await rest();
  expect(await people()).toHaveLength(3);
  const file = await askApi<object>(services, 'GET', '/api/folders/export?folder=People');
  const text = JSON.stringify({ ...file, name: 'People again' });
  expect(await askApi(services, 'POST', '/api/workflows/import/look', { text })).toMatchObject({
    name: 'People again',
    workflows: 2,
  });
  await askApi(services, 'POST', '/api/workflows/import', { text, connections: {} });
  const made = (await services.workflows.list()).filter(({ folder }) => folder === 'People again');
  const [second, first] = ['Shop customers, handed over', 'People onto the list'].map((name) =>
    made.find(({ draft }) => draft.name === name),
  );
  const handing = second?.draft.steps[0];
  expect(handing?.kind === 'hand_over' && handing.target?.path).toEqual(first?.draft.start.source?.path);
  expect(first?.draft.start.source?.path).not.toEqual(
    (await services.workflows.get(receiver)).draft.start.source?.path,
  );
});

test('who waits for a workflow that is removed goes on, and is told what did not come back', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 1);
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const parent = await customersHandedOver(services, connected.shop, [{ ...step, awaits: true }]);
  await goLive(services, parent);
  await rest();
  expect(await askApi(services, 'GET', `/api/workflows/${receiver}/handing`)).toMatchObject({
    to: [],
    from: [{ name: 'Shop customers, handed over', isOn: true, lacks: [] }],
  });
  await askApi(services, 'DELETE', `/api/workflows/${receiver}`);
  await rest();
  const [item] = await itemsOf(parent);
  expect(item?.state).toBe('delivered');
  expect(JSON.parse(item?.item_state ?? '{}').steps.hand.back).toEqual({ delivered: 0, leftOut: 0, dropped: 1 });
});
