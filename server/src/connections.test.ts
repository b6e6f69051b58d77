import type { Connector } from '@golden/connectors';
import type { Services } from './services.ts';
import { connectLedger, openServices, openWorld, type World } from './testing/world.ts';

// One keeper of a sign-in for each connection: a refresh token counts once.

let world: World;
let services: Services;
let ledger: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  ledger = await connectLedger(world, services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const signInAs = (user: string, expiresAt: number): string => {
  const tokens = world.ledger.signIn.issue({ user, client: 'golden-relay', scope: 'ledger.read ledger.write' });
  return JSON.stringify({ access: tokens.access_token, refresh: tokens.refresh_token, expiresAt });
};
const settings = () => ({ name: 'Ledger', settings: { address: `${world.ledger.at.url}/api` } });

test('many who ask at once share one connector, and one renewal', async () => {
  await services.connections.change(ledger, { ...settings(), key: signInAs('Mira Holm', 0) });
  await services.close();
  services = await openServices(world);
  const renewals = jest.spyOn(world.ledger.signIn, 'refresh' as never);
  const all = await Promise.all(Array.from({ length: 20 }, () => services.connections.connector(ledger)));
  expect(new Set<Connector>(all).size).toBe(1);
  await Promise.all(all.map((one) => one.health()));
  expect(renewals.mock.calls.length).toBeLessThanOrEqual(1);
  expect(await services.connections.check(ledger)).toMatchObject({ status: 'working' });
});

test('a keeper of an earlier sign-in doesn’t write over the new one', async () => {
  await services.connections.change(ledger, { ...settings(), key: signInAs('Mira Holm', 0) });
  await services.close();
  services = await openServices(world);
  const old = await services.connections.connector(ledger);
  // Somebody signs in anew while the old keeper is about to renew its own.
  await services.connections.change(ledger, { ...settings(), key: signInAs('Ana Reis', Date.now() + 3_600_000) });
  const sealed = () =>
    services.db.selectFrom('connection').select('secret').where('id', '=', ledger).executeTakeFirstOrThrow();
  const before = await sealed();
  const now = Date.now();
  const later = jest.spyOn(Date, 'now').mockImplementation(() => now + 2 * 3_600_000);
  await expect(old.health()).rejects.toThrow('signed in again in the meantime');
  later.mockRestore();
  expect(await sealed()).toEqual(before);
  expect((await services.connections.check(ledger)).health?.signedInAs).toContain('Ana Reis');
});
