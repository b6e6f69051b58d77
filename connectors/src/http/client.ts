import {
  formatPointer,
  isRecord,
  isWebAddress,
  type JsonRecord,
  pointerLabel,
  readPointer,
  toText,
} from '@golden/core';
import pRetry from 'p-retry';
import { Agent, type Dispatcher, request } from 'undici';
import {
  AppDown,
  AppError,
  BadAddress,
  Changed,
  Locked,
  NoAnswer,
  NoRight,
  NotSignedIn,
  NotThere,
  NotUnderstood,
  RateLimited,
  Refused,
  Unsure,
} from '../errors.ts';
import { addressBelow } from './address.ts';
import { isTooDeep } from './depth.ts';
import { RateGate } from './rate-gate.ts';
import type { TokenKeeper } from './tokens.ts';

/** Where an app puts the words of an error: JSON Pointers, and the names within each field's fault. */
export interface ErrorShape {
  readonly message: string;
  readonly fields?: string | undefined;
  readonly field: string;
  readonly reason: string;
  /** How it says that another record has a value already, and of which field that is. */
  readonly taken?: { readonly at: string; readonly says: string; readonly field: string } | undefined;
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
  /** Milliseconds for a whole answer, however slowly it comes; eight times the time without one when absent. */
  readonly wholeTimeout?: number;
  /** How often a passing fault of a read is tried again. */
  readonly retries?: number;
}

/** RFC 9110 section 9, RFC 5789, RFC 4918 section 9. */
type Method =
  | 'GET'
  | 'HEAD'
  | 'OPTIONS'
  | 'POST'
  | 'PUT'
  | 'PATCH'
  | 'DELETE'
  | 'PROPFIND'
  | 'MKCOL'
  | 'MOVE'
  | 'LOCK'
  | 'UNLOCK';

export interface HttpRequest {
  readonly method: Method;
  readonly path: string;
  readonly query?: Readonly<Record<string, string | undefined>>;
  readonly headers?: Readonly<Record<string, string>>;
  readonly json?: unknown;
  readonly bytes?: Uint8Array;
  /** The statuses that mean it was done; the usual ones of the method when absent. */
  readonly succeeds?: readonly number[];
}

export interface HttpResponse {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly bytes: Buffer;
}

/** An answer of more than this is refused: no business record is that large. */
const mostBytes = 64 * 1024 * 1024;

/** Data of more than this is no page of records: reading it would hold everything else up. */
const mostDataBytes = 24 * 1024 * 1024;

/** Redirects that are followed one after the other. */
const mostRedirects = 5;

/** The statuses that mean a request was done, by method (RFC 9110 section 9.3, RFC 4918 section 9). */
const usualSuccess: Readonly<Record<Method, readonly number[]>> = {
  GET: [200, 304],
  HEAD: [200, 204, 304],
  OPTIONS: [200, 204],
  POST: [200, 201],
  PUT: [200, 201, 204],
  PATCH: [200, 204],
  DELETE: [200, 204],
  PROPFIND: [207],
  MKCOL: [201],
  MOVE: [201, 204],
  LOCK: [200, 201],
  UNLOCK: [200, 204],
};

/** One keep-alive pool for all apps; a connection is given up when the app closes it. */
const agent = new Agent({ connections: 64, pipelining: 1, keepAliveTimeout: 4000, connect: { timeout: 5000 } });

/** Codes that tell that no byte of the request reached the app. */
const unsentCodes = new Set(['ECONNREFUSED', 'ENOTFOUND', 'EAI_AGAIN', 'UND_ERR_CONNECT_TIMEOUT']);
/** Codes that tell it only where the connection was being made. */
const unsentOnConnect = new Set(['EHOSTUNREACH', 'ENETUNREACH', 'ETIMEDOUT']);

/** Speaks HTTP to one app and turns every fault into the `AppError` that fits. */
export class HttpClient {
  private readonly timeout: number;
  private readonly retries: number;
  private readonly gate = new RateGate();

  constructor(private readonly options: HttpOptions) {
    this.timeout = options.timeout ?? 15_000;
    this.retries = options.retries ?? 3;
  }

