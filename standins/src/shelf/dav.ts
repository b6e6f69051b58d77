import { randomUUID } from 'node:crypto';
import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { create } from 'xmlbuilder2';
import { problem } from '../kit/problem.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { mediaTypeOf, type ShelfAccount } from './accounts-and-types.ts';
import { type ShelfFile, ShelfFiles } from './files.ts';

type Env = { Bindings: HttpBindings; Variables: { account: ShelfAccount } };
type Xml = ReturnType<typeof create>;

/** The shelf stands under this path. */
const folder = '/api/files/';
const methods = 'OPTIONS, PROPFIND, GET, HEAD, PUT, DELETE, MKCOL, MOVE, LOCK, UNLOCK';

/** Seconds that a lock lasts at most. */
const mostLock = 600;

/**
 * What WebDAV (RFC 4918) has beside HTTP, for the shelf: folder and files by PROPFIND, with the right of
 * whoever is signed in (RFC 3744 section 5.5) and who that is (RFC 5397), and exclusive locks.
 */
export function shelfDav(files: ShelfFiles, locks: ShelfLocks, state: PracticeState): Hono<Env> {
  const app = new Hono<Env>();
  app.on('OPTIONS', ['/files', '/files/*'], (c) => c.body(null, 204, { dav: '1, 2', allow: methods }));
  app.on('MKCOL', '/files/:name{.+}', (c) => {
    const path = c.req.param('name').replace(/\/+$/, '');
    if (!c.get('account').mayEdit) return problem(c, 403, 'No right', 'Whoever is signed in may only view.');
    if (!ShelfFiles.isPath(path)) return problem(c, 403, 'No such name', 'A folder can’t be called that.');
    // RFC 4918 section 9.3.1.
    if (files.hasFolder(path) || files.get(path))
      return problem(c, 405, 'There already', `“${path}” is there already.`);
    const above = path.split('/').slice(0, -1).join('/');
    if (above !== '' && !files.hasFolder(above))
      return problem(c, 409, 'No such folder', `There is no folder “${above}”.`);
    files.makeFolder(path);
    return c.body(null, 201);
  });
  app.on('PROPFIND', ['/files', '/files/', '/files/:name{.+}'], (c) => {
    const account = c.get('account');
    const name = c.req.param('name');
    const depth = c.req.header('depth') ?? 'infinity';
    if (depth === 'infinity')
      return problem(c, 403, 'Too deep', 'Ask with the header Depth: 0 or 1 (RFC 4918 section 9.1).');
    const found = name === undefined ? undefined : files.get(name)?.file;
    if (name !== undefined && !found) return problem(c, 404, 'Not found', 'There is no such file on the shelf.');
    const document = create({ version: '1.0', encoding: 'utf-8' });
    const answer = document.ele('DAV:', 'D:multistatus');
    if (found) tellFile(answer, found, account);
    else {
      tellFolder(answer, account, state);
      if (depth === '1')
        for (const file of [...files.list(), ...files.others()])
          if (!file.name.includes('/')) tellFile(answer, file, account);
    }
    return c.body(document.end(), 207, { 'content-type': 'application/xml; charset=utf-8' });
  });
  app.on('PROPFIND', '/principals/:id', (c) => {
    const document = create({ version: '1.0', encoding: 'utf-8' });
    const props = tell(document.ele('DAV:', 'D:multistatus'), principalOf(state));
    props.ele('DAV:', 'D:displayname').txt(c.get('account').name);
    return c.body(document.end(), 207, { 'content-type': 'application/xml; charset=utf-8' });
  });
  app.on('MOVE', '/files/:name', (c) => {
    const name = c.req.param('name');
    const file = files.get(name)?.file;
    if (!file) return problem(c, 404, 'Not found', 'There is no such file on the shelf.');
    if (!c.get('account').mayEdit || file.right === 'view')
      return problem(c, 403, 'No right', `“${name}” may be viewed, not edited.`);
    if (file.isLocked || !locks.allows(name, c.req.header('if')))
      return problem(c, 423, 'Locked', `“${name}” is open in another program.`);
    const to = nameIn(c.req.header('destination'));
    const into = to?.split('/').slice(0, -1).join('/') ?? '';
    if (to === undefined || !ShelfFiles.isPath(to) || (into !== '' && !files.hasFolder(into)))
      return problem(c, 409, 'No such place', 'The shelf has no such folder.');
    if (files.get(to) && c.req.header('overwrite')?.toUpperCase() === 'F')
      return problem(c, 412, 'There already', `A file “${to}” is there already.`);
    return c.body(null, files.rename(name, to) ? 201 : 204);
  });
  app.on('LOCK', '/files/:name{.+}', async (c) => {
    const name = c.req.param('name');
    const file = files.get(name)?.file;
    if (!file) return problem(c, 404, 'Not found', 'There is no such file on the shelf.');
    if (!c.get('account').mayEdit || file.right === 'view')
      return problem(c, 403, 'No right', `“${name}” may be viewed, not edited.`);
    const asked = Number(/Second-(\d+)/.exec(c.req.header('timeout') ?? '')?.[1] ?? mostLock);
    const seconds = Math.min(mostLock, asked);
    const token = file.isLocked ? undefined : locks.lock(name, seconds);
    if (!token) return problem(c, 423, 'Locked', `“${name}” is open in another program.`);
    const document = create({ version: '1.0', encoding: 'utf-8' });
    const active = document.ele('DAV:', 'D:prop').ele('DAV:', 'D:lockdiscovery').ele('DAV:', 'D:activelock');
    active.ele('DAV:', 'D:locktype').ele('DAV:', 'D:write');
    active.ele('DAV:', 'D:lockscope').ele('DAV:', 'D:exclusive');
    active.ele('DAV:', 'D:depth').txt('0');
    active.ele('DAV:', 'D:timeout').txt(`Second-${seconds}`);
    active.ele('DAV:', 'D:locktoken').ele('DAV:', 'D:href').txt(token);
    return c.body(document.end(), 200, {
      'content-type': 'application/xml; charset=utf-8',
      'lock-token': `<${token}>`,
    });
  });
  app.on('UNLOCK', '/files/:name{.+}', (c) => {
    const token = /^<(.*)>$/.exec(c.req.header('lock-token') ?? '')?.[1] ?? '';
    if (!locks.unlock(c.req.param('name'), token))
      return problem(c, 409, 'Not locked', 'The file has no lock of that token.');
    return c.body(null, 204);
  });
  app.delete('/files/:name{.+}', (c) => {
    const name = c.req.param('name');
    const file = files.get(name)?.file;
    if (!file) return problem(c, 404, 'Not found', 'There is no such file on the shelf.');
    if (!c.get('account').mayEdit || file.right === 'view')
      return problem(c, 403, 'No right', `“${name}” may be viewed, not edited.`);
    if (file.isLocked || !locks.allows(name, c.req.header('if')))
      return problem(c, 423, 'Locked', `“${name}” is open in another program.`);
    const ifMatch = c.req.header('if-match');
    if (ifMatch !== undefined && ifMatch !== file.etag)
      return problem(c, 412, 'Changed', `“${name}” was changed since you took it.`);
    files.remove(name);
    return c.body(null, 204);
  });
  return app;
}

