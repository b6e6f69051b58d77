import { productAroundEach } from '../testing/around.ts';
import { checkNow, goLive } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { customersToPeople } from '../testing/matching.ts';
import { addCard, connectCards, customer } from '../testing/world.ts';

// After a start the indexes that lookups used lately are built before anybody asks. Judged by what lookups find then,
// and by what the matching thread is asked to open.

const around = productAroundEach();

const priya = {
  firstName: 'Priya',
  lastName: 'Nair',
  email: 'p.nair@old.example',
  phone: '+44 1632 960771',
  street: '9 Wheel Street',
  postcode: 'ZZ7 7EF',
};
const people = () => around.world.cards.store.of('people').list({}, { limit: 1000 });
const noted = () => around.services.db.selectFrom('mirror_index').selectAll().execute();

/** Counts the indexes that are opened from now on. */
function openings(): () => number {
  const { host } = around.services.mirrors.worker;
  let count = 0;
  const real = host.open;
  Object.defineProperty(around.services.mirrors.worker, 'host', {
    value: new Proxy(host, {
      get: (target, name) => {
        if (name !== 'open') return Reflect.get(target, name);
        return (...args: Parameters<typeof real>) => {
          count += 1;
          return target.open(...args);
        };
      },
    }),
  });
  return () => count;
}

/** A workflow whose lookups go by likeness, and that has run once. */
async function lookedUp(): Promise<string> {
  for (let at = 0; at < 40; at++)
    addCard(around.world, 'people', {
      ...priya,
      firstName: 'Tom',
      lastName: `Field${at}`,
      email: `tom${at}@clay.example`,
      phone: null,
      street: `${at} Mill Road`,
    });
  const cards = await connectCards(around.world, around.services);
  around.world.shop.store.add(
    customer({ first_name: 'Zoë', last_name: 'Quist', email: 'zoe@quist.example', phone: null }),
  );
  const workflow = await customersToPeople(around.services, around.connected, cards);
  await goLive(around.services, workflow);
  return workflow;
}

test('what was used is built by the start alone, knows what has come meanwhile, and finds the same', async () => {
  const workflow = await lookedUp();
  const before = people().length;
  expect(await noted()).toHaveLength(1);
  await around.reopen();
  const count = openings();
  await around.services.mirrors.warmUp();
  expect(count()).toBe(1);
  // Somebody who came to the Card index while it was off, and is in the shop under another address.
  addCard(around.world, 'people', priya);
  around.world.shop.store.add(customer());
  await checkNow(around.services, workflow);
  expect(count()).toBe(1);
  expect(people()).toHaveLength(before + 1);
  expect(people().find(({ attributes }) => attributes['lastName'] === 'Nair')?.attributes['email']).toBe(
    String(customer().email).toLowerCase(),
  );
});

test('what nobody has used for a month, and what has no copy any more, isn’t built', async () => {
  await lookedUp();
  (around.services.seams as TestClock).pass(31 * 24 * 60 * 60_000);
  let count = openings();
  await around.services.mirrors.warmUp();
  expect(count()).toBe(0);
  expect(await noted()).toEqual([]);

  await around.services.db
    .insertInto('mirror_index')
    .values({
      name: 'gone',
      account: 'gone',
      place: '["people"]',
      fields: '[]',
      weights: null,
      used_at: around.services.seams.now(),
    })
    .execute();
  count = openings();
  await around.services.mirrors.warmUp();
  expect(count()).toBe(0);
});
