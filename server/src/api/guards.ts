import { mostLevels, shapeOfJson } from '@golden/connectors';
import type { Context, MiddlewareHandler } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { secureHeaders } from 'hono/secure-headers';
import { problem } from './problem.ts';

/** The most bytes of a body where its route doesn't say otherwise. */
const usualBody = 1024 * 1024;

/** Bodies with more values than this are none that a person makes; each of them is looked at. */
const mostValues = 300_000;

/**
 * What a browser is told of every answer: no script but our own files, no frame around us, no guessing
 * of types, no address of ours given away, nothing kept. Styles may stand in elements: the editor and
 * the dialogs put theirs there.
 */
export const browserGuards: MiddlewareHandler = secureHeaders({
  contentSecurityPolicy: {
    defaultSrc: ["'none'"],
    scriptSrc: ["'self'"],
    workerSrc: ["'self'"],
    styleSrc: ["'self'", "'unsafe-inline'"],
    imgSrc: ["'self'", 'data:'],
    fontSrc: ["'self'"],
    connectSrc: ["'self'"],
    baseUri: ["'none'"],
    formAction: ["'none'"],
    frameAncestors: ["'none'"],
  },
  xFrameOptions: 'DENY',
  referrerPolicy: 'same-origin',
  strictTransportSecurity: false,
});

/** Answers stay in no cache: they are somebody's records. Files of the interface are named by their content. */
export const keepNothing: MiddlewareHandler = async (c, next) => {
  await next();
  c.header('Cache-Control', c.req.path.startsWith('/assets/') ? 'public, max-age=31536000, immutable' : 'no-store');
};

const isOfThisMachine = (host: string): boolean => /^(127\.0\.0\.1|localhost|\[::1\])(:\d+)?$/.test(host);

/** The page that an app sends a person back to: the one request that begins at another site. */
export const signedInPath = '/api/sign-in/back';

/**
 * Lets only our own pages, and programs of this machine, talk to the server. A strange host is a name
 * that somebody else's site points at this machine; another origin or site is another page, be it one
 * of this machine; and state is changed by JSON alone, which no page can send elsewhere unasked (Fetch
 * standard, CORS-safelisted request headers).
 */
export const ownPagesOnly: MiddlewareHandler = async (c, next) => {
  const host = c.req.header('host') ?? '';
  if (host !== '' && !isOfThisMachine(host))
    return problem(c, 403, 'strange-origin', 'Golden Relay answers only to pages on this machine.');
  if (c.req.path !== signedInPath && isOtherPage(c, host))
    return problem(c, 403, 'strange-origin', 'Golden Relay answers only to its own pages.');
  const isReading = c.req.method === 'GET' || c.req.method === 'HEAD';
  const type = (c.req.header('content-type') ?? '').split(';')[0]?.trim().toLowerCase();
  if (!isReading && type !== 'application/json')
    return problem(c, 415, 'not-json', 'Something is changed by JSON only: send it as application/json.');
  return next();
};

function isOtherPage(c: Context, host: string): boolean {
  const origin = c.req.header('origin');
  const site = c.req.header('sec-fetch-site');
  if (site !== undefined && site !== 'same-origin' && site !== 'none') return true;
  return origin !== undefined && !(URL.canParse(origin) && new URL(origin).host === host);
}

/** Refuses a body above so many bytes before it is read to its end. */
export const bodyWithin = (most = usualBody): MiddlewareHandler =>
  bodyLimit({
    maxSize: most,
    onError: (c) =>
      problem(
        c,
        413,
        'too-large',
        `More than ${inMegabytes(most)} was sent, and this takes no more. Nothing was changed.`,
      ),
  });

const inMegabytes = (bytes: number): string => `${Math.round(bytes / 1024 / 1024)} MB`;

/** Why a text isn't read as JSON; undefined for one that may be. */
export function unreadableJson(text: string): string | undefined {
  const { levels, values } = shapeOfJson(text, mostValues);
  if (levels > mostLevels) return 'The body is nested too deeply.';
  return values > mostValues ? `The body holds more than ${mostValues.toLocaleString('en')} values.` : undefined;
}
