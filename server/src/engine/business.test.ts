import { emptyBusiness, type Filling, formatPointer, type Tidy } from '@golden/core';
import { loadSettings, saveSettings } from '../settings.ts';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, decide, goLive, unbalanced } from '../testing/checks.ts';
import { addCustomers, customer, customersWorkflow, rowsOf } from '../testing/world.ts';

// What the business says of itself stands in what workflows write: as it was when the record was taken in, and the same
// in the sheet, the rehearsal and the run.

const around = productAroundEach();

const says = async (workspace: string, phone: string): Promise<void> => {
  const { db } = around.services;
  await saveSettings(db, { ...(await loadSettings(db)), workspace, business: { ...emptyBusiness, phone } });
};
const ours = (path: string, ...tidies: Tidy[]): Filling => ({
  kind: 'field',
  ref: { step: 'business', path },
  tidies,
});

/** The customers' workflow, with the business's own name and telephone in the row. */
async function withOurs(): Promise<string> {
  const { services, connected } = around;
  const id = await customersWorkflow(services, connected);
  const { draft, draftRev } = await services.workflows.get(id);
  const steps = draft.steps.map((step) =>
    step.kind === 'write'
      ? {
          ...step,
          mapping: {
            ...step.mapping,
            [formatPointer(['Name'])]: ours('/name'),
            [formatPointer(['Phone'])]: ours('/phone', { kind: 'phone' }),
          },
        }
      : step,
  );
  await services.workflows.saveDraft(id, { ...draft, steps }, draftRev);
  return id;
}
const written = async () =>
  (await rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers')).map((row) => [
    row['Name'],
    row['Phone'],
  ]);

test('a record keeps what was said when it was taken in; the next one has what is said now', async () => {
  addCustomers(around.world, 1);
  await says('Saltmarsh Kiln Supply', '+441632960100');
  const id = await withOurs();
  await goLive(around.services, id);
  await says('Saltmarsh Kilns', '+441632960101');
  addCustomers(around.world, 1, 2);
  await checkNow(around.services, id);
  expect(await written()).toEqual([
    ['Saltmarsh Kiln Supply', '+441632960100'],
    ['Saltmarsh Kilns', '+441632960101'],
  ]);
  expect(await unbalanced(around.services)).toEqual([]);
});

test('one that needed somebody meanwhile, and a process that ended, change nothing of that', async () => {
  around.world.shop.store.add(customer());
  await says('Saltmarsh Kiln Supply', 'ask at the desk');
  const id = await withOurs();
  await goLive(around.services, id);
  // It isn't a telephone number: somebody has to say what is meant.
  const [item] = await around.services.db.selectFrom('item').select(['id', 'state']).execute();
  expect(item?.state).toBe('unsettled');
  await around.reopen();
  await says('Another name', '+441632960102');
  await decide(around.services, item?.id ?? '', {
    kind: 'set',
    step: 'list',
    values: { [formatPointer(['Phone'])]: '+441632960103' },
  });
  expect(await written()).toEqual([['Saltmarsh Kiln Supply', '+441632960103']]);
});

test('the rehearsal shows what would be written', async () => {
  addCustomers(around.world, 1);
  await says('Saltmarsh Kiln Supply', '+441632960100');
  const id = await withOurs();
  const { engine, db } = around.services;
  await engine.rehearse(id, 'all');
  await engine.rehearsals.wait(id);
  const [row] = await db.selectFrom('rehearsal_item').select(['state', 'item_state']).execute();
  expect(row?.state).toBe('delivered');
  expect(row?.item_state).toContain('Saltmarsh Kiln Supply');
});

test('a workflow that says nothing of the business keeps nothing of it with its records', async () => {
  addCustomers(around.world, 1);
  await says('Saltmarsh Kiln Supply', '');
  const id = await customersWorkflow(around.services, around.connected);
  await goLive(around.services, id);
  const [item] = await around.services.db.selectFrom('item').select('item_state').execute();
  expect(item?.item_state).not.toContain('Saltmarsh Kiln Supply');
});