  /** A request that changes nothing: tried again after passing faults, with growing, jittered pauses. */
  async read(ask: HttpRequest): Promise<HttpResponse> {
    return this.again(
      () => this.once(ask, true).catch(asUnanswered),
      (error) => error.isPassing,
    );
  }

  /**
   * A request that changes something: tried again only when the app certainly did nothing.
   * @throws Unsure for every answer that isn't known as success or refusal: it may have been done
   */
  async write(ask: HttpRequest): Promise<HttpResponse> {
    return this.again(
      () => this.once(ask, false),
      (error) => error instanceof RateLimited || error instanceof AppDown,
    );
  }

  /** The body as JSON; an answer of another kind is told as what it is. */
  json(response: HttpResponse): unknown {
    const { app } = this.options;
    const type = String(response.headers['content-type'] ?? '');
    if (!type.includes('json')) {
      const kind = type.includes('html') ? 'a web page' : type || 'something without a type';
      throw new NotUnderstood(
        `${app} answered with ${kind} instead of data. Is the address right, or is it under maintenance?`,
      );
    }
    const text = response.bytes.toString('utf8');
    if (response.bytes.length > mostDataBytes)
      throw new NotUnderstood(`${app} sent more than ${mostDataBytes / 1024 / 1024} MB of data at once.`);
    if (isTooDeep(text)) throw new NotUnderstood(`${app} sent data that can’t be read (nested too deeply).`);
    try {
      return JSON.parse(text);
    } catch {
      throw new NotUnderstood(`${app} sent data that can’t be read (broken JSON).`);
    }
  }

  /** The body as a JSON object, or as a list of them where the app answers with one. */
  jsonData(response: HttpResponse): JsonRecord {
    const read = this.json(response);
    if (typeof read === 'object' && read !== null) return read as JsonRecord;
    throw new NotUnderstood(`${this.options.app} sent data of another kind than it describes.`);
  }

  private again<T>(work: () => Promise<T>, isWorthwhile: (error: AppError) => boolean): Promise<T> {
    return pRetry(work, {
      retries: this.retries,
      minTimeout: 120,
      factor: 3,
      maxTimeout: 8000,
      randomize: true,
      // A rate limit that lasts longer than the gate holds back is for whoever asks to wait out.
      shouldRetry: ({ error }) =>
        error instanceof AppError &&
        isWorthwhile(error) &&
        !(error instanceof RateLimited && this.gate.isClosedForLong()),
    });
  }

  private async once(ask: HttpRequest, isRead: boolean): Promise<HttpResponse> {
    await this.gate.pass(this.options.app);
    try {
      const response = await this.signedIn(ask, isRead);
      this.gate.calm();
      return response;
    } catch (error) {
      if (error instanceof RateLimited) this.gate.close(error.retryAfter);
      throw error;
    }
  }

  private async signedIn(ask: HttpRequest, isRead: boolean): Promise<HttpResponse> {
    const { tokens } = this.options;
    if (!tokens) return this.ask(ask, {}, isRead);
    const access = await tokens.access();
    try {
      return await this.ask(ask, bearer(access), isRead);
    } catch (error) {
      // A refused token means that nothing was done, so the same request may go out with a new one.
      if (!(error instanceof NotSignedIn)) throw error;
      return this.ask(ask, bearer((await tokens.renew(access)).access), isRead);
    }
  }

  private async ask(
    given: HttpRequest,
    headers: Readonly<Record<string, string>>,
    isRead: boolean,
  ): Promise<HttpResponse> {
    const { app } = this.options;
    const ask = { ...given, headers: { ...given.headers, ...headers } };
    let url = this.urlOf(ask);
    for (let hops = 0; ; hops++) {
      const response = await this.send(ask, url);
      const { status } = response;
      // Some refusals say that it is as wished: a folder that is there already, a file that is gone.
      if ((ask.succeeds ?? usualSuccess[ask.method]).includes(status)) return response;
      if (status >= 400) throw toAppError(app, status, response.headers, response.bytes, this.options.errors);
      const next = redirectOf(response, url, isRead);
      if (!next || hops >= mostRedirects) throw notKnown(app, status, isRead);
      url = next;
    }
  }

