import { Hono } from 'hono';
import { z } from 'zod';
import { type AppKey, bearerKeys, type KeyEnv } from '../kit/bearer.ts';
import { problem } from '../kit/problem.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { webhooksApi } from '../kit/webhooks-api.ts';
import { type Board, type JobStore, type Person, shown } from './store.ts';

const Day = z.iso.date('A due date is a day such as 2026-12-24.');
const Given = z.object({
  title: z.string().min(1, 'A task needs a title.').max(200),
  notes: z.string().max(8000).nullable().optional(),
  column: z.string().optional(),
  person: z.string().nullable().optional(),
  due: Day.nullable().optional(),
});

/** The Job board's HTTP interface: a bearer key, pages by their number. */
export function jobsApi(store: JobStore, keys: readonly AppKey[], state: PracticeState): Hono<KeyEnv> {
  const app = new Hono<KeyEnv>();
  app.use('*', bearerKeys(keys, 'jobs'));
  app.get('/openapi.json', (c) => c.json(describe(store.boards(), store.people())));
  app.get('/me', (c) =>
    c.json({
      office: state.account,
      name: c.get('key').name,
      mayWrite: c.get('key').mayWrite,
      sees: store.departments().map(({ name }) => name),
    }),
  );
  app.get('/departments', (c) => c.json({ departments: store.departments() }));
  app.get('/departments/:department/boards', (c) => {
    const { department } = c.req.param();
    if (!store.departments().some(({ id }) => id === department))
      return problem(c, 404, 'Not found', 'There is no such department.');
    return c.json({ boards: store.boards(department).map(({ id, name }) => ({ id, name })) });
  });
  app.get('/boards/:board/tasks', (c) => {
    const { board } = c.req.param();
    if (!store.board(board)) return problem(c, 404, 'Not found', 'There is no such board.');
    const where = { board, ...(c.req.query('mail_id') !== undefined && { mailId: c.req.query('mail_id') ?? '' }) };
    const page = Math.max(1, Number(c.req.query('page') ?? 1) || 1);
    const size = Math.min(100, Number(c.req.query('size') ?? 50) || 50);
    const since = c.req.query('changed_since');
    const found = store.tasks.list(where, {
      limit: size,
      offset: (page - 1) * size,
      since,
    });
    return c.json({ tasks: found.map(shown), pages: Math.max(1, Math.ceil(store.tasks.count(where) / size)) });
  });
  app.get('/tasks/:id', (c) => {
    const found = store.tasks.get(Number(c.req.param('id')));
    return found ? c.json(shown(found)) : problem(c, 404, 'Not found', 'There is no such task.');
  });
  app.post('/boards/:board/tasks', async (c) => {
    const board = store.board(c.req.param('board'));
    if (!board) return problem(c, 404, 'Not found', 'There is no such board.');
    const read = Given.safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 400, 'Not accepted', read.error.issues[0]?.message ?? 'Not accepted.');
    const { title, notes = null, column = board.columns[0] ?? '', person = null, due = null } = read.data;
    const why = whyNot(board, store.people(), { column, person });
    if (why) return problem(c, 400, 'Not accepted', why);
    return c.json(shown(store.add({ title, notes, column, person, due, board: board.id, mailId: null })), 201);
  });
  app.patch('/tasks/:id', async (c) => {
    const found = store.tasks.get(Number(c.req.param('id')));
    const board = found && store.board(found.board);
    if (!found || !board) return problem(c, 404, 'Not found', 'There is no such task.');
    const read = Given.partial().safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 400, 'Not accepted', read.error.issues[0]?.message ?? 'Not accepted.');
    const given = Object.fromEntries(Object.entries(read.data).filter(([, value]) => value !== undefined));
    const why = whyNot(board, store.people(), { ...found, ...given });
    if (why) return problem(c, 400, 'Not accepted', why);
    return c.json(shown(store.change(found.id, given) ?? found));
  });
  app.route('/webhooks', webhooksApi(store.webhooks));
  return app;
}

function whyNot(
  board: Board,
  people: readonly Person[],
  { column, person }: { readonly column: string; readonly person: string | null },
): string | undefined {
  if (!board.columns.includes(column)) return `The board “${board.name}” has no column “${column}”.`;
  if (person !== null && !people.some(({ name }) => name === person)) return `Nobody here is called “${person}”.`;
  return undefined;
}

/** The interface as OpenAPI 3.1: each board's columns are the choices of its tasks. */
function describe(boards: readonly Board[], people: readonly Person[]): object {
  const own = ({ columns }: Board) => ({
    title: { type: 'string', minLength: 1, maxLength: 200 },
    notes: { type: ['string', 'null'], maxLength: 8000 },
    column: { type: 'string', enum: columns },
    person: { type: ['string', 'null'], enum: [...people.map(({ name }) => name), null] },
    due: { type: ['string', 'null'], format: 'date' },
  });
  const told = {
    id: { type: 'string', readOnly: true },
    board: { type: 'string', readOnly: true },
    mailId: { type: ['string', 'null'], readOnly: true, title: 'made of the mail' },
    addedAt: { type: 'string', format: 'date-time', readOnly: true },
    changedAt: { type: 'string', format: 'date-time', readOnly: true },
  };
  const schemas = boards.flatMap((board) => [
    [board.id, { title: board.name, type: 'object', properties: { ...told, ...own(board) } }] as const,
    [`${board.id}Input`, { type: 'object', required: ['title'], properties: own(board) }] as const,
  ]);
  return {
    openapi: '3.1.0',
    info: { title: 'Job board', version: '1' },
    paths: {},
    components: { schemas: Object.fromEntries(schemas) },
  };
}
