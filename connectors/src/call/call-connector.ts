import {
  answerName,
  type CallSpec,
  CallSpecSchema,
  describeCall,
  type Found,
  formatPointer,
  hopsHeader,
  isRecord,
  type JsonRecord,
  namesInAddress,
  nest,
  type RecordType,
  toText,
  type Value,
} from '@golden/core';
import type {
  Connector,
  Health,
  Page,
  PlaceChoice,
  SettleBy,
  SourceRecord,
  WriteRequest,
  Written,
} from '../connector.ts';
import { NotThere, Unsure } from '../errors.ts';
import { badAddress, HttpClient, type HttpResponse } from '../http/client.ts';
import { encodeValues } from '../rest/codec.ts';
import { outsideAgent, refuseInside } from './inside.ts';

export interface CallOptions {
  readonly address: string;
  /** The header that carries the secret, such as `Authorization`. */
  readonly header: string;
  readonly secret: string;
  /** Whether addresses inside the machine's own network may be called. */
  readonly mayCallInside: () => Promise<boolean>;
  readonly timeout?: number;
}

/**
 * Calls addresses that no app description covers. What a call is stands in its place: the person's
 * own description as JSON, so that nothing has to be asked of the other side.
 */
export class CallConnector implements Connector {
  /** What came of a call without an answer can't be looked up: it is told as unsure, never guessed. */
  readonly settleBy: SettleBy = 'lookup';
  readonly tellsHops = true;

  private readonly clients = new Map<boolean, HttpClient>();

  constructor(private readonly options: CallOptions) {}

  async health(): Promise<Health> {
    const { hostname } = this.url();
    await this.guard();
    return { signedInAs: hostname, sees: ['calls that you describe'], mayRead: true, mayWrite: true };
  }

  async places(): Promise<readonly PlaceChoice[]> {
    return [];
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    return describeCall(specOf(path));
  }

  async list(): Promise<Page> {
    throw new NotThere('A call can’t be listed. Records can only be sent to it.');
  }

  async fetch(): Promise<SourceRecord | null> {
    return null;
  }

  async find(): Promise<readonly Found[]> {
    throw new NotThere('What a call made can’t be looked up.');
  }

  onlyReads(path: readonly string[]): boolean {
    return specOf(path).onlyReads;
  }

  async payload(request: WriteRequest): Promise<JsonRecord> {
    const spec = specOf(request.write.target.path);
    return bodyOf(spec, request.write.values) ?? {};
  }

  async create({ write, hops }: WriteRequest): Promise<Written> {
    const spec = specOf(write.target.path);
    const client = this.client(await this.guard());
    const body = bodyOf(spec, write.values);
    const ask = {
      method: spec.method,
      path: addressOf(spec, write.values),
      headers: { ...this.headersOf(spec), ...(hops !== undefined && { [hopsHeader]: String(hops) }) },
      ...(body && { json: body }),
      succeeds: callSucceeds,
    };
    const response = spec.onlyReads ? await client.read(ask) : await client.write(ask);
    return { id: '', record: { ...nest(write.values), [answerName]: answerOf(client, response, spec) } };
  }

  async update(): Promise<Written> {
    throw new NotThere('A call is sent each time; it doesn’t change an existing record.');
  }

  async remove(): Promise<never> {
    throw new NotThere('A call can’t be taken back from here.');
  }

  linkTo(): undefined {
    return undefined;
  }

  /** Kept open, so that all calls slow down together when the other side asks for it. */
  private client(isInsideAllowed: boolean): HttpClient {
    const known = this.clients.get(isInsideAllowed);
    if (known) return known;
    const made = new HttpClient({
      app: this.url().hostname,
      address: this.options.address,
      headers: {},
      ...(this.options.timeout !== undefined && { timeout: this.options.timeout }),
      ...(!isInsideAllowed && { dispatcher: outsideAgent }),
    });
    this.clients.set(isInsideAllowed, made);
    return made;
  }

  private headersOf(spec: CallSpec): Record<string, string> {
    const { header, secret } = this.options;
    const own = Object.fromEntries(spec.headers.map((one) => [one.name.toLowerCase(), one.value]));
    return { accept: 'application/json', ...own, ...(header && secret && { [header.toLowerCase()]: secret }) };
  }

  /** @throws BadAddress */
  private url(): URL {
    const { address } = this.options;
    if (!URL.canParse(address)) throw badAddress({ app: 'Web address', address });
    return new URL(address);
  }

  /** @throws NoRight when the address lies inside and that isn't allowed */
  private async guard(): Promise<boolean> {
    const isAllowed = await this.options.mayCallInside();
    if (!isAllowed) refuseInside(this.url());
    return isAllowed;
  }
}

/** @throws NotThere when the place holds no call */
function specOf(path: readonly string[]): CallSpec {
  try {
    return CallSpecSchema.parse(JSON.parse(path[0] ?? ''));
  } catch (error) {
    throw new NotThere('The call isn’t described. Describe it again.', { cause: error });
  }
}

function addressOf(spec: CallSpec, values: Readonly<Record<string, Value>>): string {
  return spec.address.replace(/\{([^{}]+)\}/g, (_, name: string) =>
    encodeURIComponent(toText(values[formatPointer([name])])),
  );
}

/** What an address answers when it has taken a call; anything else isn't known to be one (RFC 9110 section 15.3). */
const callSucceeds = [200, 201, 202, 204];

/** What isn't in the address is the body; a request that only reads by GET has none. */
function bodyOf(spec: CallSpec, values: Readonly<Record<string, Value>>): JsonRecord | undefined {
  if (spec.method === 'GET' || spec.method === 'DELETE') return undefined;
  const inAddress = new Set(namesInAddress(spec.address).map((name) => formatPointer([name])));
  const rest = Object.fromEntries(Object.entries(values).filter(([path]) => !inAddress.has(path)));
  return encodeValues(rest, describeCall(spec).fields, { paths: new Set() }, undefined);
}

/** The answer as data; one that is none, to a call that may have done something, is unsure only when it is broken. */
function answerOf(client: HttpClient, response: HttpResponse, spec: CallSpec): Value {
  if (response.bytes.length === 0) return {};
  const type = String(response.headers['content-type'] ?? '');
  if (!type.includes('json')) return { text: response.bytes.toString('utf8').slice(0, 20_000) };
  try {
    const answer = client.json(response) as Value;
    return isRecord(answer) ? answer : { value: answer };
  } catch (error) {
    if (spec.onlyReads) throw error;
    throw new Unsure((error as Error).message, { cause: error });
  }
}