  private urlOf(ask: HttpRequest): URL {
    const { address, app } = this.options;
    if (!isWebAddress(address)) throw badAddress(this.options);
    const url = addressBelow(new URL(address), ask.path, app);
    for (const [name, value] of Object.entries(ask.query ?? {}))
      if (value !== undefined) url.searchParams.set(name, value);
    return url;
  }

  private async send(ask: HttpRequest, url: URL): Promise<HttpResponse> {
    const isJson = ask.json !== undefined;
    try {
      const response = await request(url, {
        method: ask.method,
        dispatcher: this.options.dispatcher ?? agent,
        headersTimeout: this.timeout,
        bodyTimeout: this.timeout,
        // An answer that drips byte by byte never meets the time without one.
        signal: AbortSignal.timeout(this.options.wholeTimeout ?? this.timeout * 8),
        headers: { ...this.options.headers, ...(isJson && { 'content-type': 'application/json' }), ...ask.headers },
        body: isJson ? JSON.stringify(ask.json) : (ask.bytes ?? null),
      });
      return {
        status: response.statusCode,
        headers: response.headers,
        bytes: await bytesOf(response, this.options.app),
      };
    } catch (error) {
      throw brokenOff(this.options.app, error);
    }
  }
}

/** What is unsure of a write has just no answer where nothing was to be changed. */
function asUnanswered(error: unknown): never {
  if (error instanceof Unsure) throw new NoAnswer(error.message, { cause: error });
  throw error;
}

/** The sentence for an address that is none. */
export function badAddress({ app, address }: Pick<HttpOptions, 'app' | 'address'>): BadAddress {
  const given = address.trim() === '' ? 'No address was given' : `“${address}” is not a web address`;
  return new BadAddress(`${app}: ${given}. It begins with http:// or https://.`);
}

/** The whole of an answer, as long as it isn't larger than any record. */
async function bytesOf({ body, headers }: Dispatcher.ResponseData, app: string): Promise<Buffer> {
  const parts: Buffer[] = [];
  let length = 0;
  const tooMuch = (): NotUnderstood =>
    new NotUnderstood(`${app} sent more than ${mostBytes / 1024 / 1024} MB at once.`);
  if (Number(headers['content-length'] ?? 0) > mostBytes) {
    body.destroy();
    throw tooMuch();
  }
  for await (const part of body) {
    length += part.length;
    if (length > mostBytes) {
      body.destroy();
      throw tooMuch();
    }
    parts.push(part);
  }
  return Buffer.concat(parts);
}

/**
 * Where a redirect leads that may be followed: within the same origin; for a write only where its
 * method and body stay what they are (RFC 9110 sections 15.4.8 and 15.4.9).
 */
function redirectOf({ status, headers }: HttpResponse, from: URL, isRead: boolean): URL | undefined {
  if (!(isRead ? [301, 302, 307, 308] : [307, 308]).includes(status)) return undefined;
  const { location } = headers;
  if (typeof location !== 'string' || !URL.canParse(location, from.href)) return undefined;
  const to = new URL(location, from);
  return to.origin === from.origin ? to : undefined;
}

function notKnown(app: string, status: number, isRead: boolean): AppError {
  const what = status >= 300 && status !== 304 ? 'sent us on to another address' : 'gave an answer that isn’t known';
  if (isRead) return new NotUnderstood(`${app} ${what} (${status}). Is the address right?`);
  return new Unsure(`${app} ${what} (${status}), so that it isn’t known whether it was done.`);
}

function brokenOff(app: string, error: unknown): AppError {
  // What the connection itself refuses (an address inside) is told in its own words.
  if (error instanceof AppError) return error;
  const { syscall, name, code: given } = error as { code?: unknown; syscall?: string; name?: string };
  // A request given up by its own signal has a number for its code.
  const code = String(given ?? '');
  if (unsentCodes.has(code) || (unsentOnConnect.has(code) && syscall === 'connect'))
    return new AppDown(`${app} can’t be reached at its address. Is it running?`, { cause: error });
  const how =
    code.includes('TIMEOUT') || name === 'TimeoutError' ? 'did not answer in time' : 'broke off before it answered';
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
      return new NotSignedIn(`${app} doesn’t accept the access key. Enter it again, or sign in again${words}`);
    case 403:
      return new NoRight(`${app} doesn’t allow this${words}`);
    case 404:
    case 410:
      return new NotThere(`${app} doesn’t have it${words}`);
    case 409:
    case 412:
      if (said.isTaken) return new Refused(`${app} refused it${words}`, said.fields);
      return new Changed(`${app}: it was changed in the meantime${words}`);
    case 423:
      return new Locked(`${app}: it is locked${words}`);
    case 429:
      return new RateLimited(`${app} asks for fewer requests.`, retryAfter(headers['retry-after']));
  }
  if (status >= 500) return new Unsure(`${app} had a fault (${status})${words}`);
  return new Refused(`${app} refused it${words}`, said.fields);
}

