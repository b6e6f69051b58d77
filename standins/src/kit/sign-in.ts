import { createHash, randomBytes } from 'node:crypto';
import type Database from 'better-sqlite3';
import { Hono } from 'hono';
import { html } from 'hono/html';
import { page, type Skin } from './page.ts';

/** What an app says on its page for signing in. */
export interface SignInPage {
  readonly skin: Skin;
  /** The rights that can be asked for. */
  readonly scopes: readonly string[];
  /** Who can sign in here, as they are named in tokens. */
  readonly people: () => readonly string[];
  /** What a program asks for that wants these rights, after "It asks to". */
  readonly asks: (scopes: readonly string[]) => string;
}

/** What a token opens. */
export interface Grant {
  readonly user: string;
  readonly client: string;
  readonly scope: string;
}

interface Pending extends Grant {
  readonly challenge: string;
  readonly redirect: string;
  readonly until: number;
}

/** Access tokens last an hour, as is usual; a practice switch shortens them. */
const usualSeconds = 3600;

/** An app's sign-in: OAuth 2.0 authorization code with PKCE (RFC 6749, RFC 7636), tokens rotated on refresh. */
export class SignIn {
  /** Seconds that new access tokens hold. */
  holds = usualSeconds;
  private readonly codes = new Map<string, Pending>();

  constructor(private readonly db: Database.Database) {
    db.exec(`CREATE TABLE IF NOT EXISTS token (token TEXT PRIMARY KEY, kind TEXT NOT NULL, grant_json TEXT NOT NULL,
      until INTEGER NOT NULL, replaced_by TEXT)`);
  }

  /** The grant behind an access token that still holds. */
  grantOf(token: string): Grant | undefined {
    const row = this.find(token, 'access');
    if (!row || row.until < Date.now()) return undefined;
    // Its refresh token has arrived where it belongs, so the one before it is spent for good.
    this.db.prepare('DELETE FROM token WHERE replaced_by = ?').run(token);
    return JSON.parse(row.grant_json) as Grant;
  }

  /** Ends all access tokens now; refresh tokens stay. */
  expireAll(): void {
    this.db.prepare("UPDATE token SET until = 0 WHERE kind = 'access'").run();
  }

  /** Withdraws everything: each program has to sign in again. */
  revokeAll(): void {
    this.db.prepare('DELETE FROM token').run();
  }

  addCode(pending: Omit<Pending, 'until'>): string {
    const code = randomBytes(24).toString('base64url');
    this.codes.set(code, { ...pending, until: Date.now() + 60_000 });
    return code;
  }

  /** A code for tokens, once, and only with the verifier of its challenge (RFC 7636 section 4.6). */
  redeem(code: string, verifier: string, client: string, redirect: string) {
    const pending = this.codes.get(code);
    this.codes.delete(code);
    if (!pending || pending.until < Date.now()) return undefined;
    if (pending.client !== client || pending.redirect !== redirect) return undefined;
    if (challengeOf(verifier) !== pending.challenge) return undefined;
    const { user, scope } = pending;
    return this.issue({ user, client, scope });
  }

  /** New tokens for a refresh token. The old one still works until the new access token was used. */
  refresh(token: string, client: string) {
    const row = this.find(token, 'refresh');
    if (!row || row.until < Date.now()) return undefined;
    const grant = JSON.parse(row.grant_json) as Grant;
    if (grant.client !== client) return undefined;
    const tokens = this.issue(grant);
    this.db.prepare('UPDATE token SET replaced_by = ? WHERE token = ?').run(tokens.access_token, token);
    return tokens;
  }

  /** A pair of tokens for a grant; also for seeding and tests. */
  issue(grant: Grant) {
    const [access, refresh] = [randomBytes(24).toString('base64url'), randomBytes(24).toString('base64url')];
    const keep = this.db.prepare('INSERT INTO token (token, kind, grant_json, until) VALUES (?, ?, ?, ?)');
    keep.run(access, 'access', JSON.stringify(grant), Date.now() + this.holds * 1000);
    keep.run(refresh, 'refresh', JSON.stringify(grant), Date.now() + 90 * 86_400_000);
    return {
      access_token: access,
      refresh_token: refresh,
      token_type: 'Bearer' as const,
      expires_in: this.holds,
      scope: grant.scope,
    };
  }

  private find(token: string, kind: string) {
    return this.db.prepare('SELECT * FROM token WHERE token = ? AND kind = ?').get(token, kind) as
      | { grant_json: string; until: number }
      | undefined;
  }
}

/** S256: the base64url of the SHA-256 of the verifier (RFC 7636 section 4.2). */
export const challengeOf = (verifier: string): string => createHash('sha256').update(verifier).digest('base64url');

/** Programs on this machine come back to a loopback address (RFC 8252 section 7.3). */
const isLoopback = (address: string): boolean => {
  const url = URL.canParse(address) ? new URL(address) : undefined;
  return url?.protocol === 'http:' && ['127.0.0.1', 'localhost', '[::1]'].includes(url.hostname);
};

