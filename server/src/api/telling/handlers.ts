import { mailSenders } from '../../doors/mail/forwarding.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Services } from '../../services.ts';
import { eventsApp } from '../../telling/send.ts';
import { loadTelling, saveTelling, type Telling } from '../../telling/telling.ts';
import type { Handlers } from '../endpoint.ts';
import type { tellingRoutes } from './routes.ts';

/** What these routes do. */
export function tellingHandlers(services: Services) {
  const { db, teller, connections } = services;
  const eventAddresses = async () => (await connections.list()).filter(({ app }) => app === eventsApp);
  const expectReachable = async (telling: Telling): Promise<void> => {
    const isEvent = (await eventAddresses()).some(({ id }) => id === telling.connection);
    if (!isEvent) expectMailReachable(telling);
  };
  const told = async () => ({
    telling: await loadTelling(db),
    senders: [
      ...(await mailSenders(services)).map(({ id, name }) => ({ id, name, kind: 'mail' as const })),
      ...(await eventAddresses()).map(({ id, name }) => ({ id, name, kind: 'event' as const })),
    ],
    trouble: teller.trouble,
  });
  return {
    'GET /api/telling': told,
    'PUT /api/telling': async ({ body }) => {
      if (body.connection !== '') await expectReachable(body);
      await saveTelling(db, body);
      return told();
    },
    'POST /api/telling/try': async ({ body }) => {
      await expectReachable(body);
      await teller.tryOut(body);
      return { ok: true as const };
    },
  } satisfies Handlers<typeof tellingRoutes>;
}

/** @throws NotPossible where nobody could be reached */
function expectMailReachable({ connection, to }: Telling): void {
  if (connection === '') throw new NotPossible('Choose how you are told.');
  const addresses = to.split(',').map((one) => one.trim());
  const wrong = addresses.find((one) => !/^[^\s@]+@[^\s@]+$/.test(one));
  if (wrong !== undefined)
    throw new NotPossible(
      wrong === '' ? 'Enter the e-mail address to write to.' : `“${wrong}” isn’t an e-mail address.`,
    );
}
