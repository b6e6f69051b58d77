import type { HttpBindings } from '@hono/node-server';
import { type Context, Hono } from 'hono';
import { problem } from '../kit/problem.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { mediaTypeOf, type ShelfAccount } from './accounts-and-types.ts';
import { type ShelfLocks, shelfDav } from './dav.ts';
import { ShelfFiles } from './files.ts';

/** The shelf's interface: WebDAV (RFC 4918), files given and taken whole, guarded by ETags (RFC 9110 section 13). */
export function shelfApi(
  files: ShelfFiles,
  accounts: readonly ShelfAccount[],
  state: PracticeState,
  locks: ShelfLocks,
): Hono<{ Bindings: HttpBindings; Variables: { account: ShelfAccount } }> {
  const app = new Hono<{ Bindings: HttpBindings; Variables: { account: ShelfAccount } }>();
  app.use('*', async (c, next) => {
    const account = accounts.find(({ token }) => token === tokenOf(c.req.header('authorization')));
    if (!account) {
      c.header('www-authenticate', 'Basic realm="Workbook shelf", charset="UTF-8"');
      return problem(c, 401, 'Not signed in', 'Send a token of this shelf, as a bearer token or as the password.');
    }
    c.set('account', account);
    return next();
  });
  app.route('/', shelfDav(files, locks, state));
  app.get('/files/:name{.+}', (c) => {
    const found = files.get(c.req.param('name'));
    if (!found) return notThere(c);
    const headers = { etag: found.file.etag };
    if (c.req.header('if-none-match') === found.file.etag) return c.body(null, 304, headers);
    return c.body(new Uint8Array(found.bytes), 200, { ...headers, 'content-type': mediaTypeOf(found.file.name) });
  });
  app.put('/files/:name{.+}', async (c) => {
    const name = c.req.param('name');
    if (!ShelfFiles.isPath(name) || !/\.\w{1,5}$/.test(name))
      return problem(c, 400, 'Not accepted', 'A file on the shelf has a name with an ending, such as list.xlsx.');
    if (!c.get('account').mayEdit) return viewOnly(c, name);
    const ifMatch = c.req.header('if-match');
    const isNew = c.req.header('if-none-match') === '*';
    if (!ifMatch && !isNew)
      return problem(c, 428, 'Precondition required', 'Send If-Match with the ETag you have, or If-None-Match: *.');
    if (!locks.allows(name, c.req.header('if'))) return openElsewhere(c, name);
    if (isNew && files.get(name)) return problem(c, 412, 'Changed', `A file “${name}” is there already.`);
    const bytes = Buffer.from(await c.req.arrayBuffer());
    const result = files.replace(name, bytes, ifMatch);
    switch (result.kind) {
      case 'done':
        return c.body(null, 204, { etag: result.etag });
      case 'gone':
        return problem(c, 412, 'Changed', `There is no “${name}” any more.`);
      case 'no_folder':
        return problem(c, 409, 'No such folder', `There is no folder for “${name}”. Make it first (MKCOL).`);
      case 'view_only':
        return viewOnly(c, name);
      case 'locked':
        return openElsewhere(c, name);
      case 'changed':
        return problem(c, 412, 'Changed', `“${name}” was changed since you took it.`);
    }
  });
  return app;
}

const notThere = (c: Context) => problem(c, 404, 'Not found', 'There is no such file on the shelf.');
const openElsewhere = (c: Context, name: string) => problem(c, 423, 'Locked', `“${name}” is open in another program.`);
const viewOnly = (c: Context, name: string) => problem(c, 403, 'No right', `“${name}” may be viewed, not edited.`);

/** The token of a request, given as such or as the password of any user. */
function tokenOf(header = ''): string | undefined {
  const [, kind = '', said = ''] = /^(\w+) (.*)$/.exec(header) ?? [];
  if (kind.toLowerCase() === 'bearer') return said;
  if (kind.toLowerCase() !== 'basic') return undefined;
  return Buffer.from(said, 'base64')
    .toString('utf8')
    .replace(/^[^:]*:/, '');
}
