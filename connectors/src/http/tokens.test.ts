import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import fc from 'fast-check';
import { AppDown, NotSignedIn } from '../errors.ts';
import { beginSignIn, type OAuthApp, readTokens, TokenKeeper, type Tokens } from './tokens.ts';

// An authorization server as RFC 6749 (refresh, section 6) and RFC 8414 (metadata) describe it: a refresh
// token counts once, and what it answers is said by each test.

interface Asked {
  readonly grant: string;
  readonly refresh: string;
}

class AuthServer {
  readonly asked: Asked[] = [];
  answer: (asked: Asked) => { status: number; body: object } | undefined = () => undefined;
  private server: Server | undefined;
  private good = 'refresh-1';
  issuer = '';

  async open(): Promise<void> {
    this.server = createServer(
      (request, response) =>
        void this.take(request).then(({ status, body }) => {
          response.writeHead(status, { 'content-type': 'application/json' });
          response.end(JSON.stringify(body));
        }),
    );
    await new Promise<void>((resolve) => this.server?.listen(0, '127.0.0.1', resolve));
    this.issuer = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  close(): Promise<unknown> {
    return new Promise((resolve) => this.server?.close(resolve));
  }

  private async take(request: IncomingMessage): Promise<{ status: number; body: object }> {
    if (request.url?.startsWith('/.well-known/'))
      return {
        status: 200,
        body: {
          issuer: this.issuer,
          authorization_endpoint: `${this.issuer}/authorize`,
          token_endpoint: `${this.issuer}/token`,
          code_challenge_methods_supported: ['S256'],
        },
      };
    const given = new URLSearchParams(await text(request));
    const asked = { grant: given.get('grant_type') ?? '', refresh: given.get('refresh_token') ?? '' };
    this.asked.push(asked);
    const said = this.answer(asked);
    if (said) return said;
    if (asked.refresh !== this.good) return { status: 400, body: { error: 'invalid_grant' } };
    const number = this.asked.length + 1;
    this.good = `refresh-${number}`;
    return {
      status: 200,
      body: { access_token: `access-${number}`, token_type: 'bearer', expires_in: 60, refresh_token: this.good },
    };
  }
}

async function text(request: IncomingMessage): Promise<string> {
  let all = '';
  for await (const piece of request) all += String(piece);
  return all;
}

const server = new AuthServer();
const app = (): OAuthApp => ({ title: 'Ledger', issuer: server.issuer, clientId: 'golden-relay' });
const start = Date.parse('2026-11-24T09:00:00Z');

beforeEach(() => server.open());
afterEach(async () => {
  await server.close();
  server.asked.splice(0);
  server.answer = () => undefined;
  Object.assign(server, { good: 'refresh-1' });
});

/** A keeper at an hour, with what it has kept. */
function keeperAt(tokens: Tokens | undefined, now = start) {
  const kept: Tokens[] = [];
  const time = { now };
  const keeper = new TokenKeeper(app(), tokens, async (one) => void kept.push(one), { now: () => time.now });
  return { keeper, kept, time };
}

test('a token that is good is used; one that expires is renewed once for many who ask at the same time', async () => {
  const { keeper, kept, time } = keeperAt({ access: 'access-1', refresh: 'refresh-1', expiresAt: start + 3600_000 });
  expect(await keeper.access()).toBe('access-1');
  expect(server.asked).toEqual([]);
  time.now = start + 3600_000;
  const all = await Promise.all(Array.from({ length: 12 }, () => keeper.access()));
  expect(new Set(all)).toEqual(new Set(['access-2']));
  expect(server.asked).toEqual([{ grant: 'refresh_token', refresh: 'refresh-1' }]);
  expect(kept).toEqual([{ access: 'access-2', refresh: 'refresh-2', expiresAt: time.now + 60_000 }]);
});

test('whoever is refused with an old token gets the new one, and asks no second time', async () => {
  const { keeper } = keeperAt({ access: 'access-1', refresh: 'refresh-1', expiresAt: start + 3600_000 });
  const first = await keeper.renew('access-1');
  expect(await keeper.renew('access-1')).toEqual(first);
  expect(server.asked).toHaveLength(1);
  // The new one was refused as well: it is asked for again, with the new refresh token.
  await keeper.renew(first.access);
  expect(server.asked.map(({ refresh }) => refresh)).toEqual(['refresh-1', 'refresh-2']);
});

test('without a new refresh token the old one stays; one without an end is never renewed by itself', async () => {
  server.answer = () => ({ status: 200, body: { access_token: 'access-9', token_type: 'bearer' } });
  const { keeper, kept, time } = keeperAt({ access: 'access-1', refresh: 'refresh-1', expiresAt: start });
  expect(await keeper.access()).toBe('access-9');
  expect(kept[0]).toEqual({ access: 'access-9', refresh: 'refresh-1', expiresAt: undefined });
  time.now = start + 10 ** 12;
  expect(await keeper.access()).toBe('access-9');
  expect(server.asked).toHaveLength(1);
});

test('a refused renewal says to sign in again; a server that is away says that, and is asked again later', async () => {
  const tokens: Tokens = { access: 'access-1', refresh: 'withdrawn', expiresAt: start };
  await expect(keeperAt(tokens).keeper.access()).rejects.toThrow(NotSignedIn);
  await expect(keeperAt({ ...tokens, refresh: undefined }).keeper.access()).rejects.toThrow('Sign in again');
  await expect(keeperAt(undefined).keeper.access()).rejects.toThrow('nobody is signed in yet');
  const { keeper, kept } = keeperAt({ ...tokens, refresh: 'refresh-1' });
  server.answer = () => ({ status: 503, body: {} });
  await expect(keeper.access()).rejects.toThrow(AppDown);
  expect(kept).toEqual([]);
  server.answer = () => undefined;
  expect(await keeper.access()).toMatch(/^access-/);
});

test('new tokens are kept before they are used: where they can’t be, the old ones stay', async () => {
  const keeper = new TokenKeeper(
    app(),
    { access: 'access-1', refresh: 'refresh-1', expiresAt: start },
    async () => {
      throw new Error('the disk is full');
    },
    { now: () => start },
  );
  await expect(keeper.access()).rejects.toThrow('the disk is full');
});

test('a sign-in begins with PKCE by S256 (RFC 7636) and a state of its own', async () => {
  const [one, other] = [
    await beginSignIn(app(), 'http://127.0.0.1:4600/api/sign-in/back', ['ledger.read']),
    await beginSignIn(app(), 'http://127.0.0.1:4600/api/sign-in/back', ['ledger.read']),
  ];
  const url = new URL(one.url);
  expect(url.origin).toBe(server.issuer);
  expect(Object.fromEntries(url.searchParams)).toMatchObject({
    response_type: 'code',
    client_id: 'golden-relay',
    scope: 'ledger.read',
    code_challenge_method: 'S256',
    state: one.state,
  });
  expect(url.searchParams.get('code_challenge')).not.toBe(one.verifier);
  expect(one.verifier.length).toBeGreaterThanOrEqual(43);
  expect([one.state, one.verifier]).not.toEqual([other.state, other.verifier]);
});

test('what isn’t kept tokens is never taken for some', () => {
  fc.assert(
    fc.property(fc.oneof(fc.string(), fc.json()), (given) => {
      const read = readTokens(given);
      if (read !== undefined) expect(typeof read.access).toBe('string');
    }),
  );
  expect(readTokens('{"access":"a","refresh":"b"}')).toEqual({ access: 'a', refresh: 'b' });
  expect(readTokens('{"access":1}')).toBeUndefined();
});
