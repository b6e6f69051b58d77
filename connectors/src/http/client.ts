import { formatPointer, isRecord, type JsonRecord, pointerLabel, readPointer, toText } from '@golden/core';
import pRetry from 'p-retry';
import { Agent, type Dispatcher, request } from 'undici';
import {
  AppDown,
  AppError,
  Changed,
  Locked,
  NoRight,
  NotSignedIn,
  NotThere,
  NotUnderstood,
  RateLimited,
  Refused,
  Unsure,
} from '../errors.ts';
import type { TokenKeeper } from './tokens.ts';

/** Where an app puts the words of an error: JSON Pointers, and the names within each field's fault. */
export interface ErrorShape {
  readonly message: string;
  readonly fields?: string | undefined;
  readonly field: string;
  readonly reason: string;
}

/** How a client talks to one app. */
export interface HttpOptions {
  /** The app's name in sentences, such as "Shop counter". */
  readonly app: string;
  readonly address: string;
  readonly headers: Readonly<Record<string, string>>;
  /** Another way to connect than the usual one. */
  readonly dispatcher?: Dispatcher;
  /** For apps that a person signs in to: tokens that are renewed. */
  readonly tokens?: TokenKeeper;
  /** Where an error's words are, when the app doesn't send problem details. */
  readonly errors?: ErrorShape;
  /** Milliseconds without an answer before a request is given up. */
  readonly timeout?: number;
  /** How often a passing fault of a read is tried again. */
  readonly retries?: number;
}

export interface HttpRequest {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  readonly path: string;
  readonly query?: Readonly<Record<string, string | undefined>>;
  readonly headers?: Readonly<Record<string, string>>;
  readonly json?: unknown;
  readonly bytes?: Uint8Array;
}

export interface HttpResponse {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly bytes: Buffer;
}

/** An answer of more than this is refused: no business record is that large. */
const mostBytes = 64 * 1024 * 1024;

/** One keep-alive pool for all apps; a connection is given up when the app closes it. */
const agent = new Agent({ connections: 64, pipelining: 1, keepAliveTimeout: 4000, connect: { timeout: 5000 } });

/** Codes that tell that no byte of the request reached the app. */
const unsentCodes = new Set([
  'ECONNREFUSED',
  'ENOTFOUND',
  'EAI_AGAIN',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'UND_ERR_CONNECT_TIMEOUT',
]);

/** Speaks HTTP to one app and turns every fault into the `AppError` that fits. */
export class HttpClient {
  private readonly timeout: number;
  private readonly retries: number;

  constructor(private readonly options: HttpOptions) {
    this.timeout = options.timeout ?? 15_000;
    this.retries = options.retries ?? 3;
  }

  /** A request that changes nothing: tried again after passing faults, with growing, jittered pauses. */
  async read(ask: HttpRequest): Promise<HttpResponse> {
    return this.again(
      () => this.once(ask),
      (error) => error.isPassing,
    );
  }

  /** A request that changes something: tried again only when the app certainly did nothing. */
  async write(ask: HttpRequest): Promise<HttpResponse> {
    return this.again(
      () => this.once(ask),
      (error) => error instanceof RateLimited || error instanceof AppDown,
    );
  }

  /** The body as JSON; an answer of another kind is told as what it is. */
  json(response: HttpResponse): unknown {
    const type = String(response.headers['content-type'] ?? '');
    try {
      if (type.includes('json')) return JSON.parse(response.bytes.toString('utf8'));
    } catch {
      throw new NotUnderstood(`${this.options.app} sent data that can’t be read (broken JSON).`);
    }
    const kind = type.includes('html') ? 'a web page' : type || 'something without a type';
    throw new NotUnderstood(
      `${this.options.app} answered with ${kind} instead of data. Is the address right, or is it under maintenance?`,
    );
  }

  private again<T>(work: () => Promise<T>, isWorthwhile: (error: AppError) => boolean): Promise<T> {
    return pRetry(work, {
      retries: this.retries,
      minTimeout: 120,
      factor: 3,
      maxTimeout: 8000,
      randomize: true,
      shouldRetry: ({ error }) => error instanceof AppError && isWorthwhile(error),
      onFailedAttempt: async ({ error, retriesLeft }) => {
        const wait = error instanceof RateLimited ? error.retryAfter : undefined;
        if (wait && retriesLeft > 0) await new Promise((resolve) => setTimeout(resolve, Math.min(wait, 60_000)));
      },
    });
  }

  private async once(ask: HttpRequest): Promise<HttpResponse> {
    const { tokens } = this.options;
    if (!tokens) return this.ask(ask, {});
    const access = await tokens.access();
    try {
      return await this.ask(ask, bearer(access));
    } catch (error) {
      // A refused token means that nothing was done, so the same request may go out with a new one.
      if (!(error instanceof NotSignedIn)) throw error;
      return this.ask(ask, bearer((await tokens.renew(access)).access));
    }
  }

  private async ask(ask: HttpRequest, headers: Readonly<Record<string, string>>): Promise<HttpResponse> {
    const { app } = this.options;
    const response = await this.send({ ...ask, headers: { ...ask.headers, ...headers } });
    const length = Number(response.headers['content-length'] ?? 0);
    if (length > mostBytes) {
      await response.body.dump();
      throw new NotUnderstood(`${app} sent more than ${mostBytes / 1024 / 1024} MB at once.`);
    }
    let bytes: Buffer;
    try {
      bytes = Buffer.from(await response.body.arrayBuffer());
    } catch (error) {
      throw brokenOff(app, error);
    }
    if (response.statusCode < 400) return { status: response.statusCode, headers: response.headers, bytes };
    throw toAppError(app, response.statusCode, response.headers, bytes, this.options.errors);
  }

