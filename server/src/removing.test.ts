import { makeApi } from './api/app.ts';
import { countSteps } from './api/runs/views.ts';
import { needsOf } from './api/workspace/needs.ts';
import { hiddenWorkflows, hideRemoved } from './removing.ts';
import { productAroundEach } from './testing/around.ts';
import { goLive } from './testing/checks.ts';
import { addCustomers, connectBoth, customer, customersWorkflow, openServices } from './testing/world.ts';
import { UnknownWorkflow } from './workflows.ts';

// What has grown large is counted, told and removed piece by piece: nobody else waits for it, and nothing is left behind.

const around = productAroundEach();
const count = 90;
let workflow: string;
let other: string;
let run: string;

beforeEach(async () => {
  addCustomers(around.world, count);
  // Some telephones can't be read: they need somebody.
  for (let at = 0; at < 7; at++)
    around.world.shop.store.add(customer({ email: `nobody${at}@clay.example`, phone: 'ask for Dirk' }));
  const connected = await connectBoth(around.world, around.services);
  workflow = await customersWorkflow(around.services, connected);
  other = await customersWorkflow(around.services, connected, { mode: 'append' });
  run = await goLive(around.services, workflow);
  await goLive(around.services, other);
});

const belonging = async (id: string): Promise<Record<string, number>> => {
  const { db } = around.services;
  const of = async (table: 'item' | 'run' | 'intake' | 'workflow_version' | 'trigger_state'): Promise<number> =>
    (await db.selectFrom(table).select('workflow_id').where('workflow_id', '=', id).execute()).length;
  const items = db.selectFrom('item').select('id');
  const within = async (table: 'write' | 'journal'): Promise<number> =>
    (await db.selectFrom(table).select('item_id').where('item_id', 'not in', items).execute()).length;
  const lost = await db
    .selectFrom('seen')
    .select('source_id')
    .where('intake_id', 'not in', db.selectFrom('intake').select('id'))
    .execute();
  return {
    items: await of('item'),
    runs: await of('run'),
    intakes: await of('intake'),
    versions: await of('workflow_version'),
    triggers: await of('trigger_state'),
    orphans: (await within('write')) + (await within('journal')) + lost.length,
  };
};
const nothing = { items: 0, runs: 0, intakes: 0, versions: 0, triggers: 0, orphans: 0 };

test('a removed workflow isn’t there for anybody at once, and all of it goes; others keep what is theirs', async () => {
  const { services } = around;
  await services.engine.switchOff(workflow);
  const before = await belonging(other);
  await services.workflows.remove(workflow);
  expect(await belonging(workflow)).toEqual(nothing);
  expect(await belonging(other)).toEqual(before);
  expect((await services.workflows.list()).map(({ id }) => id)).toEqual([other]);
});

test('a process that ends in the middle of it goes on with it; meanwhile it is nowhere to be seen', async () => {
  const { services } = around;
  await services.engine.switchOff(workflow);
  // As it stands after the first piece.
  await hideRemoved(services.db, workflow);
  await services.db
    .deleteFrom('item')
    .where('seq', 'in', services.db.selectFrom('item').select('seq').where('workflow_id', '=', workflow).limit(25))
    .execute();
  await services.close();
  around.services = await openServices(around.world);
  const { workflows, db } = around.services;
  await expect(workflows.get(workflow)).rejects.toThrow(UnknownWorkflow);
  const api = makeApi(around.services);
  const rows = (await (await api.request('/api/workflows')).json()) as { id: string }[];
  expect(rows.map(({ id }) => id)).toEqual([other]);
  expect((await needsOf({ db })).every(({ workflowId }) => workflowId === other)).toBe(true);
  await around.services.engine.resume();
  expect(await belonging(workflow)).toEqual(nothing);
  expect(await hiddenWorkflows(db)).toEqual([]);
});

test('what needs somebody is one case for each cause of a workflow, as the newest of them says it', async () => {
  const { db } = around.services;
  const open = await db
    .selectFrom('item')
    .selectAll()
    .where('state', '=', 'unsettled')
    .where('workflow_id', '=', workflow)
    .orderBy('seq')
    .execute();
  expect(open.length).toBeGreaterThan(0);
  const mine = async () => (await needsOf({ db })).filter(({ workflowId }) => workflowId === workflow);
  const [need, ...more] = await mine();
  expect(more).toEqual([]);
  const newest = open.at(-1);
  expect(need).toMatchObject({ count: open.length, runId: run, cause: newest?.cause, message: newest?.message });
  expect(need?.since).toBe(open.map(({ taken_at }) => taken_at).sort()[0]);
  expect(need?.sentence).not.toBeNull();
  // Of two runs no one of them shows all.
  around.world.shop.store.add(customer({ email: 'later@clay.example', phone: 'ask for Dirk' }));
  await around.services.engine.finish(await around.services.engine.checkNow(workflow));
  expect(await mine()).toMatchObject([{ count: open.length + 1, runId: null }]);
});

test.each([1, 7, 48, 97, 500])('the steps of a run are the same sum, %i items at a time', async (atOnce) => {
  const { db, workflows } = around.services;
  const { draft } = await workflows.get(workflow);
  const items = await db.selectFrom('item').select(['item_state']).where('run_id', '=', run).execute();
  const expected: Record<string, Record<string, number>> = Object.fromEntries(draft.steps.map(({ id }) => [id, {}]));
  for (const { item_state } of items)
    for (const [step, result] of Object.entries(
      (JSON.parse(item_state) as { steps: Record<string, { kind: string; outcome?: string }> }).steps,
    )) {
      const mine = expected[step];
      const came = result.outcome ?? result.kind;
      if (mine) mine[came] = (mine[came] ?? 0) + 1;
    }
  expect(items).toHaveLength(count + 7);
  expect(await countSteps(db, run, draft, atOnce)).toEqual(expected);
});
