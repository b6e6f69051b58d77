import { NotPossible } from '../../engine/errors.ts';
import { correctLink, cutLink } from '../../matching/correct-link.ts';
import { importLinks, listLinks } from '../../matching/link-list.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { linksRoutes } from './routes.ts';

/** Links between the records of two apps. */
export function linksHandlers(services: Services) {
  const { db, connections } = services;
  return {
    'GET /api/links': ({ query }) => listLinks(services, query.search, query.workflow),
    'PUT /api/links/:id': async ({ params, body }) => {
      const link = await db.selectFrom('link').selectAll().where('id', '=', params.id).executeTakeFirst();
      if (!link) throw new NotPossible('This link isn’t there any more.');
      const by = connections.leadingTo(link.to_account);
      if (by === undefined) throw new NotPossible('No connection leads to the account of this link any more.');
      const connector = await connections.connector(by);
      const there = await connector.fetch(JSON.parse(link.to_place), body.toId.trim());
      if (!there) throw new NotPossible(`There is no record with the id ${body.toId.trim()} in that place.`);
      await correctLink(services, link, body.toId.trim());
      return done;
    },
    'DELETE /api/links/:id': async ({ params }) => {
      await cutLink(services, params.id);
      return done;
    },
    'POST /api/links/import': ({ body }) => importLinks(services, body.from, body.to, body.text),
  } satisfies Handlers<typeof linksRoutes>;
}
