import type { ItemState } from '@golden/core';
import fc from 'fast-check';
import {
  connectBoth,
  connectCards,
  connectLedger,
  openServices,
  openWorld,
  placeOf,
} from '../../server/src/testing/world.ts';
import { demoCards } from './cards.ts';
import { demoCustomers } from './customers.ts';
import { customersIntoBooksAndCards } from './matching.ts';
import { ledgerCustomers } from './orders.ts';

const now = '2026-11-24T09:00:00.000Z';

/** What each step came to, as a person reads it: what was done, and how the record was recognised. */
function told(state: ItemState): Record<string, string> {
  return Object.fromEntries(
    Object.entries(state.steps).map(([step, result]) => {
      const outcome = result.kind === 'written' ? result.outcome : result.kind === 'unsettled' ? result.cause : '';
      const by = result.kind === 'written' || result.kind === 'found' ? result.by : undefined;
      return [step, [result.kind, outcome, by?.how, by?.rung].filter(Boolean).join(' ')];
    }),
  );
}

/** Rehearses a workflow over everything, runs it, and gives what each record came to in either. */
async function rehearseAndRun(customers: ReturnType<typeof demoCustomers>, known: number) {
  const world = await openWorld();
  const services = await openServices(world);
  try {
    const { shop } = await connectBoth(world, services);
    const ledger = await connectLedger(world, services);
    const cards = await connectCards(world, services);
    const at = (connection: string, ...path: string[]) => placeOf(services, connection, path);
    for (const [type, all] of Object.entries(demoCards(customers.slice(0, known), now)))
      world.cards.store.of(type).addAll(all as never);
    world.ledger.store.customers.addAll(ledgerCustomers(customers.slice(0, Math.floor(known / 2))));
    world.shop.store.addAll(customers);
    const content = customersIntoBooksAndCards(
      await at(shop, 'customers'),
      await at(ledger, 'retail', 'customers'),
      await at(cards, 'companies'),
      await at(cards, 'people'),
    );
    const from = { ...content, start: { ...content.start, fromWhen: { kind: 'all' } as const } };
    const { id } = await services.workflows.add(from);
    await services.engine.rehearse(id, 'all');
    await services.engine.rehearsals.wait(id);
    const { run } = await services.engine.makeLive(id);
    await services.engine.finish(run);
    const rows = async (table: 'rehearsal_item' | 'item') =>
      (await services.db.selectFrom(table).select(['source_id', 'item_state']).execute())
        .map((row) => [row.source_id, told(JSON.parse(row.item_state))] as const)
        .sort(([one], [other]) => Number(one) - Number(other));
    return { rehearsed: await rows('rehearsal_item'), ran: await rows('item') };
  } finally {
    await services.close();
    await world.close();
  }
}

// Rehearsal and run drive one transition; what they are told of the apps must be the same as well,
// also where records of the run itself make values commoner than they were.
test('property: a run does for each record what its rehearsal said', async () => {
  const customers = demoCustomers(400, now);
  const slice = fc.record({ from: fc.nat({ max: 250 }), count: fc.integer({ min: 40, max: 80 }), known: fc.nat(100) });
  await fc.assert(
    fc.asyncProperty(slice, async ({ from, count, known }) => {
      const { rehearsed, ran } = await rehearseAndRun(customers.slice(from, from + count), Math.min(known, count));
      expect(ran).toEqual(rehearsed);
    }),
    { numRuns: 3, seed: 51_009, endOnFailure: true },
  );
});

test('a rehearsal of many lists each searched place once, and asks for no record by itself; who has left since is nobody', async () => {
  const customers = demoCustomers(160, now);
  const world = await openWorld();
  const services = await openServices(world);
  try {
    const { shop } = await connectBoth(world, services);
    const ledger = await connectLedger(world, services);
    const cards = await connectCards(world, services);
    const at = (connection: string, ...path: string[]) => placeOf(services, connection, path);
    for (const [type, all] of Object.entries(demoCards(customers.slice(0, 120), now)))
      world.cards.store.of(type).addAll(all as never);
    world.ledger.store.customers.addAll(ledgerCustomers(customers.slice(0, 90)));
    world.shop.store.addAll(customers);
    const content = customersIntoBooksAndCards(
      await at(shop, 'customers'),
      await at(ledger, 'retail', 'customers'),
      await at(cards, 'companies'),
      await at(cards, 'people'),
    );
    const { id } = await services.workflows.add({ ...content, start: { ...content.start, fromWhen: { kind: 'all' } } });
    const rehearse = async () => {
      await services.engine.rehearse(id, 'all');
      await services.engine.rehearsals.wait(id);
      const rows = await services.db.selectFrom('rehearsal_item').select(['source_id', 'item_state']).execute();
      return new Map(rows.map((row) => [row.source_id, JSON.parse(row.item_state) as ItemState]));
    };
    const asked = jest.spyOn(world.cards.store.of('people'), 'get');
    const rows = await rehearse();
    expect(rows.size).toBeGreaterThan(120);
    // One to see that a listing shows as much as the record itself.
    expect(asked.mock.calls.length).toBeLessThanOrEqual(2);

    // Somebody found a moment ago is put away in the index; the copy from before would still have them.
    const found = [...rows].find(([, { steps }]) => {
      const person = steps['person'];
      return person?.kind === 'written' && person.outcome !== 'new' && person.by?.rung === 'mail';
    });
    const person = found?.[1].steps['person'];
    if (person?.kind !== 'written') throw new Error('Nobody was found by an address.');
    world.cards.store.of('people').change(Number(person.id), { archived: true });
    const again = (await rehearse()).get(found?.[0] ?? '')?.steps['person'];
    expect(again).not.toMatchObject({ id: person.id });
  } finally {
    await services.close();
    await world.close();
  }
});