/** For the practice page of an app: ends what programs were given. */
export const tokensForm = html`<form method="post" action="/practice/tokens" class="bar">
  <button name="what" value="expire" class="quiet">Expire all access tokens now</button>
  <button name="what" value="revoke" class="quiet">Withdraw every program’s leave</button>
</form>`;

/** The pages and addresses of signing in. */
export function signInApp(signIn: SignIn, { skin, scopes, people, asks }: SignInPage): Hono {
  const app = new Hono();
  const problemOf = (asked: Record<string, string>): string | undefined => problemWith(asked, scopes);
  app.get('/.well-known/oauth-authorization-server', (c) => {
    const origin = new URL(c.req.url).origin;
    return c.json({
      issuer: origin,
      authorization_endpoint: `${origin}/oauth/authorize`,
      token_endpoint: `${origin}/oauth/token`,
      response_types_supported: ['code'],
      grant_types_supported: ['authorization_code', 'refresh_token'],
      code_challenge_methods_supported: ['S256'],
      token_endpoint_auth_methods_supported: ['none'],
      scopes_supported: scopes,
    });
  });
  app.get('/oauth/authorize', (c) => {
    const asked = c.req.query();
    const problem = problemOf(asked);
    if (problem)
      return c.html(page(skin, 'This request can’t be answered', html`<p class="error">${problem}</p>`), 400);
    const wanted = (asked['scope'] ?? '').split(' ').filter(Boolean);
    const [first = '', ...others] = people();
    const who =
      others.length === 0
        ? html`You are signed in as ${first}.`
        : html`<label for="user">Sign in as</label>
            <select id="user" name="user" form="answer">
              ${people().map(
                (one) => html`<option value="${one}" ${one === asked['login_hint'] ? 'selected' : ''}>${one}</option>`,
              )}
            </select>`;
    return c.html(
      page(
        skin,
        `Let ${asked['client_id']} in?`,
        html`<p>${who} <strong>${asked['client_id']}</strong> asks to ${asks(wanted)}.</p>
          <form method="post" action="/oauth/authorize" class="bar" id="answer">
            ${Object.entries(asked).map(([name, value]) => html`<input type="hidden" name="${name}" value="${value}" />`)}
            <button name="answer" value="yes">Allow</button>
            <button name="answer" value="no" class="quiet">Refuse</button>
          </form>`,
      ),
    );
  });
  app.post('/oauth/authorize', async (c) => {
    const asked = Object.fromEntries(
      Object.entries(await c.req.parseBody()).map(([name, value]) => [name, String(value)]),
    );
    const problem = problemOf(asked);
    if (problem)
      return c.html(page(skin, 'This request can’t be answered', html`<p class="error">${problem}</p>`), 400);
    const back = new URL(asked['redirect_uri'] ?? '');
    if (asked['state']) back.searchParams.set('state', asked['state']);
    back.searchParams.set('iss', new URL(c.req.url).origin);
    if (asked['answer'] !== 'yes') back.searchParams.set('error', 'access_denied');
    else {
      const code = signIn.addCode({
        user: people().find((one) => one === asked['user']) ?? people()[0] ?? '',
        client: asked['client_id'] ?? '',
        scope: asked['scope'] ?? '',
        challenge: asked['code_challenge'] ?? '',
        redirect: asked['redirect_uri'] ?? '',
      });
      back.searchParams.set('code', code);
    }
    return c.redirect(back.href);
  });
  app.post('/practice/tokens', async (c) => {
    const form = await c.req.parseBody();
    if (form['what'] === 'revoke') signIn.revokeAll();
    else signIn.expireAll();
    return c.redirect('/practice');
  });
  app.post('/oauth/token', async (c) => {
    const form = await c.req.parseBody();
    const given = (name: string): string => String(form[name] ?? '');
    const tokens =
      given('grant_type') === 'authorization_code'
        ? signIn.redeem(given('code'), given('code_verifier'), given('client_id'), given('redirect_uri'))
        : given('grant_type') === 'refresh_token'
          ? signIn.refresh(given('refresh_token'), given('client_id'))
          : undefined;
    c.header('cache-control', 'no-store');
    return tokens
      ? c.json(tokens)
      : c.json({ error: 'invalid_grant', error_description: 'The code or token is not good any more.' }, 400);
  });
  return app;
}

function problemWith(asked: Record<string, string>, scopes: readonly string[]): string | undefined {
  if (asked['response_type'] !== 'code') return 'Only the response type “code” is answered.';
  if (!asked['client_id']) return 'The request doesn’t say which program asks.';
  if (!isLoopback(asked['redirect_uri'] ?? '')) return 'The program has to be on this machine.';
  if (asked['code_challenge_method'] !== 'S256' || !asked['code_challenge'])
    return 'A challenge of PKCE (S256) is needed.';
  const unknown = (asked['scope'] ?? '').split(' ').filter((one) => one && !scopes.includes(one));
  return unknown.length > 0 ? `There is no right “${unknown.join(', ')}”.` : undefined;
}