/** Exclusive write locks of files (RFC 4918 section 6), which end by themselves. */
export class ShelfLocks {
  private readonly locks = new Map<string, { readonly token: string; readonly until: number }>();

  /** The token of a new lock; undefined where somebody else has one. */
  lock(name: string, seconds: number): string | undefined {
    if (this.of(name)) return undefined;
    const token = `urn:uuid:${randomUUID()}`;
    this.locks.set(name, { token, until: performance.now() + seconds * 1000 });
    return token;
  }

  unlock(name: string, token: string): boolean {
    if (this.of(name) !== token) return false;
    return this.locks.delete(name);
  }

  /** Whether a request may change a file: nobody has locked it, or its If header names the lock's token. */
  allows(name: string, ifHeader: string | undefined): boolean {
    const token = this.of(name);
    return token === undefined || (ifHeader ?? '').includes(`<${token}>`);
  }

  /** All locks are over, as when their time has passed. */
  endAll(): void {
    this.locks.clear();
  }

  private of(name: string): string | undefined {
    const lock = this.locks.get(name);
    return lock && lock.until > performance.now() ? lock.token : undefined;
  }
}

/** The file that a Destination header names (RFC 4918 section 10.3), where it is one of the shelf's folder. */
function nameIn(destination = ''): string | undefined {
  const path = URL.canParse(destination, 'http://shelf') ? new URL(destination, 'http://shelf').pathname : '';
  return path.startsWith(folder) ? decodeURIComponent(path.slice(folder.length)) : undefined;
}

const principalOf = ({ account }: PracticeState): string => `/api/principals/${account}`;

/** A response with one list of properties, all of them there. */
function tell(multistatus: Xml, href: string): Xml {
  const response = multistatus.ele('DAV:', 'D:response');
  response.ele('DAV:', 'D:href').txt(href);
  const propstat = response.ele('DAV:', 'D:propstat');
  const props = propstat.ele('DAV:', 'D:prop');
  propstat.ele('DAV:', 'D:status').txt('HTTP/1.1 200 OK');
  return props;
}

function tellFolder(multistatus: Xml, account: ShelfAccount, state: PracticeState): void {
  const props = tell(multistatus, folder);
  props.ele('DAV:', 'D:displayname').txt('Workbook shelf');
  props.ele('DAV:', 'D:resourcetype').ele('DAV:', 'D:collection');
  props.ele('DAV:', 'D:current-user-principal').ele('DAV:', 'D:href').txt(principalOf(state));
  tellRight(props, account.mayEdit);
}

function tellFile(multistatus: Xml, file: ShelfFile, account: ShelfAccount): void {
  const props = tell(multistatus, `${folder}${file.name.split('/').map(encodeURIComponent).join('/')}`);
  props.ele('DAV:', 'D:displayname').txt(file.name);
  props.ele('DAV:', 'D:resourcetype');
  props.ele('DAV:', 'D:getetag').txt(file.etag);
  props.ele('DAV:', 'D:getcontentlength').txt(String(file.size));
  props.ele('DAV:', 'D:getcontenttype').txt(mediaTypeOf(file.name));
  props.ele('DAV:', 'D:getlastmodified').txt(new Date(file.modified).toUTCString());
  tellRight(props, account.mayEdit && file.right === 'edit');
}

function tellRight(props: Xml, mayWrite: boolean): void {
  const set = props.ele('DAV:', 'D:current-user-privilege-set');
  for (const name of mayWrite ? ['read', 'write'] : ['read']) set.ele('DAV:', 'D:privilege').ele('DAV:', `D:${name}`);
}
