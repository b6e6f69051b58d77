import { makeApi } from '../api/app.ts';
import type { Services } from '../services.ts';
import { goLive } from '../testing/checks.ts';
import { customersToPeople } from '../testing/matching.ts';
import {
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  connectCards,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  type World,
} from '../testing/world.ts';
import { alsoWrites } from './also-writes.ts';

let world: World;
let services: Services;
let connected: Connected;
let api: ReturnType<typeof makeApi>;

beforeEach(async () => {
  world = await openWorld();
  addCustomers(world, 3);
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world);
  connected = await connectBoth(world, services);
  api = makeApi(services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const makeLive = async (id: string): Promise<{ status: number; detail: string }> => {
  const answer = await api.request(`/api/workflows/${id}/live`, {
    method: 'POST',
    headers: { host: 'localhost', 'content-type': 'application/json' },
  });
  const body = (await answer.json()) as { detail?: string };
  return { status: answer.status, detail: body.detail ?? '' };
};
const change = async (id: string, edit: (step: Record<string, unknown>) => Record<string, unknown>): Promise<void> => {
  const { draft, draftRev } = await services.workflows.get(id);
  const steps = draft.steps.map((step) => edit(step as never)) as never;
  await services.workflows.saveDraft(id, { ...draft, steps }, draftRev);
};
const rehearse = async (id: string): Promise<void> => {
  await services.engine.rehearse(id, 'all');
  await services.engine.rehearsals.wait(id);
};

test('nothing goes live that wasn’t rehearsed as it is; a name, a note and from when make no difference', async () => {
  const id = await customersWorkflow(services, connected);
  expect(await makeLive(id)).toMatchObject({ status: 409, detail: expect.stringContaining('Rehearse it first') });
  await rehearse(id);
  await change(id, (step) => ({ ...step, note: 'For the front desk', name: 'The list' }));
  const { draft, draftRev } = await services.workflows.get(id);
  await services.workflows.saveDraft(
    id,
    { ...draft, name: 'Another name', start: { ...draft.start, fromWhen: { kind: 'now' } } },
    draftRev,
  );
  expect(await makeLive(id)).toMatchObject({ status: 200 });
  await change(id, (step) => ({ ...step, empties: 'all' }));
  expect(await makeLive(id)).toMatchObject({ status: 409 });
  await rehearse(id);
  expect(await makeLive(id)).toMatchObject({ status: 200 });
});

test('a suggestion for what records are matched by is accepted by a person first; one for a street isn’t asked about', async () => {
  const id = await customersWorkflow(services, connected);
  await change(id, (step) => ({ ...step, suggested: { '/Number': 'the app’s own id', '/Postcode': 'same name' } }));
  await rehearse(id);
  expect(await makeLive(id)).toMatchObject({ status: 409, detail: expect.stringContaining('“Number”') });
  await change(id, (step) => ({ ...step, suggested: { '/Postcode': 'same name' } }));
  expect(await makeLive(id)).toMatchObject({ status: 200 });
});

test('fields that another live workflow writes too are named, as long as it is on', async () => {
  const cards = await connectCards(world, services);
  const first = await customersToPeople(services, connected, cards);
  const second = await customersToPeople(services, connected, cards);
  const { draft } = await services.workflows.get(second);
  expect(await alsoWrites(services, second, draft)).toEqual([]);
  await goLive(services, first);
  const also = await alsoWrites(services, second, draft);
  expect(also.map(({ path }) => path).sort()).toEqual([
    '/email',
    '/firstName',
    '/lastName',
    '/phone',
    '/postcode',
    '/street',
  ]);
  expect(also[0]).toMatchObject({ workflow: first, step: 'person', place: 'people' });
  await services.engine.switchOff(first);
  expect(await alsoWrites(services, second, draft)).toEqual([]);
});