  private async send(ask: HttpRequest): Promise<Dispatcher.ResponseData> {
    const url = new URL(this.options.address.replace(/\/$/, '') + ask.path);
    for (const [name, value] of Object.entries(ask.query ?? {}))
      if (value !== undefined) url.searchParams.set(name, value);
    const isJson = ask.json !== undefined;
    try {
      return await request(url, {
        method: ask.method,
        dispatcher: this.options.dispatcher ?? agent,
        headersTimeout: this.timeout,
        bodyTimeout: this.timeout,
        headers: { ...this.options.headers, ...(isJson && { 'content-type': 'application/json' }), ...ask.headers },
        body: isJson ? JSON.stringify(ask.json) : (ask.bytes ?? null),
      });
    } catch (error) {
      throw brokenOff(this.options.app, error);
    }
  }
}

function brokenOff(app: string, error: unknown): AppError {
  // What the connection itself refuses (an address inside) is told in its own words.
  if (error instanceof AppError) return error;
  const code = (error as { code?: string }).code ?? '';
  const unsent = unsentCodes.has(code);
  if (unsent) return new AppDown(`${app} can’t be reached at its address. Is it running?`, { cause: error });
  const how = code.includes('TIMEOUT') ? 'did not answer in time' : 'broke off before it answered';
  return new Unsure(`${app} ${how}.`, { cause: error });
}

function toAppError(
  app: string,
  status: number,
  headers: HttpResponse['headers'],
  bytes: Buffer,
  shape: ErrorShape | undefined,
): AppError {
  const said = problemOf(bytes, String(headers['content-type'] ?? ''), shape);
  const words = said.detail ? `: ${said.detail}` : '.';
  switch (status) {
    case 401:
      return new NotSignedIn(`${app} doesn’t accept the key. Sign in again${words}`);
    case 403:
      return new NoRight(`${app} gives no right to do this${words}`);
    case 404:
    case 410:
      return new NotThere(`${app} doesn’t have it${words}`);
    case 409:
    case 412:
      return new Changed(`${app}: it was changed meanwhile${words}`);
    case 423:
      return new Locked(`${app}: it is locked${words}`);
    case 429:
      return new RateLimited(`${app} asks to slow down.`, retryAfter(headers['retry-after']));
  }
  if (status >= 500) return new Unsure(`${app} had a fault of its own (${status})${words}`);
  return new Refused(`${app} refused it${words}`, said.fields);
}

/** RFC 6750 section 2.1: the word, one space, the token. */
const bearer = (token: string): Record<string, string> => ({ authorization: `Bearer ${token}` });

/** What an error body says: problem details (RFC 9457), the app's own shape, or nothing. */
function problemOf(
  bytes: Buffer,
  type: string,
  shape: ErrorShape | undefined,
): { detail?: string; fields: { path: string; label: string; message: string }[] } {
  if (!type.includes('json')) return { fields: [] };
  try {
    const body = JSON.parse(bytes.toString('utf8'));
    const own = shape ? ownWords(body, shape) : undefined;
    if (own) return own;
    const errors = Array.isArray(body.errors) ? body.errors : [];
    return {
      detail: body.detail ?? body.title,
      fields: errors
        .filter((one: { pointer?: unknown }) => typeof one?.pointer === 'string')
        .map((one: { pointer: string; detail?: string }) => ({
          path: one.pointer,
          label: one.pointer.slice(1),
          message: one.detail ?? 'refused',
        })),
    };
  } catch {
    return { fields: [] };
  }
}

/** The words of an error in the app's own shape; undefined when the body has another. */
function ownWords(body: JsonRecord, shape: ErrorShape): ReturnType<typeof problemOf> | undefined {
  const message = readPointer(body, shape.message);
  if (typeof message !== 'string') return undefined;
  const faults = shape.fields ? readPointer(body, shape.fields) : undefined;
  const fields = (Array.isArray(faults) ? faults : []).flatMap((fault) => {
    const told = isRecord(fault) ? fault[shape.field] : undefined;
    // JSON:API points into the body that was sent: `/data/attributes/email`.
    const name = isRecord(told) ? toText(told['pointer']).replace(/^\/data\/(attributes|relationships)\//, '') : told;
    if (!isRecord(fault) || typeof name !== 'string' || name === '') return [];
    const path = formatPointer(name.split('.').filter(Boolean));
    return [{ path, label: pointerLabel(path), message: toText(fault[shape.reason]) }];
  });
  return { detail: message, fields };
}

/** Milliseconds that a Retry-After header asks for: seconds or an HTTP date (RFC 9110 section 10.2.3). */
export function retryAfter(header: string | string[] | undefined, now = Date.now()): number | undefined {
  const text = Array.isArray(header) ? header[0] : header;
  if (text === undefined) return undefined;
  if (/^\d+$/.test(text.trim())) return Number(text) * 1000;
  const at = Date.parse(text);
  return Number.isNaN(at) ? undefined : Math.max(0, at - now);
}