/** RFC 6750 section 2.1: the word, one space, the token. */
const bearer = (token: string): Record<string, string> => ({ authorization: `Bearer ${token}` });

/** An error is read up to here: its words come first. */
const mostErrorBytes = 256 * 1024;
/** Faults of fields that are told of one error. */
const mostFaults = 50;
/** Signs of an app's own words that are shown. */
const mostWords = 600;

/** Words that an app says; what isn't text says nothing a person could read. */
function wordsOf(value: unknown): string | undefined {
  if (typeof value !== 'string' || value.trim() === '') return undefined;
  return value.length > mostWords ? `${value.slice(0, mostWords)}…` : value;
}

/** What an error body says: problem details (RFC 9457), the app's own shape, or nothing. */
function problemOf(
  bytes: Buffer,
  type: string,
  shape: ErrorShape | undefined,
): { detail?: string; isTaken?: boolean; fields: { path: string; label: string; message: string }[] } {
  if (!type.includes('json')) return { fields: [] };
  try {
    const text = bytes.subarray(0, mostErrorBytes).toString('utf8');
    if (isTooDeep(text)) return { fields: [] };
    const body = JSON.parse(text);
    const own = shape ? ownWords(body, shape) : undefined;
    if (own) return own;
    const errors = Array.isArray(body.errors) ? body.errors : [];
    return {
      detail: wordsOf(body.detail) ?? wordsOf(body.title) ?? '',
      fields: errors
        .filter((one: { pointer?: unknown }) => typeof one?.pointer === 'string')
        .slice(0, mostFaults)
        .map((one: { pointer: string; detail?: unknown }) => ({
          path: one.pointer,
          label: one.pointer.slice(1),
          message: wordsOf(one.detail) ?? 'refused',
        })),
    };
  } catch {
    return { fields: [] };
  }
}

/** The words of an error in the app's own shape; undefined when the body has another. */
function ownWords(body: JsonRecord, shape: ErrorShape): ReturnType<typeof problemOf> | undefined {
  const message = wordsOf(readPointer(body, shape.message));
  if (message === undefined) return undefined;
  const faults = shape.fields ? readPointer(body, shape.fields) : undefined;
  const fields = (Array.isArray(faults) ? faults : []).slice(0, mostFaults).flatMap((fault) => {
    const told = isRecord(fault) ? fault[shape.field] : undefined;
    // JSON:API points into the body that was sent: `/data/attributes/email`.
    const name = isRecord(told) ? toText(told['pointer']).replace(/^\/data\/(attributes|relationships)\//, '') : told;
    if (!isRecord(fault) || typeof name !== 'string' || name === '') return [];
    const path = formatPointer(name.split('.').filter(Boolean));
    return [{ path, label: pointerLabel(path), message: toText(fault[shape.reason]) }];
  });
  const { taken } = shape;
  if (!taken || toText(readPointer(body, taken.at)) !== taken.says) return { detail: message, fields };
  const field = { path: taken.field, label: pointerLabel(taken.field), message };
  return { detail: message, fields: [...fields, field], isTaken: true };
}

/** Milliseconds that a Retry-After header asks for: seconds or an HTTP date (RFC 9110 section 10.2.3). */
export function retryAfter(header: string | string[] | undefined, now = Date.now()): number | undefined {
  const text = Array.isArray(header) ? header[0] : header;
  if (text === undefined) return undefined;
  if (/^\d+$/.test(text.trim())) return Number(text) * 1000;
  const at = Date.parse(text);
  return Number.isNaN(at) ? undefined : Math.max(0, at - now);
}
