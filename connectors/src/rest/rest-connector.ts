import {
  type Field,
  type Found,
  isRecord,
  isWebAddress,
  type JsonRecord,
  keyText,
  type Pointer,
  type RecordType,
  readPointer,
  toText,
  type Value,
  webAddress,
  writePointer,
} from '@golden/core';
import LinkHeader from 'http-link-header';
import { type Clock, realClock } from '../clock.ts';
import type {
  BulkResult,
  BulkSender,
  Connector,
  Health,
  ListRequest,
  Page,
  PlaceChoice,
  SettleBy,
  SourceRecord,
  WriteRequest,
  Written,
} from '../connector.ts';
import { Changed, NotThere, NotUnderstood, Refused, Unsure } from '../errors.ts';
import { HttpClient, type HttpResponse } from '../http/client.ts';
import type { TokenKeeper } from '../http/tokens.ts';
import { sendMany, sendScimBulk } from './bulk.ts';
import { decodeRecord, encodeRecord, encodeValues, type MinorUnits } from './codec.ts';
import { dereferenced, type Schemas } from './dereferenced.ts';
import type { RestDescription, RestRecordType } from './description.ts';
import { fieldsOf, minorPathsOf } from './fields.ts';
import { flatten, flattenSchema, jsonApiType, sendable, wrap } from './json-api.ts';
import { Memberships, membershipFields } from './memberships.ts';
import { type JsonSchema, schemaOf } from './schema.ts';
import {
  flattenScim,
  needsResource,
  nextStart,
  scimBody,
  scimFilter,
  scimPatch,
  scimSchemas,
  scimType,
  scimUrn,
} from './scim.ts';
import { subscribeTo } from './subscribe.ts';

export interface RestOptions {
  readonly address: string;
  readonly key: string;
  /** For apps that a person signs in to. */
  readonly tokens?: TokenKeeper;
  readonly timeout?: number;
  readonly retries?: number;
  readonly clock?: Clock;
}

/** Milliseconds for which an app's description is taken as read. */
const descriptionHolds = 5000;

/** An HTTP app driven by its description and its own OpenAPI document. */
export class RestConnector implements Connector {
  readonly settleBy: SettleBy;
  readonly settlesWithin: number | undefined;
  readonly keepsKeysFor: number | undefined;
  private readonly http: HttpClient;
  private readonly memberships: Memberships;
  private readonly clock: Clock;
  private schemas: { readonly at: number; readonly loaded: Promise<Schemas> } | undefined;

  constructor(
    private readonly description: RestDescription,
    private readonly options: RestOptions,
  ) {
    const { auth } = description;
    this.clock = options.clock ?? realClock;
    this.http = new HttpClient({
      app: description.title,
      address: options.address,
      headers: auth ? { [auth.header]: auth.value.replace('{key}', () => options.key) } : {},
      ...(description.errors && { errors: description.errors }),
      ...(options.tokens && { tokens: options.tokens }),
      ...(options.timeout !== undefined && { timeout: options.timeout }),
      ...(options.retries !== undefined && { retries: options.retries }),
    });
    this.memberships = new Memberships(this.http, description.title);
    const { events } = description;
    if (events)
      this.subscribe = async (path, url) => {
        const { name } = await this.knownType(path);
        return subscribeTo(this.http, events, { type: name, place: path[0] ?? '' }, url);
      };
    const hasReference = description.recordTypes.some((type) => type.reference);
    this.settleBy = description.idempotencyHeader ? 'idempotency_key' : hasReference ? 'reference' : 'lookup';
    this.settlesWithin = description.settlesWithin === undefined ? undefined : description.settlesWithin * 1000;
    this.keepsKeysFor = description.keepsKeysFor === undefined ? undefined : description.keepsKeysFor * 3_600_000;
  }

  async health(): Promise<Health> {
    const { me } = this.description;
    const body = await this.readJson(me.path);
    const sees = me.sees ? readPointer(body, me.sees) : undefined;
    const account = me.account ? toText(readPointer(body, me.account)) : '';
    return {
      ...(account && { account }),
      signedInAs: me.signedInAs
        .map((path) => toText(readPointer(body, path)))
        .filter(Boolean)
        .join(', '),
      sees: Array.isArray(sees) ? sees.map(toText) : this.description.recordTypes.map((type) => type.plural),
      mayRead: true,
      mayWrite: me.mayWrite ? readPointer(body, me.mayWrite) === true : true,
    };
  }

