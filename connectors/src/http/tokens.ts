import { isWebAddress } from '@golden/core';
import * as oauth from 'oauth4webapi';
import { type Clock, realClock } from '../clock.ts';
import { AppDown, NotSignedIn, NotUnderstood } from '../errors.ts';

/** Tokens of one signed-in account (RFC 6749 section 5.1). */
export interface Tokens {
  readonly access: string;
  readonly refresh?: string | undefined;
  /** The instant after which the access token isn't good any more, in milliseconds. */
  readonly expiresAt?: number | undefined;
  /** The secret that the host gave the program besides its id, where it wants one (RFC 6749 section 2.3.1). */
  readonly clientSecret?: string | undefined;
}

/** An app's sign-in for programs: where it is, and who we are there. */
export interface OAuthApp {
  readonly title: string;
  /** Where the app's authorization server metadata is (RFC 8414). */
  readonly issuer: string;
  readonly clientId: string;
  readonly clientSecret?: string | undefined;
  /** More that is said when a person is sent there. */
  readonly asks?: Readonly<Record<string, string>> | undefined;
}

/** Renewed this long before its end, so that no request starts with a token about to expire. */
const margin = 20_000;

/** Practice apps and programs in one's own network speak plain HTTP; everything else has to be HTTPS. */
function optionsFor(issuer: string) {
  const { hostname } = new URL(issuer);
  const isLocal = ['127.0.0.1', 'localhost', '[::1]'].includes(hostname);
  return { [oauth.allowInsecureRequests]: isLocal, signal: () => AbortSignal.timeout(10_000) };
}

async function serverOf(app: OAuthApp): Promise<oauth.AuthorizationServer> {
  const issuer = new URL(app.issuer);
  try {
    let answer = await oauth.discoveryRequest(issuer, { algorithm: 'oauth2', ...optionsFor(app.issuer) });
    // Many hosts of mail only tell the same under the name that OpenID Connect Discovery gave it before.
    if (!answer.ok) answer = await oauth.discoveryRequest(issuer, { algorithm: 'oidc', ...optionsFor(app.issuer) });
    const server = await oauth.processDiscoveryResponse(issuer, answer);
    expectSafe(app, issuer, server.authorization_endpoint, server.token_endpoint);
    return server;
  } catch (error) {
    if (error instanceof NotUnderstood) throw error;
    throw new AppDown(`${app.title} can’t be reached for signing in. Is its address right?`, { cause: error });
  }
}

/** Where a person or a token is sent: over HTTPS, or within the app's own address. @throws NotUnderstood */
function expectSafe(app: OAuthApp, issuer: URL, ...endpoints: (string | undefined)[]): void {
  for (const one of endpoints) {
    const isSafe = isWebAddress(one) && (new URL(one).protocol === 'https:' || new URL(one).origin === issuer.origin);
    if (!isSafe)
      throw new NotUnderstood(`${app.title} gave an address for signing in that can’t be trusted. Nothing was opened.`);
  }
}

/** What is kept between sending a person to the app and their coming back. */
export interface SignInUnderWay {
  readonly url: string;
  readonly state: string;
  readonly verifier: string;
}

/** Begins signing in: authorization code with PKCE (RFC 7636, S256), bound to a state of its own. */
export async function beginSignIn(app: OAuthApp, redirect: string, scopes: readonly string[]): Promise<SignInUnderWay> {
  const server = await serverOf(app);
  const verifier = oauth.generateRandomCodeVerifier();
  const state = oauth.generateRandomState();
  const url = new URL(server.authorization_endpoint ?? '');
  for (const [name, value] of Object.entries({
    response_type: 'code',
    client_id: app.clientId,
    redirect_uri: redirect,
    scope: scopes.join(' '),
    state,
    code_challenge: await oauth.calculatePKCECodeChallenge(verifier),
    code_challenge_method: 'S256',
    ...app.asks,
  }))
    url.searchParams.set(name, value);
  return { url: url.href, state, verifier };
}

/**
 * Ends signing in with what the app sent back.
 * @throws NotSignedIn when the person refused, or the answer isn't the one that was asked for
 */
