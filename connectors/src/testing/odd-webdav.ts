import { createHash } from 'node:crypto';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { buffer } from 'node:stream/consumers';

/** What a WebDAV server can do otherwise than it should. */
export interface Oddities {
  ignoresIfMatch?: boolean;
  saysNoLevel?: boolean;
  hasNoEtag?: boolean;
  tellsNoNewEtag?: boolean;
  hasLocks?: boolean;
  refusesLocks?: boolean;
  /** Answers this method with a web page. */
  page?: string;
  /** So many more times the mark of a file is weak. */
  weakFor?: number;
  /** What somebody else does once a file was put, before anybody looks. */
  savesBefore?: (name: string) => void;
}

/** A small WebDAV server with one folder in memory, whose oddities a test chooses. */
export class OddServer {
  readonly files = new Map<string, Uint8Array>();
  readonly heard: string[] = [];
  does: Oddities = {};
  address = '';
  private server: Server | undefined;

  async start(): Promise<void> {
    this.does = {};
    this.files.clear();
    this.files.set('list.csv', Buffer.from('A\n1\n'));
    this.server = createServer((request, response) => void this.answer(request, response));
    await new Promise<void>((resolve) => this.server?.listen(0, '127.0.0.1', resolve));
    this.address = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}/office/`;
  }

  async stop(): Promise<void> {
    this.server?.closeAllConnections();
    await new Promise((resolve) => this.server?.close(resolve));
  }

  textOf(name: string): string {
    return Buffer.from(this.files.get(name) ?? []).toString();
  }

  private etagOf(name: string): string | undefined {
    const bytes = this.files.get(name);
    if (!bytes || this.does.hasNoEtag) return undefined;
    return `"${createHash('sha256').update(bytes).digest('hex').slice(0, 12)}"`;
  }

  /** The mark as it is told, which may be weak for a while. */
  private toldEtag(name: string): string | undefined {
    const etag = this.etagOf(name);
    if (!etag || !this.does.weakFor) return etag;
    this.does.weakFor -= 1;
    return `W/${etag}`;
  }

  private async answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const { method = '', headers, url = '' } = request;
    const body = await buffer(request);
    const name = decodeURIComponent(url.split('/').at(-1) ?? '');
    const end = (
      status: number,
      more: Record<string, string | undefined> = {},
      sent: string | Uint8Array = '',
    ): void => {
      const told = Object.entries(more).flatMap(([key, value]) => (value === undefined ? [] : [[key, value] as const]));
      response.writeHead(status, Object.fromEntries(told));
      response.end(sent);
    };
    this.heard.push(method === 'PUT' && headers['if'] === '(<urn:lock:1>)' ? 'PUT under the lock' : method);
    if (method === this.does.page) return end(200, { 'content-type': 'text/html', etag: '"1"' }, '<h1>Back soon</h1>');
    const found = this.files.get(name);
    switch (method) {
      case 'OPTIONS':
        return end(200, this.does.saysNoLevel ? {} : { dav: this.does.hasLocks ? '1, 2' : '1' });
      case 'PROPFIND':
        if (name !== '' && !found) return end(404);
        return end(
          207,
          { 'content-type': 'text/xml; charset="utf-8"' },
          this.multistatus(this.asked(name, headers['depth'])),
        );
      case 'GET':
        return found ? end(200, { etag: this.toldEtag(name) }, found) : end(404);
      case 'HEAD':
        return end(found ? 200 : 404, { etag: this.toldEtag(name) });
      case 'PUT':
        return this.put(name, headers['if-match'], body) ? end(204, { etag: this.putEtag(name) }) : end(412);
      case 'DELETE':
        return end(this.files.delete(name) ? 204 : 404);
      case 'LOCK':
        return this.does.refusesLocks ? end(405) : end(200, { 'content-type': 'application/xml' }, lockAnswer);
      default:
        return end(204);
    }
  }

  private asked(name: string, depth: string | string[] | undefined): string[] {
    return name === '' && depth === '1' ? ['', ...this.files.keys()] : [name];
  }

  private put(name: string, wanted: string | undefined, body: Buffer): boolean {
    if (!this.does.ignoresIfMatch && wanted !== undefined && wanted !== this.etagOf(name)) return false;
    this.files.set(name, body);
    this.does.savesBefore?.(name);
    return true;
  }

  private putEtag(name: string): string | undefined {
    return this.does.tellsNoNewEtag ? undefined : this.toldEtag(name);
  }

  /** With a prefix of its own and a list of what isn't there, as servers write it. */
  private multistatus(names: readonly string[]): string {
    const responses = names.map((name) => {
      const etag = name === '' ? undefined : this.toldEtag(name);
      const type = name === '' ? '<d:resourcetype><d:collection/></d:resourcetype>' : '<d:resourcetype/>';
      return `<d:response><d:href>/office/${encodeURIComponent(name)}</d:href>
        <d:propstat><d:prop>${type}${etag ? `<d:getetag>${etag.replaceAll('"', '&quot;')}</d:getetag>` : ''}</d:prop>
        <d:status>HTTP/1.1 200 OK</d:status></d:propstat>
        <d:propstat><d:prop><d:current-user-privilege-set/></d:prop><d:status>HTTP/1.1 404 Not Found</d:status></d:propstat>
        </d:response>`;
    });
    return `<?xml version="1.0"?><d:multistatus xmlns:d="DAV:">${responses.join('')}</d:multistatus>`;
  }
}

const lockAnswer =
  '<?xml version="1.0"?><prop xmlns="DAV:"><lockdiscovery><activelock><locktoken><href>urn:lock:1</href></locktoken></activelock></lockdiscovery></prop>';
