import { contactsIn, listUnsubscribed, takeBack, unsubscribe } from '../../consent/unsubscribes.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Services } from '../../services.ts';
import { loadSettings } from '../../settings.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { consentRoutes } from './routes.ts';

/** Rows of the list that are shown at once. */
const shown = 100;
/** Lines that couldn't be read are told up to so many. */
const mostUnread = 20;

/** Who doesn’t want news. */
export function consentHandlers(services: Services) {
  const { db, commits, events } = services;
  return {
    'GET /api/unsubscribed': ({ query }) => listUnsubscribed(db, query.search, { from: query.from, most: shown }),
    'POST /api/unsubscribed': async ({ body: { text, how, said } }) => {
      const { contacts, unread } = contactsIn(text, (await loadSettings(db)).country);
      if (contacts.length === 0)
        throw new NotPossible('No e-mail address and no telephone number was found there. Write one on each line.');
      const added = await commits.run(async (trx) => {
        let count = 0;
        for (const contact of contacts)
          if (await unsubscribe(services, trx, { contact, how, said: said || undefined })) count += 1;
        return count;
      });
      events.tell({ topic: 'workspace' });
      return { added, already: contacts.length - added, unread: unread.slice(0, mostUnread) };
    },
    'POST /api/unsubscribed/:id/back': async ({ params, body }) => {
      if (!(await commits.run((trx) => takeBack(services, trx, params.id, body.why))))
        throw new NotPossible('They aren’t on the list any more.');
      events.tell({ topic: 'workspace' });
      return done;
    },
  } satisfies Handlers<typeof consentRoutes>;
}