  async places(path: readonly string[] = []): Promise<readonly PlaceChoice[]> {
    const { within } = this.description;
    if (within && path.length === 0) {
      const items = readPointer(await this.readJson(within.path), within.items);
      if (!Array.isArray(items)) throw new NotUnderstood(`${this.description.title} gave no list of its places.`);
      return items.map((one) => ({
        id: toText(readPointer(one, within.id)),
        label: toText(readPointer(one, within.label)),
        isPlace: false,
        ...(within.allowed && readPointer(one, within.allowed) === false && { remark: 'not allowed yet' }),
      }));
    }
    await this.learnOwnTypes(path);
    return this.typesIn(path).map((type) => ({ id: type.name, label: type.label ?? type.plural, isPlace: true }));
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    const type = await this.knownType(path);
    const { shown } = type.isMembership ? { shown: [...membershipFields] } : await this.shapeOf(type);
    return {
      name: type.name,
      singular: type.singular,
      plural: type.plural,
      fields: type.message ? asMessage(shown, type.message) : shown,
      can: {
        list: Boolean(type.list),
        find: Boolean(type.find),
        create: Boolean(type.create),
        update: Boolean(type.update),
        readBack: Boolean(type.fetch),
      },
      ...(type.find && { findBy: Object.keys(type.find) }),
      ...(type.created && { created: type.created }),
      ...(type.updated && { updated: type.updated }),
      ...(type.draft && { draft: type.draft }),
      ...(type.message && {
        sentTo: { to: type.message.to, copies: [], subject: type.message.text, body: type.message.text },
      }),
    };
  }

  list(request: ListRequest): Promise<Page> {
    return this.listWhere(request, {});
  }

  /** A page of what fits the query of a listing. */
  private async listWhere(
    { path, since, cursor }: ListRequest,
    where: Readonly<Record<string, string>>,
  ): Promise<Page> {
    const type = await this.knownType(path);
    const list = type.list;
    if (!list) throw new NotThere(`${this.description.title} can’t list its ${type.plural}.`);
    if (type.isMembership) return this.memberships.list(cursor);
    if (this.isScim) return this.listScim(type, list, since, cursor);
    const page = Number(cursor ?? 1);
    const linked = (list.nextLink || list.linkHeader) && cursor ? this.fromLink(cursor) : undefined;
    const response = await this.ask(
      linked?.path ?? inPlace(list.path, path),
      linked?.query ?? {
        ...(list.limit && { [list.limit.query]: String(list.limit.value) }),
        ...(list.cursor && cursor && { [list.cursor.query]: cursor }),
        ...(list.page && { [list.page.query]: String(page) }),
        ...(list.since && since && { [list.since]: since }),
        ...where,
      },
    );
    const body = this.http.jsonData(response);
    const items = readPointer(body, list.items);
    if (!Array.isArray(items))
      throw new NotUnderstood(`${this.description.title} gave no list of ${type.plural} where one belongs.`);
    const more = list.page && page < Number(readPointer(body, list.page.total) ?? 0) ? String(page + 1) : null;
    const given = list.cursor?.next ?? list.nextLink;
    const next = list.linkHeader ? nextInLink(response) : given ? readPointer(body, given) : more;
    const shape = await this.shapeOf(type);
    return {
      records: this.recordsIn(items, type).map((record) => this.toSource(type, record, shape)),
      cursor: typeof next === 'string' && next !== '' ? next : null,
    };
  }

  async fetch(path: readonly string[], id: string): Promise<SourceRecord | null> {
    const type = await this.knownType(path);
    if (!type.fetch) return null;
    if (type.isMembership) return this.memberships.fetch(id);
    try {
      const body = await this.readJson(inPlace(withId(type.fetch, id), path));
      const source = this.toSource(type, this.unwrap(body), await this.shapeOf(type));
      // What was put away is gone for everybody who looks a record up.
      return type.retired && readPointer(source.record, type.retired) === true ? null : source;
    } catch (error) {
      if (error instanceof NotThere) return null;
      throw error;
    }
  }

