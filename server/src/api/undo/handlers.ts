import type { UndoKind } from '@golden/core';
import { sql } from 'kysely';
import type { UndoRow } from '../../db/schema.ts';
import type { Services } from '../../services.ts';
import type { FoundToUndo } from '../../undo/prospect.ts';
import { countUndo } from '../../undo/undos.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { undoRoutes } from './routes.ts';

/** Undoing whole runs. */
export function undoHandlers({ db, undos }: Services) {
  return {
    'POST /api/runs/:id/undo': async ({ params }) => ({ id: await undos.look(params.id) }),
    'GET /api/runs/:id/undo': async ({ params }) => {
      const row = await undos.ofRun(params.id);
      return { undo: row ? await viewUndo(db, row) : null };
    },
    'GET /api/items/:id/undo': async ({ params }) => {
      const { kind, found } = await undos.prospectOf(params.id);
      return { kind, ...viewFound(found) };
    },
    'GET /api/undos/:id': async ({ params }) => viewUndo(db, await undos.get(params.id)),
    'GET /api/undos/:id/rows': async ({ params, query }) => {
      await undos.get(params.id);
      let rows = db.selectFrom('undo_row').selectAll().where('undo_id', '=', params.id).orderBy('at');
      if (query.kind) rows = rows.where('kind', '=', query.kind);
      if (query.state) rows = rows.where('state', '=', query.state);
      const found = await rows.offset(query.from).limit(query.limit).execute();
      return found.map(({ item_id, source_id, title, kind, state, message, found: json }) => {
        const its = viewFound(JSON.parse(json) as FoundToUndo);
        return { itemId: item_id, sourceId: source_id, title, kind, state, message, ...its };
      });
    },
    'POST /api/undos/:id/carry-out': async ({ params, body }) => {
      await undos.carryOut(params.id, { used: body.used, sent: body.sent }, body.without);
      return done;
    },
    'POST /api/undos/:id/stop': async ({ params }) => {
      await undos.stop(params.id);
      return done;
    },
    'POST /api/undos/:id/send-again': async ({ params }) => ({ run: await undos.sendAgain(params.id) }),
  } satisfies Handlers<typeof undoRoutes>;
}

const viewFound = ({ says, parts, fields, used }: FoundToUndo) => ({
  says,
  // Records that were looked at by an earlier release have nothing to be made again.
  parts: parts.map((part) => ({ ...part, makes: part.makes ?? 0 })),
  fields: [...fields],
  used: [...used],
});

async function viewUndo(db: Services['db'], row: UndoRow) {
  const { rows: parts } = await sql<{
    kind: UndoKind;
    place: string;
    removes: number;
    restores: number;
    makes: number;
  }>`
    SELECT kind, json_extract(part.value, '$.place') AS place, sum(json_extract(part.value, '$.removes')) AS removes,
      sum(json_extract(part.value, '$.restores')) AS restores,
      coalesce(sum(json_extract(part.value, '$.makes')), 0) AS makes
    FROM undo_row, json_each(found, '$.parts') AS part WHERE undo_id = ${row.id} GROUP BY 1, 2 ORDER BY 2`.execute(db);
  const { total } = await db
    .selectFrom('item')
    .select((eb) => eb.fn.countAll<number>().as('total'))
    .where('run_id', '=', row.run_id)
    .executeTakeFirstOrThrow();
  const { maySend } = await db
    .selectFrom('undo_row')
    .innerJoin('item', 'item.id', 'undo_row.item_id')
    .select((eb) => eb.fn.countAll<number>().as('maySend'))
    .where('undo_id', '=', row.id)
    .where('undo_row.state', '=', 'done')
    .where('item.state', '=', 'undone')
    .executeTakeFirstOrThrow();
  return {
    id: row.id,
    workflowId: row.workflow_id,
    runId: row.run_id,
    state: row.state,
    message: row.message,
    madeAt: row.made_at,
    startedAt: row.started_at,
    endedAt: row.ended_at,
    total,
    ...(await countUndo(db, row.id)),
    parts: [...parts],
    maySend,
  };
}
