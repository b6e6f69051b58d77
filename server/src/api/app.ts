import { AppError } from '@golden/connectors';
import { PointerError } from '@golden/core';
import { type Context, Hono } from 'hono';
import { html } from 'hono/html';
import { streamSSE } from 'hono/streaming';
import { NoResultError } from 'kysely';
import { ZodError, type z } from 'zod';
import { workflowFileJsonSchema } from '../building/files.ts';
import type { ChangeEvent } from '../events.ts';
import type { Services } from '../services.ts';
import { Told } from '../told.ts';
import type { Endpoint } from './endpoint.ts';
import { bodyWithin, browserGuards, keepNothing, ownPagesOnly, signedInPath, unreadableJson } from './guards.ts';
import { makeHandlers } from './handlers.ts';
import { describeApi } from './openapi.ts';
import { problem } from './problem.ts';
import { routes } from './routes.ts';

/** Faults of one body that are told one by one. */
const mostSaid = 20;

/** What was sent doesn't fit the route. */
class BadRequest extends Told {
  override readonly name = 'BadRequest';
  readonly status = 400;
  readonly type = 'not-accepted';

  override get more() {
    return { issues: this.issues.slice(0, mostSaid).map(({ path, message }) => ({ path, message })) };
  }
  constructor(readonly issues: ZodError['issues']) {
    const said = issues
      .slice(0, mostSaid)
      .map((issue) => [issue.path.join(' → '), wordsOf(issue)].filter(Boolean).join(': '));
    super([...said, ...(issues.length > mostSaid ? [`and ${issues.length - mostSaid} more`] : [])].join('; '));
  }
}

/** A name that can't be one says why in its own words. */
function wordsOf(issue: ZodError['issues'][number]): string {
  return issue.code === 'invalid_key' ? (issue.issues[0]?.message ?? issue.message) : issue.message;
}

type AnyHandler = (asked: { params: object; query: unknown; body: unknown; context: Context }) => Promise<unknown>;

/** The server's HTTP interface with its OpenAPI 3.1 document and a stream of changes. */
export function makeApi(services: Services): Hono {
  const app = new Hono();
  const handlers = makeHandlers(services) as unknown as Record<string, AnyHandler>;
  app.use('*', browserGuards, keepNothing);
  app.use('/api/*', ownPagesOnly);
  for (const [name, endpoint] of Object.entries(routes) as [string, Endpoint][]) {
    const [method = 'GET', path = ''] = name.split(' ');
    app.on(method, path, bodyWithin(endpoint.mostBody), async (c) => {
      const asked = {
        params: c.req.param(),
        query: readQuery(c, endpoint),
        body: await readBody(c, endpoint),
        context: c,
      };
      const answer = await (handlers[name] as AnyHandler)(asked);
      // A secret that slipped into a sentence is redacted; somebody's records are never touched.
      return c.body(JSON.stringify(services.redaction.cleanAnswer(answer)), 200, {
        'content-type': 'application/json',
      });
    });
  }
  // Where an app sends the person back to: a page for their eyes, no data.
  app.get(signedInPath, async (c) => {
    const { state, message } = await services.signIns.end(new URL(c.req.url).searchParams);
    const { connection } = services.signIns.outcome(c.req.query('state') ?? '');
    if (connection) await services.engine.retryConnection(connection);
    return c.html(
      signedInPage(state === 'done', services.redaction.clean(message ?? '')),
      state === 'done' ? 200 : 400,
    );
  });
  app.get('/api/events', (c) => streamEvents(c, services));
  app.get('/api/openapi.json', (c) => c.json(describeApi(routes)));
  app.get('/api/schemas/workflow.json', (c) => c.json(workflowFileJsonSchema()));
  app.notFound((c) => problem(c, 404, 'not-found', 'There is nothing at this address.'));
  app.onError((error, c) => toProblem(error, c, services));
  return app;
}

/** What a person sees when the app has sent them back. */
function signedInPage(isDone: boolean, message: string) {
  const title = isDone ? 'Signed in' : 'Not signed in';
  const next = isDone
    ? 'Golden Relay is connected. Close this page and go on where you were.'
    : 'Close this page and try again in Golden Relay.';
  return html`<!doctype html>
    <html lang="en">
      <meta charset="utf-8" />
      <meta name="viewport" content="width=device-width" />
      <title>${title} · Golden Relay</title>
      <style>
        :root { color-scheme: light dark; }
        body { font: 17px/1.5 system-ui, sans-serif; max-width: 34em; margin: 12vh auto; padding: 0 24px; }
      </style>
      <h1>${title}</h1>
      ${message ? html`<p>${message}</p>` : ''}
      <p>${next}</p>
    </html>`;
}

function readQuery(c: Context, endpoint: Endpoint): unknown {
  if (!endpoint.query) return undefined;
  const all = c.req.queries();
  const given = Object.fromEntries(
    Object.entries(all).map(([name, values]) => [name, values.length === 1 ? values[0] : values]),
  );
  return parsed(endpoint.query, given);
}

async function readBody(c: Context, endpoint: Endpoint): Promise<unknown> {
  if (!endpoint.body) return undefined;
  const text = await c.req.text();
  const unread = unreadableJson(text);
  if (unread) throw notRead(unread);
  let body: unknown;
  try {
    body = JSON.parse(text);
  } catch {
    throw notRead('The body is not valid JSON.');
  }
  return parsed(endpoint.body, body);
}

const notRead = (message: string): BadRequest =>
  new BadRequest([{ code: 'custom', path: [], message, input: undefined }]);

function parsed(schema: z.ZodType, given: unknown): unknown {
  const read = schema.safeParse(given);
  if (!read.success) throw new BadRequest(read.error.issues);
  return read.data;
}

/** Changes as server-sent events; what changes often is told at most four times a second. */
function streamEvents(c: Context, { events }: Services): Response {
  return streamSSE(c, async (stream) => {
    const waiting = new Map<string, ChangeEvent>();
    const unlisten = events.listen((event) =>
      waiting.set(`${event.topic}|${event.workflow ?? ''}|${event.id ?? ''}`, event),
    );
    stream.onAbort(unlisten);
    await stream.writeSSE({ event: 'ready', data: '{}' });
    while (!stream.aborted) {
      await stream.sleep(250);
      // Taken out first: what changes again while this is being sent is told the next time.
      const told = [...waiting.values()];
      waiting.clear();
      for (const event of told) await stream.writeSSE({ event: 'change', data: JSON.stringify(event) });
    }
    unlisten();
  });
}

/** Every error as its answer: those that a person is told, and those of the libraries and parts below. */
function toProblem(error: Error, c: Context, services: Services): Response {
  const told = asTold(error);
  const said = services.redaction.clean(told.message);
  if (told instanceof Told) return problem(c, told.status, told.type, said, told.more);
  if (told instanceof NoResultError) return problem(c, 404, 'not-there', 'This isn’t there any more.');
  if (told instanceof PointerError) return problem(c, 400, 'not-accepted', said);
  if (told instanceof AppError) return problem(c, 502, `app-${told.name}`, said);
  services.log.error({ said, at: c.req.path, stack: services.redaction.clean(error.stack ?? '') }, 'a request failed');
  return problem(c, 500, 'fault', 'Golden Relay had a fault. Nothing that was saved is lost; try again.');
}

/** What couldn't be stored because it isn't what it has to be was not accepted. */
const asTold = (error: Error): Error => (error instanceof ZodError ? new BadRequest(error.issues) : error);
