import { makeApi } from '../api/app.ts';
import type { Services } from '../services.ts';
import { checkNow, decide, goLive, settled } from '../testing/checks.ts';
import {
  type Connected,
  columns,
  connectBoth,
  customer,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  rowsOf,
  type World,
} from '../testing/world.ts';

let world: World;
let services: Services;
let connected: Connected;
let api: ReturnType<typeof makeApi>;

beforeEach(async () => {
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world);
  connected = await connectBoth(world, services);
  api = makeApi(services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

async function get<T>(path: string, query: Readonly<Record<string, string>>): Promise<T> {
  const response = await api.request(`${path}?${new URLSearchParams(query)}`, { headers: { host: 'localhost' } });
  const answer = await response.json();
  if (!response.ok) throw new Error(answer.detail);
  return answer as T;
}

interface Key {
  readonly account: string;
  readonly place: string;
  readonly id: string;
}
interface Found {
  readonly records: { key: Key; title: string; app: string; singular: string; state: string; items: number }[];
  readonly isComplete: boolean;
}
interface Trail {
  readonly identities: Key[];
  readonly entries: { at: string; text: string; tone: string; itemId: string | null }[];
  readonly takers: { id: string; sourceId: string; isSent: boolean }[];
}
interface Now {
  readonly there: { app: string; problem: string | null }[];
  readonly fields: { label: string; cells: ({ value: unknown; differs: boolean } | null)[] }[];
}

const find = (text: string): Promise<Found> => get('/api/records', { text });
const titles = async (text: string): Promise<string[]> => (await find(text)).records.map(({ title }) => title);
const trail = ({ account, place, id }: Key): Promise<Trail> => get('/api/records/trail', { account, place, id });
const texts = async (key: Key): Promise<string[]> => (await trail(key)).entries.map(({ text }) => text);
const rows = async () => rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');

test('a record is found by whatever stands in it, in any app; each once, the last one first', async () => {
  world.shop.store.add(
    customer({ first_name: 'Abbey', last_name: 'Bechtelar', email: 'abbey@kiln.example', phone: '01632 960 653' }),
  );
  world.shop.store.add(customer({ first_name: 'Zoë', last_name: 'Ó Briain', email: 'zoe@kiln.example', phone: null }));
  world.shop.store.add(customer({ first_name: '花子', last_name: '山田', email: 'hanako@kiln.example', phone: null }));
  await goLive(services, await customersWorkflow(services, connected));
  expect(await titles('960 653')).toEqual(['Abbey Bechtelar']);
  // As the workflow wrote it, not as the shop has it.
  expect(await titles('+44 1632 960653')).toEqual(['Abbey Bechtelar']);
  expect(await titles('zoe o briain')).toEqual(['Zoë Ó Briain']);
  expect(await titles('山田')).toEqual(['花子 山田']);
  expect(await titles('kiln.example')).toEqual(['花子 山田', 'Zoë Ó Briain', 'Abbey Bechtelar']);
  expect(await titles('kiln abbey')).toEqual(['Abbey Bechtelar']);
  expect(await titles('nobody')).toEqual([]);
  expect(await titles('"*" OR a')).toEqual([]);
  const [abbey] = (await find('abbey')).records;
  expect(abbey).toMatchObject({ app: 'Shop counter', singular: 'customer', state: 'delivered', items: 1 });
});

test('its trail tells what happened to it everywhere, through a change, a correction and its return', async () => {
  const added = world.shop.store.add(customer({ first_name: 'Abbey', phone: 'ask Robin' }));
  const id = await customersWorkflow(services, connected, { on: 'added_or_changed' });
  await goLive(services, id);
  const [found] = (await find('Abbey')).records;
  if (!found) throw new Error('She isn’t found.');
  expect(found.state).toBe('unsettled');
  const { entries } = await trail(found.key);
  expect(entries[0]?.text).toBe('Taken in from Shop counter, by “Shop customers onto the list”, version 1.');
  expect(entries.at(-1)).toMatchObject({ tone: 'needs_you', text: expect.stringContaining('ask Robin') });
  await decide(services, entries[0]?.itemId ?? '', {
    kind: 'set',
    step: 'list',
    values: { '/Phone': '+441632960777' },
  });
  world.shop.store.change(added.id, { phone: '01632 960 778' });
  await checkNow(services, id);
  const told = await texts(found.key);
  expect(told).toEqual(
    expect.arrayContaining([
      'Somebody set a value in Workbook shelf.',
      expect.stringMatching(/^Made in Workbook shelf: \d+, read back as sent\.$/),
      expect.stringMatching(
        /^Changed in Workbook shelf \(\d+\): Phone from “\+441632960777” to “\+441632960778”, read back as sent\.$/,
      ),
    ]),
  );
  expect(told.indexOf('Somebody set a value in Workbook shelf.')).toBeLessThan(
    told.findIndex((one) => one.startsWith('Changed')),
  );
  // As it is now, side by side: the row that was written stands beside the customer.
  const { there, fields } = await get<Now>('/api/records/now', { ...found.key });
  expect(there.map(({ app }) => app)).toEqual(['Shop counter', 'Workbook shelf']);
  const mail = fields.find(({ cells }) => cells[0]?.value === added.email);
  expect(mail?.cells.map((cell) => cell?.value)).toEqual([added.email, added.email]);
  expect(fields.find(({ label }) => /phone/i.test(label))?.cells.map((cell) => cell?.differs)).toEqual([false, false]);
  await services.engine.takeBack((await trail(found.key)).entries.at(-1)?.itemId ?? '');
  await settled(services);
  expect((await texts(found.key)).at(-1)).toBe('Taken back.');
});

test('what was left out or already known is found, says why, and is brought in after all', async () => {
  const early = world.shop.store.add(customer({ first_name: 'Early', email: 'early@clay.example' }));
  const id = await customersWorkflow(services, connected, {
    fromWhen: { kind: 'now' },
    steps: [
      {
        id: 'trade',
        kind: 'condition',
        condition: {
          kind: 'test',
          ref: { step: 'start', path: '/account_type' },
          operator: 'is',
          values: ['trade'],
        },
      },
    ],
  });
  await goLive(services, id);
  const hobby = world.shop.store.add(customer({ first_name: 'Hobby', email: 'hobby@clay.example' }));
  await checkNow(services, id);
  const [left] = (await find('hobby@clay')).records;
  expect(left).toMatchObject({ state: 'left_out' });
  expect((await texts(left?.key as Key)).at(-1)).toMatch(/^Left out: .*hobby/);
  // Of what was only noted nothing is kept but its id.
  const [known] = (await find(String(early.id))).records;
  expect(known).toMatchObject({ title: String(early.id), state: null, items: 0 });
  const told = await trail(known?.key as Key);
  expect(told.entries.map(({ text }) => text)).toEqual([
    'Already known when “Shop customers onto the list” began, and not sent.',
  ]);
  expect(told.takers).toMatchObject([{ id, sourceId: String(early.id), isSent: false }]);
  // Both are listed with the workflow, by why they weren't sent.
  interface List {
    readonly total: number;
    readonly reasons: { reason: string; count: number }[];
    readonly rows: { sourceId: string; title: string; reason: string }[];
  }
  const list = (kind: string, more = {}): Promise<List> => get(`/api/workflows/${id}/not-sent`, { kind, ...more });
  const out = await list('left_out');
  expect(out).toMatchObject({ total: 1, rows: [{ sourceId: String(hobby.id), title: 'Hobby Nair' }] });
  expect(out.reasons).toEqual([{ reason: out.rows[0]?.reason, count: 1 }]);
  expect(await list('left_out', { reason: 'another' })).toMatchObject({ total: 0, rows: [] });
  expect(await list('noted')).toMatchObject({
    total: 1,
    rows: [{ sourceId: String(early.id), title: 'Early Nair', reason: expect.stringMatching(/^it was there before/) }],
  });
  world.shop.store.change(early.id, { account_type: 'trade' });
  world.shop.store.change(hobby.id, { account_type: 'trade' });
  const run = await services.engine.takeThese(id, [String(early.id), String(hobby.id)]);
  await services.engine.finish(run);
  await settled(services);
  expect((await rows()).map((row) => row['E-mail']).sort()).toEqual(['early@clay.example', 'hobby@clay.example']);
  // What is undone is listed too, and can be brought in once more.
  expect(await list('put_aside')).toMatchObject({ total: 0, rows: [] });
  const undo = await services.undos.look(run);
  await services.undos.wait(undo);
  await services.undos.carryOut(undo, { used: false, sent: false });
  await services.undos.wait(undo);
  expect(await rows()).toEqual([]);
  expect(await list('put_aside')).toMatchObject({
    total: 2,
    reasons: [{ reason: 'undone', count: 2 }],
    rows: [{ reason: 'undone' }, { reason: 'undone' }],
  });
  expect(await list('left_out')).toMatchObject({ total: 0 });
  await services.engine.finish(await services.engine.takeThese(id, [String(early.id)]));
  await settled(services);
  expect(await list('put_aside')).toMatchObject({ total: 1, rows: [{ sourceId: String(hobby.id) }] });
  expect((await rows()).map((row) => row['E-mail'])).toEqual(['early@clay.example']);
  expect(await titles('early@clay')).toEqual(['Early Nair']);
  expect([(await list('left_out')).total, (await list('noted')).total]).toEqual([0, 0]);
});

test('the words of a removed workflow’s records go with it; a restart knows what is still due', async () => {
  world.shop.store.add(customer({ first_name: 'Abbey' }));
  const id = await customersWorkflow(services, connected);
  await goLive(services, id);
  await services.close();
  services = await openServices(world);
  api = makeApi(services);
  expect(await titles('Abbey')).toEqual(['Abbey Nair']);
  await services.engine.switchOff(id);
  await services.workflows.remove(id);
  expect(await titles('Abbey')).toEqual([]);
  expect((await services.recordIndex.find('Abbey', 10)).seqs).toEqual([]);
});