  async find(
    path: readonly string[],
    by: { readonly path: Pointer; readonly value: Value },
  ): Promise<readonly Found[]> {
    const type = await this.knownType(path);
    const query = type.find?.[by.path];
    if (!query || !type.list)
      throw new NotThere(`${this.description.title} can’t look ${type.plural} up by ${by.path.slice(1)}.`);
    if (type.isMembership) return this.memberships.find(by.path, toText(by.value));
    const found = await this.lookUp(path, type, query, toText(by.value));
    // What an app calls a match may be wider than equality: a search by beginning, say.
    return found.filter((one) => keyText(readPointer(one.record, by.path)) === keyText(by.value));
  }

  async findAll(
    path: readonly string[],
    by: { readonly path: Pointer; readonly value: Value },
    most: number,
  ): Promise<readonly Found[]> {
    const type = await this.knownType(path);
    const query = type.find?.[by.path];
    if (!query || type.isMembership || this.isScim) return this.find(path, by);
    // A record that comes twice while the pages move counts once.
    const found = new Map<string, Found>();
    let cursor: string | undefined;
    do {
      const page: Page = await this.listWhere(
        { path, ...(cursor !== undefined && { cursor }) },
        { [query]: toText(by.value) },
      );
      const fit = page.records.filter(({ record }) => keyText(readPointer(record, by.path)) === keyText(by.value));
      for (const { id, record } of fit) found.set(id, { id, record });
      cursor = page.cursor ?? undefined;
    } while (cursor !== undefined && found.size <= most);
    return [...found.values()];
  }

  async findByToken(path: readonly string[], token: string): Promise<Found | null> {
    const type = this.typeAt(path);
    if (!type.reference) return null;
    const found = await this.lookUp(path, type, type.reference.query, token);
    return found.find((one) => readPointer(one.record, type.reference?.field ?? '') === token) ?? null;
  }

  async create(request: WriteRequest): Promise<Written> {
    const type = await this.knownType(request.write.target.path);
    if (!type.create) throw new NotThere(`${this.description.title} can’t make new ${type.plural}.`);
    if (type.isMembership) return this.memberships.create(request);
    return this.send('POST', type.create, type, request);
  }

  bulk(path: readonly string[]): BulkSender | undefined {
    const type = this.typesIn(path).find(({ name }) => name === (this.description.within ? path[1] : path[0]));
    if (!type?.bulk || !type.create) return undefined;
    const { bulk, create } = type;
    const { title, errors, idempotencyHeader } = this.description;
    const send = async (requests: readonly WriteRequest[], key: string): Promise<readonly BulkResult[]> => {
      const bodies = await Promise.all(requests.map((request) => this.payload(request)));
      if (!bulk.call) return sendScimBulk(this.http, title, create, bodies, errors?.taken);
      const headers = idempotencyHeader ? { [idempotencyHeader]: key } : {};
      return sendMany(this.http, title, bulk.call, bodies, type.id, headers);
    };
    return { most: bulk.most, send };
  }

  async update(request: WriteRequest): Promise<Written> {
    const type = await this.knownType(request.write.target.path);
    if (!type.update) throw new NotThere(`${this.description.title} can’t change ${type.plural}.`);
    return this.send(type.update.method, withId(type.update.path, request.write.id ?? ''), type, request);
  }

  removes(path: readonly string[]): boolean {
    return this.typeAt(path).remove !== undefined;
  }

  async remove(path: readonly string[], id: string): Promise<undefined> {
    const type = this.typeAt(path);
    if (!type.remove) throw new NotThere(`${this.description.title} can’t remove ${type.plural}.`);
    if (type.isMembership) return this.memberships.remove(id);
    const succeeds = this.description.success?.remove;
    await this.http.write({
      method: 'DELETE',
      path: inPlace(withId(type.remove, id), path),
      ...(succeeds && { succeeds }),
    });
  }

  async merge(path: readonly string[], survivor: string, other: string, token: string): Promise<void> {
    const type = await this.knownType(path);
    if (!type.merge) throw new NotThere(`${this.description.title} can’t merge ${type.plural}.`);
    const { idempotencyHeader } = this.description;
    await this.http.write({
      method: 'POST',
      path: inPlace(withId(type.merge, survivor), path),
      json: { data: { type: type.name, id: other } },
      headers: { ...this.mediaType(), ...(idempotencyHeader && { [idempotencyHeader]: token }) },
    });
  }

  canMerge(path: readonly string[]): boolean {
    return Boolean(this.typeAt(path).merge);
  }

