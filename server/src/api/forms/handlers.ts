import { type JsonRecord, recordTitle } from '@golden/core';
import { countsAt, newestArrivals, refusedAt } from '../../doors/seen-at-door.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { formsRoutes } from './routes.ts';

/** Pages on which people fill in what starts a workflow. */
export function formsHandlers({ db, forms, bytes, publicAddress }: Services) {
  return {
    'GET /api/forms/:id': async ({ params: { id } }) => {
      const { address, setting, version } = await forms.of(id);
      const { name } = await db.selectFrom('inbox').select('name').where('id', '=', id).executeTakeFirstOrThrow();
      const versions = await db
        .selectFrom('form_version')
        .select(['number', 'at'])
        .where('inbox_id', '=', id)
        .orderBy('number', 'desc')
        .execute();
      const came = await Promise.all(
        (await newestArrivals(db, id)).map(async ({ seq, at, headers, body, hash }) => {
          const record = JSON.parse(Buffer.from(body ?? (await bytes.get(hash))).toString('utf8')) as JsonRecord;
          const number = Number((JSON.parse(headers) as Record<string, string>)['form-version'] ?? 1);
          return { seq, at, version: number, title: recordTitle(record) };
        }),
      );
      return {
        name,
        url: `${await publicAddress.base()}/form/${address}`,
        isPublic: (await publicAddress.address()) !== '',
        setting,
        version,
        versions,
        counts: await countsAt(db, id),
        came,
        refused: await refusedAt(db, id),
      };
    },
    'PUT /api/forms/:id': async ({ params, body }) => {
      const { version } = await forms.change(params.id, body.setting, body.since);
      return { version };
    },
    'POST /api/forms/:id/renew': async ({ params }) => {
      await forms.renew(params.id);
      return done;
    },
  } satisfies Handlers<typeof formsRoutes>;
}
