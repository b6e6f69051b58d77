import type { WaitLinkKind } from '@golden/core';
import { getConnInfo } from '@hono/node-server/conninfo';
import { type Context, Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { readBody } from '../arrivals/read-body.ts';
import { addLetterRoutes } from '../asking/letter-routes.ts';
import { DiskFull } from '../db/group-commit.ts';
import { addFormRoutes, FormLimits } from '../forms/form-routes.ts';
import type { Services } from '../services.ts';
import { loadSettings } from '../settings.ts';
import { isWithin, whyNotAllowed } from './access.ts';
import type { Door } from './doors.ts';
import { eventIdOf } from './event-id.ts';
import { DoorLimits } from './limits.ts';
import { askPage, donePage, unsubscribePage } from './link-page.ts';
import type { DoorSetting } from './setting.ts';

// The door: the one listener that others may reach. It serves the addresses of doors and the proof of the public
// address, and nothing else.

/** The most bytes of what a mail program's button posts. */
const mostOfForm = 16 * 1024;

/** The most bytes of an event. */
const mostBytes = 1024 * 1024;

/** The header by which an event that was sent from here to try the way is known. */
export const testHeader = 'golden-relay-test';

/** Headers that may hold a secret are kept without it. */
const secretHeaders = ['authorization', 'cookie', 'proxy-authorization', testHeader];

type DoorServices = Pick<
  Services,
  | 'db'
  | 'doors'
  | 'engine'
  | 'refusals'
  | 'unsubscribeLinks'
  | 'publicAddress'
  | 'seams'
  | 'log'
  | 'redaction'
  | 'letterAccess'
  | 'answers'
  | 'workflows'
  | 'connections'
  | 'forms'
>;

/** A request as it came, with where it came from when a named proxy says so. */
interface Asked {
  readonly c: Context;
  readonly from: string;
  /** The host that the sender called. */
  readonly host: string;
  readonly headers: Readonly<Record<string, string>>;
}

/** What comes from outside, as an HTTP application. */
export function makeDoor(services: DoorServices, limits = new DoorLimits(), formLimits = new FormLimits()): Hono {
  const app = new Hono();
  const { doors, refusals, seams } = services;

  const refuse = async (
    { c, from, headers }: Asked,
    inbox: string | null,
    status: 400 | 401 | 404 | 405 | 410 | 413 | 503,
    reason: string,
    body: Uint8Array | null = null,
    secretHeader?: string,
  ): Promise<Response> => {
    const shown = Object.entries(headers).map(([name, value]): [string, string] => [
      name,
      secretHeaders.includes(name) || name === secretHeader ? '…' : value,
    ]);
    await refusals.keep({
      inbox_id: inbox,
      at: seams.now(),
      status,
      reason,
      came_from: from,
      method: c.req.method,
      media_type: headers['content-type'] ?? '',
      headers: JSON.stringify(Object.fromEntries(shown)),
      size: body?.length ?? Number(headers['content-length'] ?? 0),
      body,
    });
    if (inbox !== null) doors.tell(inbox);
    return told(c, status, reason);
  };

  app.get('/proof/:nonce', (c) => {
    const answer = services.publicAddress.answerTo(c.req.param('nonce'));
    return answer === undefined ? told(c, 404, 'There is nothing at this address.') : c.text(answer);
  });

  app.all(
    '/in/:address',
    // Before anything is read or kept of it: what is too large counts too.
    async (c, next) => {
      const wait = await limits.wait((await askedBy(services, c)).from, c.req.param('address'));
      return wait === undefined ? next() : later(c, wait);
    },
    bodyLimit({
      maxSize: mostBytes,
      onError: async (c) => {
        const asked = await askedBy(services, c);
        const door = await doors.at(c.req.param('address') ?? '');
        const inbox = door && 'inbox' in door ? door.inbox : null;
        return refuse(asked, inbox, 413, 'It is larger than 1 MB.');
      },
    }),
    async (c) => {
      const asked = await askedBy(services, c);
      const address = c.req.param('address') ?? '';
      const door = await doors.at(address);
      if (door === undefined) {
        const stranger = await limits.strange(asked.from);
        return stranger === undefined
          ? refuse(asked, null, 404, 'There is no such address: it may be cut off or mistyped.')
          : later(c, stranger);
      }
      if ('past' in door)
        return refuse(asked, door.past, 410, 'This address is not in use any more. Ask its owner for the new one.');
      return letIn(asked, door);
    },
  );

  async function letIn(asked: Asked, door: Door): Promise<Response> {
    const { c, headers } = asked;
    const { setting, inbox } = door;
    const challenge = challengeOf(asked, door);
    if (challenge !== undefined) return c.text(challenge, 200);
    const methods = setting.allowsGet ? ['GET', 'POST'] : ['POST'];
    if (!methods.includes(c.req.method)) {
      c.header('allow', methods.join(', '));
      return refuse(asked, inbox, 405, `It came by ${c.req.method}. Here events come by ${methods.join(' or ')}.`);
    }
    const { body, mediaType } = await contentOf(asked);
    const secretHeader = setting.access.kind === 'secret' ? setting.access.header : undefined;
    const isTest = services.publicAddress.isOurTest(headers[testHeader]);
    const why = isTest ? undefined : whyNotAllowed(setting, door.secret, { ...asked, body }, seams.now());
    if (why !== undefined) return refuse(asked, inbox, 401, why, body, secretHeader);
    const reading = await readBody(mediaType, body);
    if (!reading.ok) return refuse(asked, inbox, 400, reading.message, body, secretHeader);
    await noteProof(asked, door);
    const kept = Object.entries(headers).filter(([name]) => !secretHeaders.includes(name) && name !== secretHeader);
    const came = { inbox, mediaType, headers: Object.fromEntries(kept), body };
    if (isTest) await doors.store({ ...came, key: `test ${seams.id()}`, isTest });
    else {
      const { eventId } = setting;
      const key = eventIdOf(setting, headers, reading.record) ?? seams.id();
      await doors.store({ ...came, key, ...(eventId.kind === 'body' && { sameWithin: eventId.minutes }) });
    }
    return thanks(c, setting);
  }

  /** An event that has come by the public address proves that others reach this door by it. */
  async function noteProof({ host }: Asked, { inbox, provenBy }: Door): Promise<void> {
    const address = await services.publicAddress.address();
    if (address === '' || new URL(address).host !== host || provenBy === address) return;
    await doors.proven(inbox, address);
    doors.tell(inbox);
  }

  for (const path of ['go', 'ask'])
    app.use(`/${path}/*`, async (c, next) => {
      const wait = await limits.wait((await askedBy(services, c)).from, path);
      if (wait !== undefined) return later(c, wait);
      // Nobody learns of the link from where it leads, and nothing of it is kept by the way.
      c.header('referrer-policy', 'no-referrer');
      c.header('cache-control', 'no-store');
      c.header(
        'content-security-policy',
        "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'",
      );
      return next();
    });
  addLetterRoutes(app, services);
  addFormRoutes(app, services, async (c) => (await askedBy(services, c)).from, formLimits);

  app.on(['GET', 'POST'], '/go/unsubscribe/:item/:mark/:step?', bodyLimit({ maxSize: mostOfForm }), async (c) => {
    const { item: itemId = '', mark = '', step = '' } = c.req.param();
    const { workspace } = await loadSettings(services.db);
    if (c.req.method !== 'POST') {
      const seen = await services.unsubscribeLinks.look({ itemId, mark, step });
      return c.html(await unsubscribePage(seen, workspace), seen.state === 'unknown' ? 404 : 200);
    }
    // A mail program's own button posts this, as a form of either kind (RFC 8058 section 3.2); nobody sees the answer.
    const form = await c.req.parseBody().catch(() => ({}) as Record<string, unknown>);
    const how = form['List-Unsubscribe'] === 'One-Click' ? 'one_click' : 'link';
    const came = await services.unsubscribeLinks.use({ itemId, mark, step }, how);
    return c.html(await unsubscribePage(came, workspace), came.state === 'unknown' ? 404 : 200);
  });

  app.on(['GET', 'POST'], '/go/:kind{stop|continue}/:item/:mark', async (c) => {
    const kind = c.req.param('kind') as WaitLinkKind;
    const asked = { kind, itemId: c.req.param('item'), mark: c.req.param('mark') };
    const { workspace } = await loadSettings(services.db);
    if (c.req.method === 'POST') return c.html(await donePage(kind, await services.engine.useLink(asked), workspace));
    const state = await services.engine.lookAtLink(asked);
    if (state === 'open') return c.html(await askPage(kind, workspace));
    return c.html(await donePage(kind, state, workspace), state === 'unknown' ? 404 : 200);
  });

  app.notFound((c) => told(c, 404, 'There is nothing at this address.'));
  app.onError((error, c) => {
    const said = services.redaction.clean(error.message);
    services.log.error({ said }, 'an event could not be stored');
    // Nothing is answered as taken that isn't stored: the sender tries again.
    c.header('retry-after', '30');
    return told(
      c,
      503,
      error instanceof DiskFull
        ? 'There is no room to store it. Try again later.'
        : 'It could not be stored. Try again later.',
    );
  });
  return app;
}

/**
 * What is answered to a sender that first asks whether the address is meant (W3C WebSub, section 5.3), while somebody
 * waits for it; undefined where nothing is asked.
 */
function challengeOf({ c }: Asked, { isWaitedFor }: Door): string | undefined {
  if (c.req.method !== 'GET' || !isWaitedFor) return undefined;
  return c.req.query('hub.challenge')?.slice(0, 1000);
}

/** What came: the body, or the parameters of a GET as a form has them. */
async function contentOf({ c, headers }: Asked): Promise<{ readonly body: Uint8Array; readonly mediaType: string }> {
  if (c.req.method !== 'GET')
    return { body: new Uint8Array(await c.req.arrayBuffer()), mediaType: headers['content-type'] ?? '' };
  const body = new TextEncoder().encode(new URL(c.req.url).search.slice(1));
  return { body, mediaType: 'application/x-www-form-urlencoded' };
}

/** What a caller is answered once the event is stored, as it was set. */
const thanks = (c: Context, { answer: { status, text } }: DoorSetting): Response =>
  status === 204 ? c.body(null, 204) : c.text(text, status);

/** A refusal as its sender reads it. */
const told = (c: Context, status: 400 | 401 | 404 | 405 | 410 | 413 | 429 | 503, reason: string): Response =>
  c.text(`${reason}\n`, status);

function later(c: Context, seconds: number): Response {
  c.header('retry-after', String(seconds));
  return told(c, 429, `Too much has come from you. Try again in ${seconds} seconds.`);
}

async function askedBy(services: DoorServices, c: Context): Promise<Asked> {
  const headers = Object.fromEntries([...c.req.raw.headers].map(([name, value]) => [name.toLowerCase(), value]));
  const peer = plain(remoteAddress(c));
  const { proxies } = await loadSettings(services.db);
  const isProxy = (address: string): boolean => proxies.some((one) => isWithin(address, one));
  if (!isProxy(peer)) return { c, from: peer, host: headers['host'] ?? '', headers };
  // Each proxy puts whom it was called by at the end; the last one that is no proxy of ours is the sender.
  const chain = (headers['x-forwarded-for'] ?? '').split(',').map((one) => plain(one.trim()));
  const from = chain.filter((one) => one !== '').findLast((one) => !isProxy(one)) ?? peer;
  return { c, from, host: headers['x-forwarded-host'] ?? headers['host'] ?? '', headers };
}

/** Tests ask without a socket. */
function remoteAddress(c: Context): string {
  try {
    return getConnInfo(c).remote.address ?? '';
  } catch {
    return '127.0.0.1';
  }
}

/** An IPv4 address as such, where the socket knows it as one of IPv6. */
const plain = (address: string): string => address.replace(/^::ffff:/i, '');