  retiredField(path: readonly string[]): Pointer | undefined {
    return this.typeAt(path).retired;
  }

  /** Present where the description says how it is asked. */
  readonly subscribe: Connector['subscribe'];

  linkTo(path: readonly string[], id: string): string | undefined {
    const { screen } = this.typeAt(path);
    if (!screen || id === '') return undefined;
    return this.screenAt(inPlace(withId(screen, id), path));
  }

  linkToNew(path: readonly string[]): string | undefined {
    const { newScreen } = this.typeAt(path);
    return newScreen ? this.screenAt(inPlace(newScreen, path)) : undefined;
  }

  /** A page of the app itself; what a browser would run instead of open is none. */
  private screenAt(path: string): string | undefined {
    const { address } = this.options;
    return isWebAddress(address) && URL.canParse(path, address) ? webAddress(new URL(path, address).href) : undefined;
  }

  private async lookUp(path: readonly string[], type: RestRecordType, query: string, value: string): Promise<Found[]> {
    if (!type.list) return [];
    const asked = this.isScim ? { filter: scimFilter(query, value) } : { [query]: value };
    const body = await this.readJson(inPlace(type.list.path, path), asked);
    const shape = await this.shapeOf(type);
    const items = this.isScim ? (body['Resources'] ?? []) : readPointer(body, type.list.items);
    if (!Array.isArray(items)) throw new NotUnderstood(`${this.description.title} gave no list where one belongs.`);
    return this.recordsIn(items, type).map((one) => {
      const record = decodeRecord(this.flat(one), shape.fields, shape.minor);
      return { id: toText(readPointer(record, type.id)), record };
    });
  }

  /** The items of a listing. @throws NotUnderstood for one that is no record */
  private recordsIn(items: readonly unknown[], type: RestRecordType): JsonRecord[] {
    const at = items.findIndex((one) => !isRecord(one as Value));
    if (at < 0) return items as JsonRecord[];
    throw new NotUnderstood(
      `${this.description.title} gave ${JSON.stringify(items[at])?.slice(0, 40)} in its list of ${type.plural}, where a ${type.singular} belongs.`,
    );
  }

  private async send(
    method: 'POST' | 'PUT' | 'PATCH',
    path: string,
    type: RestRecordType,
    request: WriteRequest,
  ): Promise<Written> {
    const { idempotencyHeader, success } = this.description;
    const succeeds = success?.[request.write.kind];
    try {
      const response = await this.http.write({
        method,
        path: inPlace(path, request.write.target.path),
        json: await this.payload(request),
        headers: { ...this.mediaType(), ...(idempotencyHeader && { [idempotencyHeader]: request.token }) },
        ...(succeeds && { succeeds }),
      });
      return this.readWritten(response, type, request);
    } catch (error) {
      // What isn't there yet can't have changed meanwhile: the app refuses what would be new.
      if (error instanceof Changed && request.write.kind === 'create')
        throw new Refused(error.message, [], { cause: error });
      throw error;
    }
  }

  /** A write that was answered with something else than its record may have been done: that is unsure, not refused. */
  private readWritten(response: HttpResponse, type: RestRecordType, request: WriteRequest): Written {
    const { id: known } = request.write;
    if (response.bytes.length === 0) {
      const id = known ?? idInLocation(response.headers['location']);
      if (id) return { id };
      throw new Unsure(`${this.description.title} didn’t say which ${type.singular} it made.`);
    }
    let record: JsonRecord;
    try {
      record = this.unwrap(this.http.jsonData(response));
    } catch (error) {
      throw new Unsure((error as Error).message, { cause: error });
    }
    const told = toText(readPointer(record, type.id)) || idInLocation(response.headers['location']) || '';
    const id = known ?? told;
    if (id === '') throw new Unsure(`${this.description.title} didn’t say which ${type.singular} it made.`);
    if (told !== '' && told !== id)
      throw new Unsure(`${this.description.title} answered with another ${type.singular} (${told}) than was changed.`);
    return told === '' ? { id } : { id, record };
  }

  private async readJson(path: string, query?: Record<string, string>): Promise<JsonRecord> {
    return this.http.jsonData(await this.ask(path, query));
  }

  private ask(path: string, query?: Record<string, string>): Promise<HttpResponse> {
    return this.http.read({ method: 'GET', path, ...(query && { query }) });
  }

