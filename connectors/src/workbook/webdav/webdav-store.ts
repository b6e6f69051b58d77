import { createHash } from 'node:crypto';
import { doneFolder, type HandIns, type PutAway } from '../../connector.ts';
import { AppError, Changed, Locked, NoRight, NotThere, NotUnderstood, Refused, Unsure } from '../../errors.ts';
import { HttpClient, type HttpResponse } from '../../http/client.ts';
import { doneNames, isPassingFile } from '../done-names.ts';
import type { FileStore, Reach, StoredFile, TakenFile, UnchangedFile } from '../file-store.ts';
import { hash } from '../hash.ts';
import { mostFileBytes } from '../limits.ts';
import { lockFilesOf, openElsewhere } from '../open-elsewhere.ts';
import { isWorkbookName } from '../sheet.ts';
import { type DavResource, lockTokenOf, propfindBody, readMultistatus } from './multistatus.ts';
import { rightOf, type ServerRight } from './right.ts';

export interface WebDavOptions {
  /** The store's name in sentences. */
  readonly title: string;
  /** The address of the folder. */
  readonly address: string;
  /** How requests are signed in: RFC 7617 (user and password) or RFC 6750 (token). */
  readonly signIn: { readonly user: string; readonly password: string } | { readonly token: string };
  /** True for the shelf that ships with us, which is known to refuse what was made from an older state. */
  readonly isKnownToGuard?: boolean;
  /** How requests connect; the usual way when absent. @throws NoRight for an address that may not be called */
  readonly dispatcher?: () => Promise<ConstructorParameters<typeof HttpClient>[0]['dispatcher']>;
  /** Where a person sees a row of a file. */
  readonly linkTo?: (name: string, tab: string, row: number) => string | undefined;
  readonly timeout?: number;
  readonly retries?: number;
  readonly reach?: Reach;
}

/** Seconds for which a lock is asked: it is over by itself when we end in the middle. */
const lockSeconds = 60;

/** How often a file that was saved a moment ago is asked for its lasting mark, and milliseconds between. */
const [strongTries, strongPause] = [5, 400];

const xmlType = { 'content-type': 'application/xml; charset=utf-8' };

/**
 * Files in a folder of a server that speaks WebDAV (RFC 4918): listed and looked at by PROPFIND, taken by
 * GET, replaced by PUT only while they have the mark that they were planned on (If-Match), under a lock
 * where the server has locks.
 */
export class WebDavStore implements FileStore {
  readonly title: string;
  readonly handIns: HandIns = {
    files: () => this.filesToTake(),
    content: (name) => this.contentOf(name),
    putAway: (name, mark, way) => this.putAway(name, mark, way),
  };
  private readonly clients = new Map<unknown, HttpClient>();
  private readonly headers: Record<string, string>;
  /** What was taken under a mark that doesn't promise the very bytes. */
  private readonly weak = new Map<string, { readonly etag: string; readonly hash: string }>();

  constructor(protected readonly options: WebDavOptions) {
    this.title = options.title;
    const { signIn } = options;
    this.headers = {
      authorization:
        'token' in signIn
          ? `Bearer ${signIn.token}`
          : `Basic ${Buffer.from(`${signIn.user}:${signIn.password}`, 'utf8').toString('base64')}`,
    };
  }

  async whoAmI(): Promise<{ account: string; id?: string; mayWrite: boolean; readOnlyBecause?: string }> {
    const asked = ['resourcetype', 'current-user-principal', 'current-user-privilege-set'];
    const noFolder = `${this.title}: the address leads to no folder. It is that of the folder with the workbooks.`;
    const [folder] = await this.find('/', '0', asked).catch((error) => {
      throw error instanceof NotThere ? new NotThere(noFolder) : error;
    });
    if (!folder?.isFolder) throw new NotThere(noFolder);
    const right = await this.rightTo(folder);
    if (!folder.principal) return { account: this.user() || new URL(this.options.address).host, ...right };
    const id = lastSegment(folder.principal);
    return { account: (await this.nameOf(folder.principal)) ?? (this.user() || id), id, ...right };
  }

