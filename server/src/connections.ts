import {
  AccountUnclear,
  type App,
  AppError,
  type Connector,
  type Health,
  NotSignedIn,
  type OpenOptions,
  readTokens,
  type Tokens,
} from '@golden/connectors';
import {
  type AccountAnswer,
  type AccountQuestion,
  becomeKnown,
  type Identity,
  identityFrom,
  identityOf,
  isSameAccount,
  isUsed,
  knownAccount,
  moveAccount,
  takeAccount,
} from './accounts.ts';
import type { Trx } from './db/group-commit.ts';
import type { Db } from './db/open.ts';
import type { AccountRow, ConnectionRow, ConnectionTable } from './db/schema.ts';
import type { Events } from './events.ts';
import type { Seams } from './seams.ts';
import { plainSettings } from './secrets/plain-settings.ts';
import type { Redaction } from './secrets/redaction.ts';
import { CannotUnseal, type Sealing } from './secrets/sealing.ts';
import { Told } from './told.ts';

/** There is no such connection or app. */
export class UnknownConnection extends Told {
  override readonly name = 'UnknownConnection';
  readonly status = 404;
  readonly type = 'not-there';
}

/** A connection leads elsewhere than before: a person says first whether that is the same account. Nothing was changed. */
export class AccountAsked extends Told {
  override readonly name = 'AccountAsked';
  readonly status = 409;
  readonly type = 'account-asked';

  override get more() {
    return { question: this.question };
  }
  constructor(readonly question: AccountQuestion) {
    super('This connection leads elsewhere now. Say whether it is the same account, or another one.');
  }
}

/** A key was given for one address and would be sent to another: it has to be given anew. Nothing was changed. */
export class KeyNeeded extends Told {
  override readonly name = 'KeyNeeded';
  readonly status = 409;
  readonly type = 'key-needed';
  constructor(origin: string) {
    super(`The access key was given for ${origin}. Enter it again for the new address.`);
  }
}

/** A connector with the account that it speaks for. */
export interface Opened {
  readonly connector: Connector;
  readonly account: string;
}

/** How a change of a connection is to be taken where it leads elsewhere. */
export interface ChangeOptions {
  /** What the person says; without it nothing is changed where it has to be said. */
  readonly answer?: AccountAnswer | undefined;
  /** True where the change can't be asked for again, as after signing in: it is kept, and the question stands. */
  readonly isKept?: boolean;
  /** Done in the same transaction when the connection leads to another account from now on. */
  readonly onOther?: ((trx: Trx, account: string) => Promise<unknown>) | undefined;
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
  /** Where it leads: scheme, host and port of an app, or a folder. */
  readonly leadsTo: string;
  readonly status: ConnectionTable['status'];
  readonly message: string | null;
  readonly health: Health | null;
  readonly checkedAt: string | null;
  readonly createdAt: string;
  /** Present while a person has to say whether this is the same account as before. */
  readonly asked: AccountQuestion | null;
  /** False where the app doesn't tell who is signed in, so that its address and key have to do. */
  readonly tellsAccount: boolean;
}

/** The signed-in accounts, and the connectors that speak through them. */
export class Connections {
  private readonly open = new Map<string, Promise<Opened>>();
  /** The account of each connection. */
  private readonly accounts = new Map<string, string>();
  /** Connections of which a person has to say first who is signed in. */
  private readonly unclear = new Set<string>();
  /** Connections whose app has never said who is signed in: it is asked before anything else. */
  private readonly unverified = new Set<string>();
  private readonly verifying = new Map<string, Promise<void>>();

  constructor(
    private readonly db: Db,
    private readonly apps: readonly App[],
    private readonly sealing: Sealing,
    private readonly redaction: Redaction,
    private readonly events: Events,
    private readonly seams: Seams,
    private readonly options: OpenOptions,
  ) {}

  /** Reads which account each connection leads to; before anything else is asked. */
  async load(): Promise<void> {
    for (const row of await this.db.selectFrom('connection').selectAll().execute()) {
      this.accounts.set(row.id, row.account_id);
      if (row.asked !== null) this.unclear.add(row.id);
      await this.noteVerified(row.id);
      const app = this.apps.find((one) => one.id === row.app);
      if (!app) continue;
      // Accounts of an earlier release don't know where they are yet.
      await this.db
        .updateTable('account')
        .set({ origin: app.originOf(JSON.parse(row.settings)) })
        .where('id', '=', row.account_id)
        .where('origin', '=', '')
        .execute();
    }
  }

