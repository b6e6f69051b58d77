import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { attachmentsRoutes } from './routes.ts';

/** Files that go along with mails. */
export function attachmentsHandlers({ attachments }: Services) {
  return {
    'GET /api/attachments': () => attachments.list(),
    'POST /api/attachments': async ({ body }) => ({
      name: await attachments.put(body.name, body.mediaType, Buffer.from(body.bytes, 'base64')),
    }),
    'POST /api/attachments/remove': async ({ body }) => {
      await attachments.remove(body.name);
      return done;
    },
  } satisfies Handlers<typeof attachmentsRoutes>;
}
