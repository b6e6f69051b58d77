import {
  type Found,
  type JsonRecord,
  keyText,
  nest,
  type Pointer,
  type RecordType,
  readPointer,
  toText,
  type Value,
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
import type { RestDescription, RestRecordType } from './description.ts';
import { fieldsOf, type JsonSchema } from './fields.ts';

export interface RestOptions {
  readonly address: string;
  readonly key: string;
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
    const { header, value } = description.auth;
    this.http = new HttpClient({
      app: description.title,
      address: options.address,
      headers: { [header]: value.replace('{key}', options.key) },
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

  async places(): Promise<readonly PlaceChoice[]> {
    return this.description.recordTypes.map((type) => ({ id: type.name, label: type.plural, isPlace: true }));
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    const type = this.typeAt(path);
    const schemas = await this.loadSchemas();
    const schema = schemas[type.schema];
    if (!schema) throw new NotUnderstood(`${this.description.title}’s own description has no “${type.schema}”.`);
    const input = type.inputSchema ? schemas[type.inputSchema] : undefined;
    return {
      name: type.name,
      singular: type.singular,
      plural: type.plural,
      fields: fieldsOf(schema, input, { idPath: type.id, recordType: type.name }),
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
    const body = await this.readJson(list.path, {
      ...(list.limit && { [list.limit.query]: String(list.limit.value) }),
      ...(list.cursor && cursor && { [list.cursor.query]: cursor }),
      ...(list.since && since && { [list.since]: since }),
    });
    const items = readPointer(body, list.items);
    if (!Array.isArray(items))
      throw new NotUnderstood(`${this.description.title} gave no list of ${type.plural} where one belongs.`);
    const next = list.cursor ? readPointer(body, list.cursor.next) : null;
    return {
      records: (items as JsonRecord[]).map((record) => this.toSource(type, record)),
      cursor: typeof next === 'string' && next !== '' ? next : null,
    };
  }

  async fetch(path: readonly string[], id: string): Promise<SourceRecord | null> {
    const type = this.typeAt(path);
    if (!type.fetch) return null;
    try {
      return this.toSource(type, await this.readJson(withId(type.fetch, id)));
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
    const found = await this.lookUp(type, query, toText(by.value));
    // What an app calls a match may be wider than equality: a search by beginning, say.
    return found.filter((one) => keyText(readPointer(one.record, by.path)) === keyText(by.value));
  }

  async findByToken(path: readonly string[], token: string): Promise<Found | null> {
    const type = this.typeAt(path);
    if (!type.reference) return null;
    const found = await this.lookUp(type, type.reference.query, token);
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
    await this.http.write({ method: 'DELETE', path: withId(type.remove, id) });
  }

  linkTo(path: readonly string[], id: string): string | undefined {
    const { screen } = this.typeAt(path);
    return screen ? new URL(withId(screen, id), this.options.address).href : undefined;
  }

  linkToNew(path: readonly string[]): string | undefined {
    const { newScreen } = this.typeAt(path);
    return newScreen ? new URL(newScreen, this.options.address).href : undefined;
  }

  private async lookUp(type: RestRecordType, query: string, value: string): Promise<Found[]> {
    if (!type.list) return [];
    const body = await this.readJson(type.list.path, { [query]: value });
    const items = readPointer(body, type.list.items);
    if (!Array.isArray(items)) throw new NotUnderstood(`${this.description.title} gave no list where one belongs.`);
    return (items as JsonRecord[]).map((record) => ({ id: toText(readPointer(record, type.id)), record }));
  }

  private async send(
    method: 'POST' | 'PUT' | 'PATCH',
    path: string,
    type: RestRecordType,
    request: WriteRequest,
  ): Promise<Written> {
    const { idempotencyHeader } = this.description;
    const values = { ...typedForJson(request), ...(type.reference && { [type.reference.field]: request.token }) };
    const response = await this.http.write({
      method,
      path,
      json: nest(values),
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
    const type = this.description.recordTypes.find((one) => one.name === path[0]);
    if (!type) throw new NotThere(`${this.description.title} has no “${path[0]}”.`);
    return type;
  }

  private toSource(type: RestRecordType, record: JsonRecord): SourceRecord {
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

/** Numbers go out as JSON numbers; all else as it is. */
function typedForJson({ write }: WriteRequest): Record<Pointer, Value> {
  return Object.fromEntries(
    Object.entries(write.values).map(([path, value]) => {
      const isNumber = write.types[path] === 'integer' || write.types[path] === 'decimal';
      return [path, isNumber && typeof value === 'string' ? Number(value) : value];
    }),
  );
}

const withId = (path: string, id: string): string => path.replace('{id}', encodeURIComponent(id));