export async function endSignIn(
  app: OAuthApp,
  redirect: string,
  underWay: SignInUnderWay,
  back: URLSearchParams,
  clock: Pick<Clock, 'now'> = realClock,
): Promise<Tokens> {
  const server = await serverOf(app);
  const client: oauth.Client = { client_id: app.clientId };
  try {
    const answer = oauth.validateAuthResponse(server, client, back, underWay.state);
    const response = await oauth.authorizationCodeGrantRequest(
      server,
      client,
      authOf(app.clientSecret),
      answer,
      redirect,
      underWay.verifier,
      optionsFor(app.issuer),
    );
    const tokens = tokensOf(await oauth.processAuthorizationCodeResponse(server, client, response), clock);
    return { ...tokens, ...(app.clientSecret && { clientSecret: app.clientSecret }) };
  } catch (error) {
    const isRefused = error instanceof oauth.AuthorizationResponseError && error.error === 'access_denied';
    throw new NotSignedIn(
      isRefused ? `${app.title}: leave was refused.` : `${app.title} didn’t accept the sign-in. Try again.`,
      { cause: error },
    );
  }
}

const authOf = (secret: string | undefined): oauth.ClientAuth =>
  secret ? oauth.ClientSecretPost(secret) : oauth.None();

function tokensOf(result: oauth.TokenEndpointResponse, clock: Pick<Clock, 'now'>): Tokens {
  return {
    access: result.access_token,
    refresh: result.refresh_token,
    expiresAt: result.expires_in === undefined ? undefined : clock.now() + result.expires_in * 1000,
  };
}

/**
 * The tokens of a connection, renewed when they expire. Many requests at once share one renewal, and
 * new tokens are kept before they are used: a refresh token counts once.
 */
export class TokenKeeper {
  private renewing: Promise<Tokens> | undefined;

  constructor(
    private readonly app: OAuthApp,
    private tokens: Tokens | undefined,
    private readonly keep: (tokens: Tokens) => Promise<void>,
    private readonly clock: Pick<Clock, 'now'> = realClock,
  ) {}

  /** A token that is good now. @throws NotSignedIn when there is none and none can be had */
  async access(): Promise<string> {
    if (!this.tokens) throw new NotSignedIn(`${this.app.title}: nobody is signed in yet.`);
    const { access, expiresAt } = this.tokens;
    if (expiresAt === undefined || expiresAt - margin > this.clock.now()) return access;
    return (await this.renew(access)).access;
  }

  /** New tokens in place of the one that was refused. */
  renew(refused: string): Promise<Tokens> {
    // Another request may have renewed it while this one was on its way.
    if (this.tokens && this.tokens.access !== refused && !this.renewing) return Promise.resolve(this.tokens);
    this.renewing ??= this.ask().finally(() => {
      this.renewing = undefined;
    });
    return this.renewing;
  }

  private async ask(): Promise<Tokens> {
    const { refresh, clientSecret } = this.tokens ?? {};
    if (!refresh) throw new NotSignedIn(`${this.app.title}: the sign-in has ended. Sign in again.`);
    const server = await serverOf(this.app);
    const client: oauth.Client = { client_id: this.app.clientId };
    let made: Tokens;
    try {
      const response = await oauth.refreshTokenGrantRequest(
        server,
        client,
        authOf(clientSecret),
        refresh,
        optionsFor(this.app.issuer),
      );
      made = tokensOf(await oauth.processRefreshTokenResponse(server, client, response), this.clock);
    } catch (error) {
      if (error instanceof oauth.ResponseBodyError)
        throw new NotSignedIn(`${this.app.title}: the sign-in has ended. Sign in again.`, { cause: error });
      throw new AppDown(`${this.app.title} can’t be reached to renew the sign-in.`, { cause: error });
    }
    const tokens: Tokens = {
      ...made,
      refresh: made.refresh ?? refresh,
      ...(clientSecret && { clientSecret }),
    };
    await this.keep(tokens);
    this.tokens = tokens;
    return tokens;
  }
}

/** Kept tokens read back; undefined for anything else. */
export function readTokens(text: string): Tokens | undefined {
  try {
    const read = JSON.parse(text) as Partial<Tokens>;
    return typeof read.access === 'string' ? (read as Tokens) : undefined;
  } catch {
    return undefined;
  }
}