  async list(): Promise<ConnectionView[]> {
    const rows = await this.db.selectFrom('connection').selectAll().orderBy('name').execute();
    const accounts = await this.db.selectFrom('account').selectAll().execute();
    return rows.map((row) =>
      this.view(
        row,
        accounts.find((one) => one.id === row.account_id),
      ),
    );
  }

  /** @throws UnknownConnection */
  async get(id: string): Promise<ConnectionView> {
    const row = await this.row(id);
    return this.view(row, await this.account(row.account_id));
  }

  /** The account that a connection leads to; what has no account any more stands for itself. */
  accountOf(id: string): string {
    return this.accounts.get(id) ?? id;
  }

  /** A connection that leads to an account; undefined when none does any more. */
  leadingTo(account: string): string | undefined {
    return [...this.accounts].find(([, one]) => one === account)?.[0];
  }

  /** Saves a new connection after asking the app whether it works; keeps it, broken, when it doesn't. */
  async add(input: ConnectionInput): Promise<ConnectionView> {
    const app = this.app(input.app);
    const id = this.seams.id();
    const { now, key } = await this.whoIsThere({ id, app: app.id, secret: null }, input);
    await this.db.transaction().execute(async (trx) => {
      const account = await takeAccount(trx, this.seams, now);
      await trx
        .insertInto('connection')
        .values({
          id,
          app: input.app,
          name: input.name,
          settings: JSON.stringify(plainSettings(app, input.settings)),
          secret: key ? this.seal(key) : null,
          status: 'unchecked',
          message: null,
          health: null,
          checked_at: null,
          created_at: this.seams.now(),
          account_id: account,
          asked: null,
        })
        .execute();
      this.accounts.set(id, account);
    });
    await this.noteVerified(id);
    return this.check(id);
  }

  /**
   * Changes a connection. Where it leads elsewhere from now on, a person says whether that is the same
   * account, moved, or another one; one that was used before is found again by itself.
   * @throws AccountAsked when that has to be said first; nothing is changed then
   * @throws KeyNeeded when its key would go to an address that it wasn't given for; nothing is changed then
   */
  async change(
    id: string,
    input: Omit<ConnectionInput, 'app'>,
    { answer, isKept = false, onOther }: ChangeOptions = {},
  ): Promise<ConnectionView> {
    const row = await this.row(id);
    const was = await this.account(row.account_id);
    this.expectKeyFor(row, input);
    const { now, key } = await this.whoIsThere(row, input);
    const settled = await this.settleAccount(was, now, answer);
    if (settled.kind === 'asked' && !isKept) throw new AccountAsked({ was: identityFrom(was), now });
    await this.db.transaction().execute(async (trx) => {
      await trx
        .updateTable('connection')
        .set({
          name: input.name,
          settings: JSON.stringify(plainSettings(this.app(row.app), input.settings)),
          asked: settled.kind === 'asked' ? JSON.stringify(now) : null,
          ...(key && { secret: this.seal(key) }),
        })
        .where('id', '=', id)
        .execute();
      if (settled.kind !== 'asked') await this.lead(trx, id, settled, now, onOther);
    });
    this.seams.reach('account:after-store');
    this.learnOf(id, settled.kind === 'asked');
    await this.noteVerified(id);
    return this.check(id);
  }

  /** Under which settings a connection was signed in to last, with the secret that the host gave the program. @throws UnknownConnection, CannotUnseal */
  async signedInWith(id: string): Promise<{ settings: Record<string, string>; clientSecret: string | undefined }> {
    const row = await this.row(id);
    const key = row.secret ? this.sealing.unseal(row.secret) : '';
    return { settings: JSON.parse(row.settings), clientSecret: readTokens(key)?.clientSecret };
  }

