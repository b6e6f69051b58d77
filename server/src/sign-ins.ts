import { type App, beginSignIn, endSignIn, type SignInUnderWay } from '@golden/connectors';
import { isWebAddress } from '@golden/core';
import { type Connections, UnknownConnection } from './connections.ts';
import type { Seams } from './seams.ts';

/** What a person chose before they were sent to the app. */
export interface SignInWish {
  readonly app: string;
  readonly name: string;
  readonly settings: Readonly<Record<string, string>>;
  /** False asks for reading only: the least right that serves. */
  readonly mayWrite: boolean;
  /** The connection that is signed in anew; absent for a new one. */
  readonly id?: string | undefined;
}

/** How a sign-in stands. */
export interface SignInState {
  readonly state: 'waiting' | 'done' | 'failed';
  readonly connection: string | null;
  readonly message: string | null;
}

interface UnderWay {
  readonly wish: SignInWish;
  readonly redirect: string;
  readonly begun: SignInUnderWay;
  /** Milliseconds of this process. */
  readonly until: number;
  outcome: SignInState;
}

/** A person has so long to answer at the app. */
const patience = 15 * 60_000;

/** Signing in at apps that ask the person themselves. Nothing of it is stored before it is done. */
export class SignIns {
  private readonly underWay = new Map<string, UnderWay>();

  constructor(
    private readonly apps: readonly App[],
    private readonly connections: Connections,
    private readonly seams: Pick<Seams, 'now' | 'uptime'>,
  ) {}

  /** Where to send the person, and the name under which the answer can be asked for. */
  async begin(wish: SignInWish, redirect: string): Promise<{ url: string; state: string }> {
    const app = this.apps.find((one) => one.id === wish.app);
    if (!app?.signIn) throw new UnknownConnection(`“${wish.app}” is not an app that a person signs in to.`);
    const settings = { ...wish.settings, ...(await this.secretOf(app.signIn, wish)) };
    const at = app.signIn.app(settings);
    if (!isWebAddress(at.issuer)) throw new UnknownConnection('This is not a web address.');
    const begun = await beginSignIn(at, redirect, app.signIn.scopes(settings, wish.mayWrite));
    for (const [state, one] of this.underWay) if (one.until < this.seams.uptime()) this.underWay.delete(state);
    const outcome: SignInState = { state: 'waiting', connection: null, message: null };
    this.underWay.set(begun.state, {
      wish: { ...wish, settings },
      redirect,
      begun,
      until: this.seams.uptime() + patience,
      outcome,
    });
    return { url: begun.url, state: begun.state };
  }

  /** Who signs in anew at the same page needn't enter the program's own secret again. */
  private async secretOf(
    signIn: NonNullable<App['signIn']>,
    { id, settings }: SignInWish,
  ): Promise<{ secret?: string }> {
    if (!id || settings['secret']) return {};
    const before = await this.connections.signedInWith(id);
    const isThere = signIn.app(before.settings).issuer === signIn.app(settings).issuer;
    return isThere && before.clientSecret ? { secret: before.clientSecret } : {};
  }

  /** How it stands; failed when nobody began it here, or too long ago. */
  outcome(state: string): SignInState {
    const one = this.underWay.get(state);
    if (!one || one.until < this.seams.uptime())
      return { state: 'failed', connection: null, message: 'This sign-in has ended. Try again.' };
    return one.outcome;
  }

  /** Takes what the app sent back with the person. Each sign-in ends once. */
  async end(back: URLSearchParams): Promise<SignInState> {
    const state = back.get('state') ?? '';
    const one = this.underWay.get(state);
    if (!one || one.until < this.seams.uptime() || one.outcome.state !== 'waiting') return this.outcome(state);
    const app = this.apps.find((each) => each.id === one.wish.app);
    if (!app?.signIn) return this.outcome(state);
    try {
      const { name, id } = one.wish;
      // Where a key would do as well it has to be known which of the two it is.
      const settings = { ...one.wish.settings, ...(app.signIn.isOptional && { signs_in: 'there' }) };
      const tokens = await endSignIn(app.signIn.app(one.wish.settings), one.redirect, one.begun, back, {
        now: () => Date.parse(this.seams.now()),
      });
      const key = JSON.stringify(tokens);
      const connection = id
        ? await this.connections.change(id, { name, settings, key }, { isKept: true })
        : await this.connections.add({ app: app.id, name, settings, key });
      one.outcome = { state: 'done', connection: connection.id, message: connection.message };
    } catch (error) {
      one.outcome = { state: 'failed', connection: null, message: (error as Error).message };
    }
    return one.outcome;
  }
}
