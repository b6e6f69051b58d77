import { mailSenders } from '../../doors/mail/forwarding.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Services } from '../../services.ts';
import { loadTelling, saveTelling, type Telling } from '../../telling/telling.ts';
import type { Handlers } from '../endpoint.ts';
import type { tellingRoutes } from './routes.ts';

/** What these routes do. */
export function tellingHandlers(services: Services) {
  const { db, teller } = services;
  const told = async () => ({
    telling: await loadTelling(db),
    senders: (await mailSenders(services)).map(({ id, name }) => ({ id, name })),
    trouble: teller.trouble,
  });
  return {
    'GET /api/telling': told,
    'PUT /api/telling': async ({ body }) => {
      if (body.connection !== '') expectReachable(body);
      await saveTelling(db, body);
      return told();
    },
    'POST /api/telling/try': async ({ body }) => {
      expectReachable(body);
      await teller.tryOut(body);
      return { ok: true as const };
    },
  } satisfies Handlers<typeof tellingRoutes>;
}

/** @throws NotPossible where nobody could be reached */
function expectReachable({ connection, to }: Telling): void {
  if (connection === '') throw new NotPossible('Choose through which connection the mails are sent.');
  const addresses = to.split(',').map((one) => one.trim());
  const wrong = addresses.find((one) => !/^[^\s@]+@[^\s@]+$/.test(one));
  if (wrong !== undefined)
    throw new NotPossible(
      wrong === '' ? 'Enter the e-mail address to write to.' : `“${wrong}” isn’t an e-mail address.`,
    );
}