  async list(): Promise<readonly StoredFile[]> {
    const all = await this.find('/', '1', ['resourcetype', 'current-user-privilege-set']);
    const names = all
      .filter(({ isFolder }) => !isFolder)
      .map((one) => ({ name: lastSegment(one.href), one }))
      .filter(({ name }) => isWorkbookName(name) && !/^[.~]/.test(name));
    const files = names.map(async ({ name, one }) => ({ name, mayWrite: (await this.rightTo(one)).mayWrite }));
    return (await Promise.all(files)).sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  async take(name: string, knownEtag?: string): Promise<TakenFile | UnchangedFile> {
    const asked = ['getetag', 'getcontentlength', 'resourcetype', 'current-user-privilege-set'];
    const [about] = await this.find(this.pathOf(name), '0', asked).catch((error) => {
      throw error instanceof NotThere ? this.gone(name) : error;
    });
    if (!about || about.isFolder) throw this.gone(name);
    if ((about.length ?? 0) > mostFileBytes)
      throw new NotThere(`“${name}” is larger than ${mostFileBytes / 1024 / 1024} MB, which is more than can be read.`);
    const right = await this.rightTo(about);
    if (knownEtag && about.etag && isWeaklyEqual(about.etag, knownEtag)) return { bytes: undefined, ...right };
    const http = await this.http();
    const response = await http.read({
      method: 'GET',
      path: this.pathOf(name),
      ...(knownEtag && { headers: { 'if-none-match': knownEtag } }),
    });
    if (response.status === 304) return { bytes: undefined, ...right };
    if (String(response.headers['content-type'] ?? '').includes('html')) http.json(response);
    const etag = this.etagOf(name, response);
    await this.remember(name, etag, response.bytes);
    return { bytes: response.bytes, etag, ...right };
  }

  async replace(name: string, bytes: Uint8Array, etag: string): Promise<string> {
    const right = await this.right();
    if (right.readOnlyBecause) throw new NoRight(right.readOnlyBecause);
    await this.expectClosed(name);
    const lock = right.hasLocks ? await this.lock(name) : undefined;
    try {
      const mark = isWeak(etag) ? await this.strongMark(name, etag) : etag;
      this.options.reach?.('webdav:before-put');
      const response = await (await this.http()).write({
        method: 'PUT',
        path: this.pathOf(name),
        headers: { 'if-match': mark, ...(lock && { if: `(<${lock}>)` }) },
        bytes,
        succeeds: [201, 204],
      });
      this.options.reach?.('webdav:after-put');
      return await this.newMark(name, response, bytes);
    } catch (error) {
      throw error instanceof Locked ? new Locked(openElsewhere(name), { cause: error }) : error;
    } finally {
      if (lock) await this.unlock(name, lock);
    }
  }

  async add(name: string, bytes: Uint8Array): Promise<void> {
    if (!(await this.addIfNew(name, bytes)))
      throw new Refused(`A file “${name}” is there already. Choose another name.`);
  }

  /** Puts a new file there; false where one of that name is. @throws NoRight, Locked, Unsure when no answer came */
  protected async addIfNew(name: string, bytes: Uint8Array): Promise<boolean> {
    try {
      await (await this.http()).write({
        method: 'PUT',
        path: this.pathOf(name),
        headers: { 'if-none-match': '*' },
        bytes,
        succeeds: [201, 204],
      });
      return true;
    } catch (error) {
      if (error instanceof Changed) return false;
      throw error;
    }
  }

  linkTo(name: string, tab: string, row: number): string | undefined {
    return this.options.linkTo?.(name, tab, row);
  }

  private async filesToTake(): Promise<readonly { name: string; mark: string }[]> {
    const all = await this.find('/', '1', ['resourcetype', 'getetag', 'getcontentlength']);
    return all
      .filter(({ isFolder }) => !isFolder)
      .map(({ href, etag, length }) => ({ name: lastSegment(href), mark: etag ?? `length ${length ?? 0}` }))
      .filter(({ name }) => !isPassingFile(name))
      .sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  private async contentOf(name: string): Promise<Uint8Array> {
    const { bytes } = await this.take(name);
    if (!bytes) throw this.gone(name);
    return bytes;
  }

  private async putAway(name: string, mark: string, way: PutAway): Promise<string> {
    const http = await this.http();
    const folder = way === 'moved' ? `${doneFolder}/` : '';
    // 405 says that it is there (RFC 4918 section 9.3.1).
    if (folder) await http.write({ method: 'MKCOL', path: `/${folder}`, succeeds: [201, 405] });
    const [about] = await this.find(this.pathOf(name), '0', ['getetag', 'getcontentlength']);
    if ((about?.etag ?? `length ${about?.length ?? 0}`) !== mark)
      throw new Changed(`“${name}” was changed in the meantime.`);
    for (const to of doneNames(name, way === 'marked')) {
      const destination = `${this.options.address.replace(/\/+$/, '')}/${folder}${encodeURIComponent(to)}`;
      const headers = { destination, overwrite: 'F' };
      // 412 says that something of the name is there (section 9.9.4).
      const { status } = await http.write({
        method: 'MOVE',
        path: this.pathOf(name),
        headers,
        succeeds: [201, 204, 412],
      });
      if (status !== 412) return `${folder}${to}`;
    }
    throw new Refused(`“${name}” can’t be put away: there are too many of its name. Clear some of them away.`);
  }

  private user(): string {
    return 'user' in this.options.signIn ? this.options.signIn.user : '';
  }

  private gone(name: string): NotThere {
    return new NotThere(`There is no file “${name}” in the folder any more.`);
  }

  protected async http(address = this.options.address): Promise<HttpClient> {
    const dispatcher = await this.options.dispatcher?.();
    const key = `${address} ${dispatcher ? 'outside' : ''}`;
    const made =
      this.clients.get(key) ??
      new HttpClient({
        app: this.title,
        address,
        headers: this.headers,
        ...(dispatcher && { dispatcher }),
        ...(this.options.timeout !== undefined && { timeout: this.options.timeout }),
        ...(this.options.retries !== undefined && { retries: this.options.retries }),
      });
    this.clients.set(key, made);
    return made;
  }

  private async find(
    path: string,
    depth: '0' | '1',
    names: readonly string[],
    http?: HttpClient,
  ): Promise<DavResource[]> {
    const client = http ?? (await this.http());
    const response = await client.read({
      method: 'PROPFIND',
      path,
      headers: { depth, ...xmlType },
      bytes: propfindBody(names),
      // A web page in its place is told as such.
      succeeds: [200, 207],
    });
    const type = String(response.headers['content-type'] ?? '');
    if (!type.includes('xml')) client.json(response);
    try {
      return readMultistatus(response.bytes.toString('utf8'));
    } catch (error) {
      throw new NotUnderstood(`${this.title} answered what can’t be read as WebDAV. Is the address right?`, {
        cause: error,
      });
    }
  }

  /** What the server calls whoever is signed in; undefined where it doesn't say. */
  private async nameOf(principal: string): Promise<string | undefined> {
    const url = new URL(principal, this.options.address);
    if (url.origin !== new URL(this.options.address).origin) return undefined;
    try {
      const [one] = await this.find(url.pathname, '0', ['displayname'], await this.http(url.origin));
      return one?.displayName;
    } catch (error) {
      if (error instanceof AppError && error.isPassing) throw error;
      return undefined;
    }
  }

  protected right(): Promise<ServerRight> {
    if (this.options.isKnownToGuard) return Promise.resolve({ hasLocks: false });
    const account = createHash('sha256').update(`${this.options.address}\n${this.headers['authorization']}`);
    return this.http().then((http) => rightOf(http, account.digest('hex')));
  }

  /** Whether a file or folder may be written, by what the server tells of it and by what is known of the server. */
  private async rightTo({ privileges }: DavResource): Promise<{ mayWrite: boolean; readOnlyBecause?: string }> {
    if (privileges && !['write', 'write-content', 'all'].some((one) => privileges.has(one))) return { mayWrite: false };
    const { readOnlyBecause } = await this.right();
    return readOnlyBecause ? { mayWrite: false, readOnlyBecause } : { mayWrite: true };
  }

  /** @throws Locked while a desktop program has the file open, which it tells by a file beside it */
  private async expectClosed(name: string): Promise<void> {
    const http = await this.http();
    const found = await Promise.all(
      lockFilesOf(name).map((file) =>
        http.read({ method: 'HEAD', path: this.pathOf(file) }).then(
          () => true,
          (error) => {
            if (error instanceof AppError && error.isPassing) throw error;
            return false;
          },
        ),
      ),
    );
    if (found.includes(true)) throw new Locked(openElsewhere(name));
  }

  private async lock(name: string): Promise<string | undefined> {
    const http = await this.http();
    try {
      const response = await http.write({
        method: 'LOCK',
        path: this.pathOf(name),
        headers: { timeout: `Second-${lockSeconds}`, depth: '0', ...xmlType },
        bytes: lockBody,
        succeeds: [200],
      });
      return lockTokenOf(response.bytes.toString('utf8'));
    } catch (error) {
      if (error instanceof Locked) throw new Locked(openElsewhere(name), { cause: error });
      // A lock that may have been given is over by itself; nothing was written yet.
      if (error instanceof Unsure) throw new Locked(`${this.title} gave no answer when “${name}” was to be locked.`);
      // Locks are a help: If-Match alone keeps others' work too.
      if (error instanceof Refused || error instanceof NoRight) return undefined;
      throw error;
    }
  }

  /** Asked again where no answer comes: the second time there is nothing left to unlock. */
  private async unlock(name: string, token: string): Promise<void> {
    const http = await this.http();
    const ask = { method: 'UNLOCK', path: this.pathOf(name), headers: { 'lock-token': `<${token}>` } } as const;
    await http.read(ask).catch(() => undefined);
  }

  private etagOf(name: string, { headers }: HttpResponse): string {
    const etag = headers['etag'];
    if (typeof etag === 'string' && etag !== '') return etag;
    throw new NotUnderstood(
      `${this.title} gave “${name}” without its mark (ETag): nobody could tell later whether it has changed.`,
    );
  }

  private async remember(name: string, etag: string, bytes: Uint8Array): Promise<void> {
    if (isWeak(etag)) this.weak.set(name, { etag, hash: await hash(bytes) });
    else this.weak.delete(name);
  }

  /**
   * Some servers give a file that was saved a moment ago a mark that doesn't promise the very bytes (RFC 9110
   * section 8.8.1), under which nothing is replaced. A little later it has a lasting one; that holds for us
   * where the bytes are still those that we planned on.
   */
  protected async strongMark(name: string, etag: string): Promise<string> {
    const planned = this.weak.get(name);
    for (let tries = 1; tries <= strongTries; tries++) {
      const response = await (await this.http()).read({ method: 'GET', path: this.pathOf(name) });
      const now = this.etagOf(name, response);
      if (planned?.etag !== etag || (await hash(response.bytes)) !== planned.hash)
        throw new Changed(`“${name}” was changed in the meantime.`);
      if (!isWeak(now)) return now;
      await new Promise((resolve) => setTimeout(resolve, strongPause));
    }
    throw new NoRight(`${this.title} gives “${name}” no lasting mark (ETag), so that it is only read.`);
  }

  /** The mark of what was put; a server that doesn't say it is asked, and has to give the very bytes. */
  private async newMark(name: string, { headers }: HttpResponse, bytes: Uint8Array): Promise<string> {
    const put = headers['etag'];
    if (typeof put === 'string' && put !== '') {
      await this.remember(name, put, bytes);
      return put;
    }
    const unsure = `${this.title} didn’t say that “${name}” is in place.`;
    const response = await (await this.http()).read({ method: 'GET', path: this.pathOf(name) }).catch((error) => {
      throw new Unsure(unsure, { cause: error });
    });
    const now = response.headers['etag'];
    if (typeof now !== 'string' || !response.bytes.equals(bytes)) throw new Unsure(unsure);
    await this.remember(name, now, bytes);
    return now;
  }

  /** The way of a file below the folder's address. @throws NotThere for a name that leads out of the folder */
  protected pathOf(name: string): string {
    if (name.includes('/') || name.includes('\\')) throw new NotThere(`“${name}” is not a file in this folder.`);
    return `/${encodeURIComponent(name)}`;
  }
}

const lockBody = new TextEncoder().encode(
  '<?xml version="1.0" encoding="utf-8"?><D:lockinfo xmlns:D="DAV:"><D:lockscope><D:exclusive/></D:lockscope>' +
    '<D:locktype><D:write/></D:locktype><D:owner>Golden Relay</D:owner></D:lockinfo>',
);

/** A mark that doesn't promise the very bytes (RFC 9110 section 8.8.1). */
export const isWeak = (etag: string): boolean => etag.startsWith('W/');
/** RFC 9110 section 8.8.3.2. */
const isWeaklyEqual = (one: string, other: string): boolean => one.replace(/^W\//, '') === other.replace(/^W\//, '');

/** The name at the end of an address, as people write it. */
function lastSegment(href: string): string {
  const last =
    href
      .replace(/[?#].*$/, '')
      .replace(/\/+$/, '')
      .split('/')
      .at(-1) ?? '';
  try {
    return decodeURIComponent(last);
  } catch {
    return last;
  }
}
