import type { Field } from '@golden/core';
import type { GivenFile } from '../../arrivals/files/files.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { filesRoutes } from './routes.ts';

/** Of the files that came so many are shown, the newest. */
const mostShown = 30;

/** Files that start a workflow. */
export function fileHandlers({ db, files, folders, workflows, events }: Services) {
  const tell = (id: string): void => events.tell({ topic: 'door', id });
  const asGiven = (inbox: string, body: { name: string; bytes: string }): GivenFile => ({
    inbox,
    name: body.name,
    bytes: Buffer.from(body.bytes, 'base64'),
    came: 'dropped',
  });
  return {
    'GET /api/workflows/:id/files': async ({ params }) => {
      const { draft, liveVersion } = await workflows.get(params.id);
      const content = liveVersion === null ? draft : (await workflows.version(params.id, liveVersion)).content;
      const inbox = content.start.source?.path[0] ?? '';
      const row = await db.selectFrom('file_start').select('inbox_id').where('inbox_id', '=', inbox).executeTakeFirst();
      return { inbox: row?.inbox_id ?? null };
    },
    'GET /api/files/:id': async ({ params }) => {
      const setting = await files.setting(params.id);
      const { trouble, own } = await db
        .selectFrom('file_start')
        .select(['trouble', 'own'])
        .where('inbox_id', '=', params.id)
        .executeTakeFirstOrThrow();
      const { fields } = await db
        .selectFrom('inbox')
        .select('fields')
        .where('id', '=', params.id)
        .executeTakeFirstOrThrow();
      const came = await db
        .selectFrom('file')
        .selectAll()
        .where('inbox_id', '=', params.id)
        .orderBy('seq', 'desc')
        .limit(mostShown)
        .execute();
      return { setting, trouble, own: JSON.parse(own) as string[], fields: JSON.parse(fields) as Field[], files: came };
    },
    'PUT /api/files/:id': async ({ params, body }) => {
      const before = await files.setting(params.id);
      const { recognise = before.recognise, isProposed = before.isProposed, watch = before.watch } = body;
      await files.change(params.id, { recognise, isProposed, watch });
      tell(params.id);
      return done;
    },
    'POST /api/files/:id/look': async ({ params, body }) => {
      const { sharing, fields, shown, ...look } = await files.look(asGiven(params.id, body));
      return { ...look, sharing: [...sharing], fields: [...fields], shown: [...shown] };
    },
    'POST /api/files/:id/take': async ({ params, body }) => {
      const taken = await files.take({ ...asGiven(params.id, body), isEvenSo: body.isEvenSo });
      tell(params.id);
      return taken;
    },
    'POST /api/files/:id/even-so': async ({ params, body }) => {
      await files.evenSo(params.id, body.seq);
      tell(params.id);
      return done;
    },
    'POST /api/files/:id/again': async ({ params, body }) => {
      await files.again(params.id, body.seq);
      tell(params.id);
      return done;
    },
    'POST /api/files/:id/folder': async ({ params }) => {
      const look = await folders.look(params.id);
      tell(params.id);
      return { ...look, own: [...look.own] };
    },
  } satisfies Handlers<typeof filesRoutes>;
}