  /** The body of a write exactly as the app gets it. */
  async payload(request: WriteRequest): Promise<JsonRecord> {
    const type = await this.knownType(request.write.target.path);
    const { fields, minor } = await this.shapeOf(type);
    const { values, before } = request.write;
    const changed = encodeValues(values, fields, minor, before);
    // PUT replaces (RFC 9110 section 9.3.4): a part of which one field changes goes out whole.
    const replaces = request.write.kind === 'update' && type.update?.method === 'PUT';
    const body = replaces && before ? withWholeParts(changed, encodeRecord(before, fields, minor)) : changed;
    if (this.isScim) return this.scimPayload(type, request, changed);
    if (this.isJsonApi) return wrap(type.name, request.write.id, body, (await this.shapeOf(type)).schema);
    return type.reference ? writePointer(body, type.reference.field, request.token) : body;
  }

  /** A page of a listing in SCIM: counted from 1, and what changed since by a filter. */
  private async listScim(
    type: RestRecordType,
    list: NonNullable<RestRecordType['list']>,
    since: string | undefined,
    cursor: string | undefined,
  ): Promise<Page> {
    const body = await this.readJson(list.path, {
      count: '100',
      ...(cursor && { startIndex: cursor }),
      ...(since && list.since && { filter: scimFilter(list.since, since, 'ge') }),
    });
    const items = body['Resources'] ?? [];
    if (!Array.isArray(items) || body['totalResults'] === undefined)
      throw new NotUnderstood(`${this.description.title} gave no list of ${type.plural} where one belongs.`);
    const shape = await this.shapeOf(type);
    return {
      records: this.recordsIn(items, type).map((record) => this.toSource(type, record, shape)),
      cursor: nextStart(body),
    };
  }

  /** What makes a resource, with our own reference in it; what changes one is a patch that names what changes. */
  private async scimPayload(
    type: RestRecordType,
    { write, token }: WriteRequest,
    values: JsonRecord,
  ): Promise<JsonRecord> {
    const { schema, urn } = await this.shapeOf(type);
    if (write.kind === 'create') {
      const body = scimBody(values, schema, urn);
      return type.reference ? writePointer(body, type.reference.field, token) : body;
    }
    const changed = Object.fromEntries(
      Object.keys(write.values).map((path) => [path, readPointer(values, path) ?? null]),
    );
    const now = needsResource(Object.keys(changed), schema)
      ? await this.readJson(withId(type.fetch ?? '', write.id ?? ''))
      : undefined;
    return scimPatch(changed, schema, now);
  }

  private async shapeOf(type: RestRecordType): Promise<Shape> {
    const schemas = await this.schemasWith(type.schema);
    const known = this.shapes.get(schemas)?.get(type.name);
    if (known) return known;
    const named = Object.hasOwn(schemas, type.schema) ? schemaOf(schemas[type.schema]) : undefined;
    const schema = named && this.isJsonApi ? flattenSchema(named) : named;
    if (!schema) throw new NotUnderstood(`${this.description.title}’s own description has no “${type.schema}”.`);
    const input =
      this.isJsonApi || this.isScim
        ? sendable(schema)
        : type.inputSchema
          ? schemaOf(schemas[type.inputSchema])
          : undefined;
    const fields = fieldsOf(schema, input, { idPath: type.id, recordType: type.name });
    const shape: Shape = {
      fields,
      // Our own reference is for finding writes again; nobody fills it by hand.
      shown: fields.map((one) => (one.path === type.reference?.field ? { ...one, readOnly: true } : one)),
      minor: { paths: new Set(minorPathsOf(schema)) },
      schema,
      urn: this.isScim ? scimUrn(type.schema) : '',
    };
    const shapes = this.shapes.get(schemas) ?? new Map<string, Shape>();
    this.shapes.set(schemas, shapes.set(type.name, shape));
    return shape;
  }

  /** Shapes made of a description, for as long as that description counts. */
  private readonly shapes = new WeakMap<object, Map<string, Shape>>();

  /** What describes the app, read anew where it lacks a record type that has come since. */
  private async schemasWith(name: string): Promise<Schemas> {
    const before = this.schemas;
    const schemas = await this.loadSchemas();
    if (Object.hasOwn(schemas, name) || before !== this.schemas) return schemas;
    this.schemas = undefined;
    return this.loadSchemas();
  }