  /**
   * A person says whether a connection that leads elsewhere is the same account or another one.
   * @throws UnknownConnection when nothing is asked
   */
  async answerAccount(id: string, answer: AccountAnswer, onOther?: ChangeOptions['onOther']): Promise<ConnectionView> {
    const row = await this.row(id);
    if (row.asked === null) return this.get(id);
    const now = JSON.parse(row.asked) as Identity;
    const settled = await this.settleAccount(await this.account(row.account_id), now, answer);
    await this.db.transaction().execute(async (trx) => {
      await trx.updateTable('connection').set({ asked: null }).where('id', '=', id).execute();
      if (settled.kind !== 'asked') await this.lead(trx, id, settled, now, onOther);
    });
    this.seams.reach('account:after-store');
    this.learnOf(id, false);
    await this.noteVerified(id);
    return this.check(id);
  }

  /** Which account a connection leads to that may have changed. */
  private async settleAccount(was: AccountRow, now: Identity, answer: AccountAnswer | undefined): Promise<Settled> {
    if (isSameAccount(identityFrom(was), now)) return { kind: 'stays' };
    const known = now.who === null ? undefined : await knownAccount(this.db, now);
    if (known) return { kind: 'known', account: known.id };
    if (answer === 'same') return { kind: 'moves' };
    // Where nothing rests on it there is nothing to ask; who is known by name stays who it is.
    if (!(await isUsed(this.db, was.id))) return { kind: was.who === null ? 'moves' : 'other' };
    return { kind: answer === 'other' ? 'other' : 'asked' };
  }

  private async lead(
    trx: Trx,
    id: string,
    settled: Settled,
    now: Identity,
    onOther: ChangeOptions['onOther'],
  ): Promise<void> {
    const { account_id } = await trx
      .selectFrom('connection')
      .select('account_id')
      .where('id', '=', id)
      .executeTakeFirstOrThrow();
    if (settled.kind === 'stays') return;
    if (settled.kind === 'moves') {
      await moveAccount(trx, account_id, now);
      return;
    }
    const account = settled.account ?? (await takeAccount(trx, this.seams, now));
    await trx.updateTable('connection').set({ account_id: account }).where('id', '=', id).execute();
    await onOther?.(trx, account);
    this.accounts.set(id, account);
  }

  /** What is kept open speaks for the account as it was. */
  private learnOf(id: string, isUnclear: boolean): void {
    this.open.delete(id);
    if (isUnclear) this.unclear.add(id);
    else this.unclear.delete(id);
  }

  /** A secret goes to no other place than the one that it was given for. */
  private expectKeyFor(row: ConnectionRow, { settings, key }: Omit<ConnectionInput, 'app'>): void {
    const app = this.app(row.app);
    const before = app.originOf(JSON.parse(row.settings) as Record<string, string>);
    if (row.secret !== null && key === undefined && app.originOf(settings) !== before) throw new KeyNeeded(before);
  }

  /**
   * Whom the app shows under changed settings, without its own word where it can't be asked; and the key
   * as it is by then, for asking may have renewed the tokens of a sign-in.
   */
  private async whoIsThere(
    row: OpenedRow,
    { settings, key: given }: Omit<ConnectionInput, 'app'>,
  ): Promise<{ readonly now: Identity; readonly key: string | undefined }> {
    const app = this.app(row.app);
    let key = given;
    try {
      const used = given ?? (row.secret ? this.sealing.unseal(row.secret) : '');
      if (used) this.learn(used);
      // What isn't stored yet is renewed in memory only.
      const keep = async (tokens: Tokens): Promise<void> => {
        key = JSON.stringify(tokens);
      };
      const connector = this.openWith(row, settings, used, given === undefined ? undefined : keep);
      return { now: identityOf(app, settings, await connector.health(), this.markOf(app, used)), key };
    } catch (error) {
      if (!(error instanceof AppError || error instanceof CannotUnseal)) throw error;
      return { now: identityOf(app, settings, null, null), key };
    }
  }

  async remove(id: string): Promise<void> {
    await this.db.deleteFrom('connection').where('id', '=', id).execute();
    this.open.delete(id);
    this.accounts.delete(id);
    this.unclear.delete(id);
    this.unverified.delete(id);
    this.events.tell({ topic: 'connection', id });
  }

  /** Asks the app who we are and what we may, and keeps the answer. */
  async check(id: string): Promise<ConnectionView> {
    try {
      const { connector } = await this.openedAnyway(id);
      const health = await connector.health();
      if (await this.isAsBefore(id, health)) await this.mark(id, 'working', null, health);
      else await this.mark(id, 'broken', somebodyElse(health.signedInAs), health);
    } catch (error) {
      if (!(error instanceof AppError || error instanceof CannotUnseal)) throw error;
      await this.mark(id, 'broken', error.message, null);
    }
    return this.get(id);
  }

