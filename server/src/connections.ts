import {
  type App,
  AppError,
  type Connector,
  type Health,
  NotSignedIn,
  type OpenOptions,
  readTokens,
  type Tokens,
} from '@golden/connectors';
import type { Db } from './db/open.ts';
import type { ConnectionRow, ConnectionTable } from './db/schema.ts';
import type { Events } from './events.ts';
import type { Seams } from './seams.ts';
import type { Blotting } from './secrets/blotting.ts';
import { CannotUnseal, type Sealing } from './secrets/sealing.ts';

/** There is no such connection or app. */
export class UnknownConnection extends Error {
  override readonly name = 'UnknownConnection';
}

/** What a person gives to connect an app. */
export interface ConnectionInput {
  readonly app: string;
  readonly name: string;
  readonly settings: Readonly<Record<string, string>>;
  /** Absent when the stored one is kept. */
  readonly key?: string;
}

/** A connection as screens see it: everything but its secret. */
export interface ConnectionView {
  readonly id: string;
  readonly app: string;
  readonly appTitle: string;
  readonly name: string;
  readonly settings: Readonly<Record<string, string>>;
  readonly status: ConnectionTable['status'];
  readonly message: string | null;
  readonly health: Health | null;
  readonly checkedAt: string | null;
  readonly createdAt: string;
}

/** The signed-in accounts, and the connectors that speak through them. */
export class Connections {
  private readonly open = new Map<string, Promise<Connector>>();

  constructor(
    private readonly db: Db,
    private readonly apps: readonly App[],
    private readonly sealing: Sealing,
    private readonly blotting: Blotting,
    private readonly events: Events,
    private readonly seams: Seams,
    private readonly options: OpenOptions,
  ) {}

  async list(): Promise<ConnectionView[]> {
    const rows = await this.db.selectFrom('connection').selectAll().orderBy('name').execute();
    return rows.map((row) => this.view(row));
  }

  /** @throws UnknownConnection */
  async get(id: string): Promise<ConnectionView> {
    return this.view(await this.row(id));
  }

  /** Saves a new connection after asking the app whether it works; keeps it, broken, when it doesn't. */
  async add(input: ConnectionInput): Promise<ConnectionView> {
    this.app(input.app);
    const id = this.seams.id();
    await this.db
      .insertInto('connection')
      .values({
        id,
        app: input.app,
        name: input.name,
        settings: JSON.stringify(input.settings),
        secret: input.key ? this.seal(input.key) : null,
        status: 'unchecked',
        message: null,
        health: null,
        checked_at: null,
        created_at: this.seams.now(),
      })
      .execute();
    return this.check(id);
  }

  async change(id: string, input: Omit<ConnectionInput, 'app'>): Promise<ConnectionView> {
    await this.row(id);
    await this.db
      .updateTable('connection')
      .set({
        name: input.name,
        settings: JSON.stringify(input.settings),
        ...(input.key && { secret: this.seal(input.key) }),
      })
      .where('id', '=', id)
      .execute();
    this.open.delete(id);
    return this.check(id);
  }

  async remove(id: string): Promise<void> {
    await this.db.deleteFrom('connection').where('id', '=', id).execute();
    this.open.delete(id);
    this.events.tell({ topic: 'connection', id });
  }

  /** Asks the app who we are and what we may, and keeps the answer. */
  async check(id: string): Promise<ConnectionView> {
    try {
      const health = await (await this.connector(id)).health();
      await this.mark(id, 'working', null, health);
    } catch (error) {
      if (!(error instanceof AppError || error instanceof CannotUnseal)) throw error;
      await this.mark(id, 'broken', error.message, null);
    }
    return this.get(id);
  }

  async mark(
    id: string,
    status: ConnectionTable['status'],
    message: string | null,
    health: Health | null,
  ): Promise<void> {
    await this.db
      .updateTable('connection')
      .set({
        status,
        message: message === null ? null : this.blotting.clean(message),
        checked_at: this.seams.now(),
        ...(health && { health: JSON.stringify(health) }),
      })
      .where('id', '=', id)
      .execute();
    this.events.tell({ topic: 'connection', id });
  }

  /** A message as it may be shown and stored: without secrets. */
  masked(message: string): string {
    return this.blotting.clean(message);
  }

  /**
   * The connector of a connection, kept open. Many who ask at once get the same one: two keepers of
   * one sign-in would use up each other's tokens.
   * @throws UnknownConnection, CannotUnseal, BadAddress
   */
  connector(id: string): Promise<Connector> {
    const known = this.open.get(id);
    if (known) return known;
    const opening = this.openAnew(id);
    this.open.set(id, opening);
    opening.catch(() => {
      if (this.open.get(id) === opening) this.open.delete(id);
    });
    return opening;
  }

  private async openAnew(id: string): Promise<Connector> {
    const row = await this.row(id);
    const key = row.secret ? this.sealing.unseal(row.secret) : '';
    if (key) this.learn(key);
    let kept = row.secret;
    const keepTokens = async (tokens: Tokens): Promise<void> => {
      const secret = this.seal(JSON.stringify(tokens));
      // A keeper that is still at work for an earlier sign-in must not write over the new one.
      const stored = await this.db
        .updateTable('connection')
        .set({ secret })
        .where('id', '=', id)
        .where('secret', 'is', kept)
        .executeTakeFirst();
      if (stored.numUpdatedRows === 0n)
        throw new NotSignedIn(`${this.app(row.app).title}: somebody signed in anew meanwhile. Try again.`);
      kept = secret;
    };
    return this.app(row.app).open({ ...JSON.parse(row.settings), key }, { ...this.options, keepTokens });
  }

  private app(id: string): App {
    const app = this.apps.find((one) => one.id === id);
    if (!app) throw new UnknownConnection(`There is no app “${id}” here.`);
    return app;
  }

  private async row(id: string): Promise<ConnectionRow> {
    const row = await this.db.selectFrom('connection').selectAll().where('id', '=', id).executeTakeFirst();
    if (!row) throw new UnknownConnection('This connection isn’t there any more. Choose another.');
    return row;
  }

  private seal(secret: string): string {
    this.learn(secret.trim());
    return this.sealing.seal(secret.trim());
  }

  /** A secret that must never be shown: a key, or each of a pair of tokens. */
  private learn(secret: string): void {
    const tokens = readTokens(secret);
    for (const one of tokens ? [tokens.access, tokens.refresh ?? ''] : [secret]) if (one) this.blotting.learn(one);
  }

  private view(row: ConnectionRow): ConnectionView {
    return {
      id: row.id,
      app: row.app,
      appTitle: this.apps.find((one) => one.id === row.app)?.title ?? row.app,
      name: row.name,
      settings: JSON.parse(row.settings),
      status: row.status,
      message: row.message,
      health: row.health ? JSON.parse(row.health) : null,
      checkedAt: row.checked_at,
      createdAt: row.created_at,
    };
  }
}