  /** The app's own description, looked at again after a few seconds: its owner may have changed it. */
  private loadSchemas(): Promise<Schemas> {
    if (this.schemas && this.clock.uptime() - this.schemas.at < descriptionHolds) return this.schemas.loaded;
    const loaded = this.readJson(this.description.openapi).then((document) => this.schemasIn(document));
    this.schemas = { at: this.clock.uptime(), loaded };
    loaded.catch(() => {
      this.schemas = undefined;
    });
    return loaded;
  }

  /** @throws NotUnderstood with what is wrong with the document */
  private async schemasIn(document: JsonRecord): Promise<Schemas> {
    if (this.isScim) return scimSchemas(document);
    try {
      return await dereferenced(document);
    } catch (error) {
      const said = error instanceof Error ? error.message.split('\n')[0] : String(error);
      throw new NotUnderstood(`${this.description.title}’s own description can’t be read: ${said}`, { cause: error });
    }
  }

  private typeAt(path: readonly string[]): RestRecordType {
    const name = this.description.within ? path[1] : path[0];
    const type = this.typesIn(path).find((one) => one.name === name);
    if (!type) throw new NotThere(`${this.description.title} has no “${name}”.`);
    return type;
  }

  private get isJsonApi(): boolean {
    return this.description.dialect === 'json_api';
  }

  private get isScim(): boolean {
    return this.description.dialect === 'scim';
  }

  private mediaType(): Record<string, string> {
    if (this.isScim) return { 'content-type': scimType };
    return this.isJsonApi ? { 'content-type': jsonApiType } : {};
  }

  /** The record in an answer, flat. */
  private unwrap(body: JsonRecord): JsonRecord {
    if (this.isScim) return flattenScim(body);
    return this.isJsonApi ? flatten((readPointer(body, '/data') ?? {}) as JsonRecord) : body;
  }

  /** An item of a listing, flat. */
  private flat(item: JsonRecord): JsonRecord {
    if (this.isScim) return item['schemas'] === undefined ? item : flattenScim(item);
    return this.isJsonApi && item['attributes'] !== undefined ? flatten(item) : item;
  }

  /** A link of an answer as a path below the address; one that leads elsewhere isn't followed. */
  private fromLink(link: string): { path: string; query: Record<string, string> } {
    const base = new URL(this.options.address);
    const url = URL.canParse(link, base.href) ? new URL(link, base) : undefined;
    const below = base.pathname.replace(/\/$/, '');
    if (url?.origin !== base.origin || !`${url.pathname}/`.startsWith(`${below}/`))
      throw new NotUnderstood(`${this.description.title} gave a next page at another address.`);
    return { path: url.pathname.slice(below.length), query: Object.fromEntries(url.searchParams) };
  }

  /** Record types that the app's owner added, as they were found last, by what they stand in. */
  private readonly own = new Map<string, readonly RestRecordType[]>();

  private typesIn(path: readonly string[]): readonly RestRecordType[] {
    const own = this.own.get(this.standingIn(path)) ?? [];
    return [...this.description.recordTypes.filter((type) => !type.isModel), ...own];
  }

  /** What a place's records stand in, such as a page; empty where they stand in nothing. */
  private standingIn(path: readonly string[]): string {
    return this.description.within ? (path[0] ?? '') : '';
  }

  private async learnOwnTypes(path: readonly string[]): Promise<void> {
    const { ownTypes, recordTypes } = this.description;
    if (!ownTypes) return;
    const items = readPointer(await this.readJson(inPlace(ownTypes.path, path)), ownTypes.items);
    const model = recordTypes.find((one) => one.name === ownTypes.like);
    if (!Array.isArray(items) || !model) return;
    const found = items.flatMap((one): RestRecordType[] => {
      const name = toText(readPointer(one, ownTypes.name));
      if (name === '' || recordTypes.some((type) => type.name === name)) return [];
      if (model.isModel) return [madeAfter(model, name, toText(readPointer(one, ownTypes.label ?? ownTypes.name)))];
      return [namedLike(model, name, toText(readPointer(one, ownTypes.singular)) || name)];
    });
    this.own.set(this.standingIn(path), found);
  }

