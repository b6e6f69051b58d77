import {
  type Field,
  type Found,
  type JsonRecord,
  keyText,
  type Pointer,
  type RecordType,
  readPointer,
  toText,
  type Value,
  writePointer,
} from '@golden/core';
import { dereference } from '@readme/openapi-parser';
import type {
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
import { NotThere, NotUnderstood, Unsure } from '../errors.ts';
import { HttpClient, type HttpResponse } from '../http/client.ts';
import type { TokenKeeper } from '../http/tokens.ts';
import { decodeRecord, encodeValues, type MinorUnits } from './codec.ts';
import type { RestDescription, RestRecordType } from './description.ts';
import { fieldsOf, type JsonSchema, minorPathsOf } from './fields.ts';

export interface RestOptions {
  readonly address: string;
  readonly key: string;
  /** For apps that a person signs in to. */
  readonly tokens?: TokenKeeper;
  readonly timeout?: number;
  readonly retries?: number;
}

/** Milliseconds for which an app's description is taken as read. */
const descriptionHolds = 5000;

/** An HTTP app driven by its description and its own OpenAPI document. */
export class RestConnector implements Connector {
  readonly settleBy: SettleBy;
  private readonly http: HttpClient;
  private schemas: { readonly at: number; readonly loaded: Promise<Readonly<Record<string, JsonSchema>>> } | undefined;

  constructor(
    private readonly description: RestDescription,
    private readonly options: RestOptions,
  ) {
    const { auth } = description;
    this.http = new HttpClient({
      app: description.title,
      address: options.address,
      headers: auth ? { [auth.header]: auth.value.replace('{key}', options.key) } : {},
      ...(description.errors && { errors: description.errors }),
      ...(options.tokens && { tokens: options.tokens }),
      ...(options.timeout !== undefined && { timeout: options.timeout }),
      ...(options.retries !== undefined && { retries: options.retries }),
    });
    const hasReference = description.recordTypes.some((type) => type.reference);
    this.settleBy = description.idempotencyHeader ? 'idempotency_key' : hasReference ? 'reference' : 'lookup';
  }

  async health(): Promise<Health> {
    const { me } = this.description;
    const body = await this.readJson(me.path);
    const sees = me.sees ? readPointer(body, me.sees) : undefined;
    return {
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
      }));
    }
    return this.description.recordTypes.map((type) => ({ id: type.name, label: type.plural, isPlace: true }));
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    const type = this.typeAt(path);
    const { fields } = await this.shapeOf(type);
    return {
      name: type.name,
      singular: type.singular,
      plural: type.plural,
      // Our own reference is for finding writes again; nobody fills it by hand.
      fields: fields.map((one) => (one.path === type.reference?.field ? { ...one, readOnly: true } : one)),
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
    };
  }

  async list({ path, since, cursor }: ListRequest): Promise<Page> {
    const type = this.typeAt(path);
    const list = type.list;
    if (!list) throw new NotThere(`${this.description.title} can’t list its ${type.plural}.`);
    const page = Number(cursor ?? 1);
    const body = await this.readJson(inPlace(list.path, path), {
      ...(list.limit && { [list.limit.query]: String(list.limit.value) }),
      ...(list.cursor && cursor && { [list.cursor.query]: cursor }),
      ...(list.page && { [list.page.query]: String(page) }),
      ...(list.since && since && { [list.since]: since }),
    });
    const items = readPointer(body, list.items);
    if (!Array.isArray(items))
      throw new NotUnderstood(`${this.description.title} gave no list of ${type.plural} where one belongs.`);
    const more = list.page && page < Number(readPointer(body, list.page.total) ?? 0) ? String(page + 1) : null;
    const next = list.cursor ? readPointer(body, list.cursor.next) : more;
    const shape = await this.shapeOf(type);
    return {
      records: (items as JsonRecord[]).map((record) => this.toSource(type, record, shape)),
      cursor: typeof next === 'string' && next !== '' ? next : null,
    };
  }

  async fetch(path: readonly string[], id: string): Promise<SourceRecord | null> {
    const type = this.typeAt(path);
    if (!type.fetch) return null;
    try {
      return this.toSource(type, await this.readJson(inPlace(withId(type.fetch, id), path)), await this.shapeOf(type));
    } catch (error) {
      if (error instanceof NotThere) return null;
      throw error;
    }
  }

  async find(
    path: readonly string[],
    by: { readonly path: Pointer; readonly value: Value },
  ): Promise<readonly Found[]> {
    const type = this.typeAt(path);
    const query = type.find?.[by.path];
    if (!query || !type.list)
      throw new NotThere(`${this.description.title} can’t look ${type.plural} up by ${by.path.slice(1)}.`);
    const found = await this.lookUp(path, type, query, toText(by.value));
    // What an app calls a match may be wider than equality: a search by beginning, say.
    return found.filter((one) => keyText(readPointer(one.record, by.path)) === keyText(by.value));
  }

  async findByToken(path: readonly string[], token: string): Promise<Found | null> {
    const type = this.typeAt(path);
    if (!type.reference) return null;
    const found = await this.lookUp(path, type, type.reference.query, token);
    return found.find((one) => readPointer(one.record, type.reference?.field ?? '') === token) ?? null;
  }

  async create(request: WriteRequest): Promise<Written> {
    const type = this.typeAt(request.write.target.path);
    if (!type.create) throw new NotThere(`${this.description.title} can’t make new ${type.plural}.`);
    return this.send('POST', type.create, type, request);
  }

  async update(request: WriteRequest): Promise<Written> {
    const type = this.typeAt(request.write.target.path);
    if (!type.update) throw new NotThere(`${this.description.title} can’t change ${type.plural}.`);
    return this.send(type.update.method, withId(type.update.path, request.write.id ?? ''), type, request);
  }

  async remove(path: readonly string[], id: string): Promise<void> {
    const type = this.typeAt(path);
    if (!type.remove) throw new NotThere(`${this.description.title} can’t remove ${type.plural}.`);
    await this.http.write({ method: 'DELETE', path: inPlace(withId(type.remove, id), path) });
  }

  linkTo(path: readonly string[], id: string): string | undefined {
    const { screen } = this.typeAt(path);
    return screen ? new URL(inPlace(withId(screen, id), path), this.options.address).href : undefined;
  }

  linkToNew(path: readonly string[]): string | undefined {
    const { newScreen } = this.typeAt(path);
    return newScreen ? new URL(inPlace(newScreen, path), this.options.address).href : undefined;
  }

  private async lookUp(path: readonly string[], type: RestRecordType, query: string, value: string): Promise<Found[]> {
    if (!type.list) return [];
    const body = await this.readJson(inPlace(type.list.path, path), { [query]: value });
    const shape = await this.shapeOf(type);
    const items = readPointer(body, type.list.items);
    if (!Array.isArray(items)) throw new NotUnderstood(`${this.description.title} gave no list where one belongs.`);
    return (items as JsonRecord[]).map((record) => ({
      id: toText(readPointer(record, type.id)),
      record: decodeRecord(record, shape.fields, shape.minor),
    }));
  }

  private async send(
    method: 'POST' | 'PUT' | 'PATCH',
    path: string,
    type: RestRecordType,
    request: WriteRequest,
  ): Promise<Written> {
    const { idempotencyHeader } = this.description;
    const response = await this.http.write({
      method,
      path: inPlace(path, request.write.target.path),
      json: await this.payload(request),
      ...(idempotencyHeader && { headers: { [idempotencyHeader]: request.token } }),
    });
    return this.readWritten(response, type, request);
  }

  /** A write that was answered with something else than its record may have been done: that is unsure, not refused. */
  private readWritten(response: HttpResponse, type: RestRecordType, request: WriteRequest): Written {
    if (response.bytes.length === 0) return { id: request.write.id ?? '' };
    let record: JsonRecord;
    try {
      record = this.http.json(response) as JsonRecord;
    } catch (error) {
      throw new Unsure((error as Error).message, { cause: error });
    }
    return { id: toText(readPointer(record, type.id)) || (request.write.id ?? ''), record };
  }

  private async readJson(path: string, query?: Record<string, string>): Promise<JsonRecord> {
    const response = await this.http.read({ method: 'GET', path, ...(query && { query }) });
    return this.http.json(response) as JsonRecord;
  }

  /** The body of a write exactly as the app gets it. */
  async payload(request: WriteRequest): Promise<JsonRecord> {
    const type = this.typeAt(request.write.target.path);
    const { fields, minor } = await this.shapeOf(type);
    const { values, before } = request.write;
    const body = encodeValues(values, fields, minor, before);
    return type.reference ? writePointer(body, type.reference.field, request.token) : body;
  }

  private async shapeOf(type: RestRecordType): Promise<Shape> {
    const schemas = await this.loadSchemas();
    const known = this.shapes.get(schemas)?.get(type.name);
    if (known) return known;
    const schema = schemas[type.schema];
    if (!schema) throw new NotUnderstood(`${this.description.title}’s own description has no “${type.schema}”.`);
    const input = type.inputSchema ? schemas[type.inputSchema] : undefined;
    const shape: Shape = {
      fields: fieldsOf(schema, input, { idPath: type.id, recordType: type.name }),
      minor: { paths: new Set(minorPathsOf(schema)) },
    };
    const shapes = this.shapes.get(schemas) ?? new Map<string, Shape>();
    this.shapes.set(schemas, shapes.set(type.name, shape));
    return shape;
  }

  /** Shapes made of a description, for as long as that description counts. */
  private readonly shapes = new WeakMap<object, Map<string, Shape>>();

  /** The app's own description, looked at again after a few seconds: its owner may have changed it. */
  private loadSchemas(): Promise<Readonly<Record<string, JsonSchema>>> {
    if (this.schemas && performance.now() - this.schemas.at < descriptionHolds) return this.schemas.loaded;
    const loaded = this.readJson(this.description.openapi)
      .then((document) => dereference(document as never))
      .then((api) => (api as { components?: { schemas?: Record<string, JsonSchema> } }).components?.schemas ?? {});
    this.schemas = { at: performance.now(), loaded };
    loaded.catch(() => {
      this.schemas = undefined;
    });
    return loaded;
  }

  private typeAt(path: readonly string[]): RestRecordType {
    const name = this.description.within ? path[1] : path[0];
    const type = this.description.recordTypes.find((one) => one.name === name);
    if (!type) throw new NotThere(`${this.description.title} has no “${name}”.`);
    return type;
  }

  private toSource(type: RestRecordType, given: JsonRecord, shape: Shape): SourceRecord {
    const record = decodeRecord(given, shape.fields, shape.minor);
    const at = (path: string | undefined): string | undefined =>
      path ? toText(readPointer(record, path)) || undefined : undefined;
    const [updated, created] = [at(type.updated), at(type.created)];
    return {
      id: toText(readPointer(record, type.id)),
      record,
      ...(updated && { updated }),
      ...(created && { created }),
    };
  }
}

/** What is known of a record type from the app's own description. */
interface Shape {
  readonly fields: readonly Field[];
  readonly minor: MinorUnits;
}

/** The path with the place that the records stand in, such as a company. */
const inPlace = (path: string, place: readonly string[]): string =>
  path.replace('{place}', encodeURIComponent(place[0] ?? ''));

const withId = (path: string, id: string): string => path.replace('{id}', encodeURIComponent(id));
