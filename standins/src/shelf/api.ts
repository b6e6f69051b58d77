import type { HttpBindings } from '@hono/node-server';
import { type Context, Hono } from 'hono';
import { problem } from '../kit/problem.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { ShelfFiles } from './files.ts';

/** An account of the shelf, signed in by a bearer token (RFC 6750). */
export interface ShelfAccount {
  readonly token: string;
  readonly name: string;
  readonly mayEdit: boolean;
}

const mediaTypes = {
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  csv: 'text/csv; charset=utf-8',
};

/** The media type of a workbook file by its ending. */
export function mediaTypeOf(name: string): string {
  return name.toLowerCase().endsWith('.csv') ? mediaTypes.csv : mediaTypes.xlsx;
}

/** The shelf's HTTP interface: files given and taken whole, guarded by ETags (RFC 9110 section 13). */
export function shelfApi(
  files: ShelfFiles,
  accounts: readonly ShelfAccount[],
  state: PracticeState,
): Hono<{ Bindings: HttpBindings; Variables: { account: ShelfAccount } }> {
  const app = new Hono<{ Bindings: HttpBindings; Variables: { account: ShelfAccount } }>();
  app.use('*', async (c, next) => {
    const account = accounts.find((one) => `Bearer ${one.token}` === c.req.header('authorization'));
    if (!account)
      return problem(c, 401, 'Not signed in', 'Send a bearer token of this shelf in the header Authorization.');
    c.set('account', account);
    return next();
  });
  app.get('/me', (c) =>
    c.json({ account_id: state.account, account: c.get('account').name, mayEdit: c.get('account').mayEdit }),
  );
  app.get('/files', (c) =>
    c.json({
      files: files.list().map(({ name, size, etag, right, modified }) => ({
        name,
        size,
        etag,
        right: c.get('account').mayEdit ? right : 'view',
        modified,
      })),
    }),
  );
  app.get('/files/:name', (c) => {
    const found = files.get(c.req.param('name'));
    if (!found) return notThere(c);
    const headers = { etag: found.file.etag, 'x-right': c.get('account').mayEdit ? found.file.right : 'view' };
    if (c.req.header('if-none-match') === found.file.etag) return c.body(null, 304, headers);
    return c.body(new Uint8Array(found.bytes), 200, { ...headers, 'content-type': mediaTypeOf(found.file.name) });
  });
  app.put('/files/:name', async (c) => {
    const name = c.req.param('name');
    if (!ShelfFiles.isName(name))
      return problem(c, 400, 'Not accepted', 'Only .xlsx and .csv files stand on the shelf.');
    if (!c.get('account').mayEdit) return viewOnly(c, name);
    const ifMatch = c.req.header('if-match');
    const isNew = c.req.header('if-none-match') === '*';
    if (!ifMatch && !isNew)
      return problem(c, 428, 'Precondition required', 'Send If-Match with the ETag you have, or If-None-Match: *.');
    if (isNew && files.get(name)) return problem(c, 412, 'Changed', `A file “${name}” is there already.`);
    const bytes = Buffer.from(await c.req.arrayBuffer());
    const result = files.replace(name, bytes, ifMatch);
    switch (result.kind) {
      case 'done':
        return c.body(null, 204, { etag: result.etag });
      case 'gone':
        return notThere(c);
      case 'view_only':
        return viewOnly(c, name);
      case 'locked':
        return problem(c, 423, 'Locked', `“${name}” is open in another program.`);
      case 'changed':
        return problem(c, 412, 'Changed', `“${name}” was changed since you took it.`);
    }
  });
  return app;
}

const notThere = (c: Context) => problem(c, 404, 'Not found', 'There is no such file on the shelf.');
const viewOnly = (c: Context, name: string) => problem(c, 403, 'No right', `“${name}” may be viewed, not edited.`);