  /** The record type of a place; those of the owner are looked for once more before it is said to be none. */
  private async knownType(path: readonly string[]): Promise<RestRecordType> {
    const name = this.description.within ? path[1] : path[0];
    if (this.description.ownTypes && !this.typesIn(path).some((one) => one.name === name))
      await this.learnOwnTypes(path);
    return this.typeAt(path);
  }

  private toSource(type: RestRecordType, given: JsonRecord, shape: Shape): SourceRecord {
    const record = decodeRecord(this.flat(given), shape.fields, shape.minor);
    const at = (path: string | undefined): string | undefined =>
      path ? toText(readPointer(record, path)) || undefined : undefined;
    const [updated, created] = [at(type.updated), at(type.created)];
    const id = toText(readPointer(record, type.id));
    if (id === '') throw new NotUnderstood(`${this.description.title} gave a ${type.singular} without an id.`);
    return {
      id,
      record,
      ...(updated && { updated }),
      ...(created && { created }),
    };
  }
}

/** What is known of a record type from the app's own description. */
interface Shape {
  readonly fields: readonly Field[];
  /** The same as people see them; one list, as long as the description counts. */
  readonly shown: Field[];
  readonly minor: MinorUnits;
  readonly schema: JsonSchema;
  /** The name of the schema in SCIM. */
  readonly urn: string;
}

/** What a message consists of: a person says what its text is, and in how many parts it goes is counted. */
const asMessage = (fields: readonly Field[], { text }: { readonly text: string }): Field[] =>
  fields.map((one) =>
    one.path === text ? { ...one, isLong: true, tellsGaps: true, byPersonOnly: true, isTextMessage: true } : one,
  );

/** The path with the place that the records stand in, such as a company. */
const inPlace = (path: string, place: readonly string[]): string =>
  path.replace('{place}', encodeURIComponent(place[0] ?? ''));

/** Parts of a record of which something changes, with what stays as it is. */
function withWholeParts(changed: JsonRecord, before: JsonRecord): JsonRecord {
  return Object.fromEntries(
    Object.entries(changed).map(([name, value]) => {
      const was = before[name];
      return [name, isRecord(value) && isRecord(was) ? { ...was, ...withWholeParts(value, was) } : value];
    }),
  );
}

/** A description with every text in it changed, however deep it stands. */
function withTexts<T>(value: T, change: (text: string) => string): T {
  const put = (one: unknown): unknown => {
    if (typeof one === 'string') return change(one);
    if (Array.isArray(one)) return one.map(put);
    if (typeof one !== 'object' || one === null) return one;
    return Object.fromEntries(Object.entries(one).map(([key, inner]) => [key, put(inner)]));
  };
  return put(value) as T;
}

/** A record type that works like another one under a name of its own. */
function namedLike(model: RestRecordType, name: string, singular: string): RestRecordType {
  const renamed = withTexts(model, (text) => text.replaceAll(`/${model.name}`, () => `/${encodeURIComponent(name)}`));
  return { ...renamed, name, singular, plural: name, schema: name, find: { '/name': 'filter[name]' } };
}

/** A record type made after a model: `{type}` in its addresses is its name. */
function madeAfter(model: RestRecordType, name: string, label: string): RestRecordType {
  const made = withTexts(model, (text) => text.replaceAll('{type}', () => encodeURIComponent(name)));
  return { ...made, name, label, schema: name, isModel: false };
}

/** The next page that an answer's Link header names; undefined where it names none, or can't be read. */
function nextInLink({ headers }: HttpResponse): string | undefined {
  const given = headers['link'];
  if (given === undefined) return undefined;
  try {
    return LinkHeader.parse([given].flat().join(', ')).rel('next')[0]?.uri;
  } catch {
    return undefined;
  }
}

/** @throws Refused without an id: the address of all records is none of one record */
function withId(path: string, id: string): string {
  if (id === '') throw new Refused('The record’s id isn’t known, so nothing was asked of it.');
  return path.replace('{id}', encodeURIComponent(id));
}

/** The id at the end of the address of what was made (RFC 9110 section 10.2.2). */
function idInLocation(location: string | string[] | undefined): string | undefined {
  if (typeof location !== 'string' || !URL.canParse(location, 'http://localhost')) return undefined;
  const { pathname } = new URL(location, 'http://localhost');
  try {
    return decodeURIComponent(pathname.split('/').filter(Boolean).at(-1) ?? '') || undefined;
  } catch {
    return undefined;
  }
}
