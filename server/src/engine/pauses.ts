import { AppError, Locked, RateLimited, Unsure } from '@golden/connectors';
import type { Connections } from '../connections.ts';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import { loadSettings } from '../settings.ts';

/** Milliseconds of the first pause; each one after that is twice as long, up to the longest. */
const firstPause = 5000;
const longestPause = 15 * 60_000;

/** Nothing was asked: the connection is held up for the moment. */
export class Held extends AppError {
  override readonly name = 'Held';
  readonly unsettledCause = 'connection';
  override readonly isPassing = true;
}

/** A connection that isn't asked for the moment. */
export interface Pause {
  /** Since when it has been so, over all tries. */
  readonly since: string;
  /** When it is tried again. */
  readonly until: string;
  readonly reason: string;
}

interface State extends Pause {
  readonly tries: number;
  /** By the time that has passed in this process: a step of the clock neither ends nor lengthens a pause. */
  readonly untilUptime: number;
  /** True while a few are let through to see whether it works again. */
  readonly isTried: boolean;
}

/**
 * Passing faults of an app hold up its whole connection: nothing is asked of it for a growing,
 * jittered time, or for as long as it says itself; then a few are let through, and all once one has
 * been answered. Only after hours (a setting) is it a person's case.
 */
export class Pauses {
  private readonly states = new Map<string, State>();
  /** Connections that a person has to look at, with why: nothing waits for them any more. */
  private readonly given = new Map<string, string>();

  constructor(
    private readonly db: Db,
    private readonly commits: GroupCommit,
    private readonly connections: Connections,
    private readonly seams: Seams,
    private readonly events: Events,
  ) {}

  /** Takes up what an earlier process knew. */
  async load(): Promise<void> {
    const rows = await this.db
      .selectFrom('connection')
      .select(['id', 'paused_since', 'paused_until', 'pause_tries', 'pause_reason'])
      .where('paused_until', 'is not', null)
      .execute();
    for (const row of rows) {
      const until = row.paused_until ?? this.seams.now();
      const left = Math.min(longestPause, Math.max(0, Date.parse(until) - Date.parse(this.seams.now())));
      this.states.set(row.id, {
        since: row.paused_since ?? until,
        until,
        reason: row.pause_reason ?? '',
        tries: row.pause_tries,
        untilUptime: this.seams.uptime() + left,
        isTried: false,
      });
    }
  }

  /** The pause that a connection is in; undefined when it may be asked. */
  of(connection: string): Pause | undefined {
    const state = this.states.get(connection);
    return state && !state.isTried ? state : undefined;
  }

  /** Why a connection is a person's case by now; undefined when it isn't. */
  givenUp(connection: string): string | undefined {
    return this.given.get(connection);
  }

  /** All connections that are held up, those that are being tried again too. */
  all(): ReadonlyMap<string, Pause> {
    return this.states;
  }

  /**
   * A request met a passing fault: gives the pause that follows from it; undefined when it has gone
   * on for so long that a person has to look.
   */
  async note(connection: string, error: AppError): Promise<Pause | undefined> {
    const known = this.states.get(connection);
    // Others that were on their way at the same moment met the same fault.
    if (known && !known.isTried) return known;
    if (this.given.has(connection)) return undefined;
    const now = Date.parse(this.seams.now());
    const since = known?.since ?? new Date(now).toISOString();
    const { retryHours } = await loadSettings(this.db);
    // While that was read another may have begun a pause, or given it up.
    if (this.given.has(connection)) return undefined;
    const begun = this.states.get(connection);
    if (begun && !begun.isTried) return begun;
    // By tries as well as by the clock: one that was put forth mustn't end it at the first fault.
    const isLongEnough = now - Date.parse(since) >= retryHours * 3_600_000 && (known?.tries ?? 0) >= fewTries;
    if (retryHours === 0 || isLongEnough) {
      // At once, before anybody else can begin another pause.
      this.given.set(connection, error.message);
      if (this.states.delete(connection)) await this.store(connection, undefined);
      return undefined;
    }
    const tries = (known?.tries ?? 0) + 1;
    const grown = Math.min(longestPause, firstPause * 2 ** Math.min(20, tries - 1));
    const asked = error instanceof RateLimited ? error.retryAfter : undefined;
    const wait = asked === undefined ? grown * (0.75 + this.seams.chance() / 2) : Math.max(asked, 200);
    const state: State = {
      since,
      until: new Date(now + wait).toISOString(),
      reason: error.message,
      tries,
      untilUptime: this.seams.uptime() + wait,
      isTried: false,
    };
    this.states.set(connection, state);
    await this.store(connection, state);
    return state;
  }

  /** A request was answered. True when this ends a pause, so that all that wait go on. */
  async answered(connection: string): Promise<boolean> {
    if (!this.states.has(connection) && !this.given.has(connection)) return false;
    await this.clear(connection);
    return true;
  }

  /** Lets everything through again: a person wants it now. */
  async clear(connection: string): Promise<void> {
    this.given.delete(connection);
    if (!this.states.delete(connection)) return;
    await this.store(connection, undefined);
  }

  /** A connection that was given up may be asked once more. */
  trust(connection: string): void {
    this.given.delete(connection);
  }

  /** The connections whose pause is over: from now on a few may try. */
  due(): string[] {
    const over = [...this.states].filter(([, state]) => !state.isTried && state.untilUptime <= this.seams.uptime());
    for (const [connection, state] of over) this.states.set(connection, { ...state, isTried: true });
    return over.map(([connection]) => connection);
  }

  private async store(connection: string, state: State | undefined): Promise<void> {
    const reason = state ? this.connections.masked(state.reason) : null;
    await this.commits.run((trx) =>
      trx
        .updateTable('connection')
        .set({
          paused_since: state?.since ?? null,
          paused_until: state?.until ?? null,
          pause_tries: state?.tries ?? 0,
          pause_reason: reason,
        })
        .where('id', '=', connection)
        .execute(),
    );
    this.events.tell({ topic: 'connection', id: connection });
  }
}

/** So many tries at least before a passing fault is a person's case. */
const fewTries = 4;

/** A fault of the whole connection that is likely over by itself. A file that somebody has open is that person's. */
export function isPassing(error: unknown): error is AppError {
  return error instanceof AppError && error.isPassing && !(error instanceof Locked);
}

/** A passing fault after which the request certainly did nothing. */
export const didNothing = (error: AppError): boolean => !(error instanceof Unsure);