  /** Whether the account that an app names is the one from before; where nobody knew it yet, it is learnt. */
  private async isAsBefore(id: string, health: Health): Promise<boolean> {
    const row = await this.row(id);
    const app = this.app(row.app);
    const key = row.secret ? this.sealing.unseal(row.secret) : '';
    const now = identityOf(app, JSON.parse(row.settings), health, this.markOf(app, key));
    const was = await this.account(row.account_id);
    const isSame = isSameAccount(identityFrom(was), now);
    if (isSame && !(was.who === null && (await this.recognise(id, was.id, now))))
      await moveAccount(this.db, was.id, now);
    const isUnclear = !isSame && (await isUsed(this.db, was.id));
    if (!isSame && !isUnclear) {
      const account = await takeAccount(this.db, this.seams, now);
      await this.db.updateTable('connection').set({ account_id: account }).where('id', '=', id).execute();
      this.accounts.set(id, account);
      this.open.delete(id);
    }
    await this.db
      .updateTable('connection')
      .set({ asked: isUnclear ? JSON.stringify(now) : null })
      .where('id', '=', id)
      .execute();
    if (isUnclear) this.unclear.add(id);
    else this.unclear.delete(id);
    this.unverified.delete(id);
    return !isUnclear;
  }

  /** An account that nobody could ask about is one that was used before. */
  private async recognise(id: string, provisional: string, now: Identity): Promise<boolean> {
    const known = await knownAccount(this.db, now);
    if (!known || known.id === provisional) return false;
    const isOne = await this.db.transaction().execute(async (trx) => {
      await trx.updateTable('connection').set({ account_id: known.id }).where('id', '=', id).execute();
      if (await becomeKnown(trx, provisional, known.id)) return true;
      await trx.updateTable('connection').set({ account_id: provisional }).where('id', '=', id).execute();
      return false;
    });
    if (isOne) {
      this.accounts.set(id, known.id);
      this.open.delete(id);
    }
    return isOne;
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
        message: message === null ? null : this.redaction.clean(message),
        checked_at: this.seams.now(),
        ...(health && { health: JSON.stringify(this.maskedHealth(health)) }),
      })
      .where('id', '=', id)
      .execute();
    this.events.tell({ topic: 'connection', id });
  }

  /** A careless app may say who is signed in by the key. */
  private maskedHealth(health: Health): Health {
    const clean = (text: string): string => this.redaction.clean(text);
    return {
      ...health,
      signedInAs: clean(health.signedInAs),
      sees: health.sees.map(clean),
      ...(health.readOnlyBecause && { readOnlyBecause: clean(health.readOnlyBecause) }),
      ...(health.places && { places: health.places.map((one) => ({ ...one, label: clean(one.label) })) }),
    };
  }

  /** A message as it may be shown and stored: without secrets. */
  masked(message: string): string {
    return this.redaction.clean(message);
  }

  /**
   * The connector of a connection, kept open. Many who ask at once get the same one: two keepers of
   * one sign-in would use up each other's tokens.
   * @throws UnknownConnection, CannotUnseal, BadAddress
   * @throws AccountUnclear while a person hasn't said who is signed in
   */
  async connector(id: string): Promise<Connector> {
    return (await this.opened(id)).connector;
  }

  /** The same with the account that it speaks for. */
  async opened(id: string): Promise<Opened> {
    if (this.unclear.has(id))
      throw new AccountUnclear(
        `${(await this.row(id)).name} leads to another address than before. Say under Connections whether it is the same account.`,
      );
    if (this.unverified.has(id)) await this.verifiedOnce(id);
    return this.openedAnyway(id);
  }

  /** Many who ask at once wait for one answer. */
  private verifiedOnce(id: string): Promise<void> {
    const known = this.verifying.get(id);
    if (known) return known;
    const asking = this.verify(id).finally(() => this.verifying.delete(id));
    this.verifying.set(id, asking);
    return asking;
  }

  /** Nothing is read or written in an account before its app has said whose it is. @throws AppError when it can't be asked */
  private async verify(id: string): Promise<void> {
    const health = await (await this.openedAnyway(id)).connector.health();
    if (!this.unverified.has(id)) return;
    if (await this.isAsBefore(id, health)) await this.mark(id, 'working', null, health);
    else await this.mark(id, 'broken', somebodyElse(health.signedInAs), health);
    if (this.unclear.has(id)) throw new AccountUnclear(somebodyElse(health.signedInAs));
  }

  private async noteVerified(id: string): Promise<void> {
    const row = await this.db
      .selectFrom('connection')
      .innerJoin('account', 'account.id', 'connection.account_id')
      .select('account.who')
      .where('connection.id', '=', id)
      .executeTakeFirst();
    if (row && row.who === null) this.unverified.add(id);
    else this.unverified.delete(id);
  }

  private openedAnyway(id: string): Promise<Opened> {
    const known = this.open.get(id);
    if (known) return known;
    const opening = this.openAnew(id);
    this.open.set(id, opening);
    opening.catch(() => {
      if (this.open.get(id) === opening) this.open.delete(id);
    });
    return opening;
  }

  private async openAnew(id: string): Promise<Opened> {
    const row = await this.row(id);
    const key = row.secret ? this.sealing.unseal(row.secret) : '';
    if (key) this.learn(key);
    return { connector: this.openWith(row, JSON.parse(row.settings), key), account: row.account_id };
  }

  private openWith(
    row: OpenedRow,
    settings: Readonly<Record<string, string>>,
    key: string,
    keep?: (tokens: Tokens) => Promise<void>,
  ): Connector {
    const { id } = row;
    let kept = row.secret;
    const keepTokens =
      keep ??
      (async (tokens: Tokens): Promise<void> => {
        const secret = this.seal(JSON.stringify(tokens));
        // A keeper that is still at work for an earlier sign-in must not write over the new one.
        const stored = await this.db
          .updateTable('connection')
          .set({ secret })
          .where('id', '=', id)
          .where('secret', 'is', kept)
          .executeTakeFirst();
        if (stored.numUpdatedRows === 0n)
          throw new NotSignedIn(`${this.app(row.app).title}: somebody signed in again in the meantime. Try again.`);
        kept = secret;
      });
    return this.app(row.app).open({ ...settings, key }, { ...this.options, keepTokens });
  }

  private app(id: string): App {
    const app = this.apps.find((one) => one.id === id);
    if (!app) throw new UnknownConnection(`There is no app “${id}” here.`);
    return app;
  }

  private async account(id: string): Promise<AccountRow> {
    return this.db.selectFrom('account').selectAll().where('id', '=', id).executeTakeFirstOrThrow();
  }

  /** What stands for a key that has to tell an account; a sign-in's tokens change, and tell nothing. */
  private markOf(app: App, key: string): string {
    return key === '' || app.signIn ? '' : this.sealing.markOf(key);
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
    const parts = tokens ? [tokens.access, tokens.refresh, tokens.clientSecret] : [secret];
    for (const one of parts) if (one) this.redaction.learn(one);
  }

  private view(row: ConnectionRow, account: AccountRow | undefined): ConnectionView {
    const app = this.apps.find((one) => one.id === row.app);
    return {
      id: row.id,
      app: row.app,
      appTitle: app?.title ?? row.app,
      name: row.name,
      settings: JSON.parse(row.settings),
      leadsTo: app?.originOf(JSON.parse(row.settings)) ?? '',
      status: row.status,
      message: row.message,
      health: row.health ? JSON.parse(row.health) : null,
      checkedAt: row.checked_at,
      createdAt: row.created_at,
      asked: row.asked && account ? { was: identityFrom(account), now: JSON.parse(row.asked) as Identity } : null,
      tellsAccount: account?.who === null || account?.is_told === 1,
    };
  }
}

/** What opening a connector needs of its row. */
type OpenedRow = Pick<ConnectionRow, 'id' | 'app' | 'secret'>;

type Settled =
  | { readonly kind: 'stays' | 'moves' | 'asked'; readonly account?: undefined }
  /** Another one, or one that was used before. */
  | { readonly kind: 'other' | 'known'; readonly account?: string };

const somebodyElse = (label: string): string =>
  `${label ? `“${label}”` : 'Somebody else'} is signed in, and not the account from before. Say whether it is the same one.`;
