import { SaxesParser } from 'saxes';

/** What a server tells of a file or a folder (RFC 4918 section 15, RFC 3744 section 5.5, RFC 5397). */
export interface DavResource {
  /** Its address as the server writes it: whole, or the path alone. */
  readonly href: string;
  readonly isFolder: boolean;
  readonly etag?: string;
  /** Bytes of the file. */
  readonly length?: number;
  readonly displayName?: string;
  /** Names of what whoever is signed in may do, such as `write`; absent where the server doesn't tell. */
  readonly privileges?: ReadonlySet<string>;
  /** The address that stands for whoever is signed in. */
  readonly principal?: string;
}

const dav = 'DAV:';

/** The body of a PROPFIND that asks for just these properties of `DAV:`. */
export function propfindBody(names: readonly string[]): Uint8Array {
  const asked = names.map((name) => `<D:${name}/>`).join('');
  return new TextEncoder().encode(
    `<?xml version="1.0" encoding="utf-8"?><D:propfind xmlns:D="${dav}"><D:prop>${asked}</D:prop></D:propfind>`,
  );
}

/**
 * Reads a multistatus (RFC 4918 section 13): one resource a response, of its properties only those that
 * are there (status 2xx). Entities and document types of the sender's own are not followed.
 * @throws Error where it is no well-formed XML, or no multistatus
 */
export function readMultistatus(xml: string): DavResource[] {
  const found: DavResource[] = [];
  const reading = new Reading();
  const parser = new SaxesParser({ xmlns: true });
  let isMultistatus = false;
  parser.on('error', (error) => {
    throw error;
  });
  parser.on('opentag', ({ uri, local }) => {
    if (uri === dav && local === 'multistatus') isMultistatus = true;
    reading.open(uri === dav ? local : '');
  });
  parser.on('text', (text) => reading.text(text));
  parser.on('cdata', (text) => reading.text(text));
  parser.on('closetag', () => {
    const done = reading.close();
    if (done) found.push(done);
  });
  parser.write(xml).close();
  if (!isMultistatus) throw new Error('It is no multistatus.');
  return found;
}

/** The mark of a lock that a LOCK came to (RFC 4918 section 9.10.1); undefined where the answer holds none. */
export function lockTokenOf(xml: string): string | undefined {
  const within: string[] = [];
  let token = '';
  const parser = new SaxesParser({ xmlns: true });
  parser.on('error', (error) => {
    throw error;
  });
  parser.on('opentag', ({ local }) => within.push(local));
  parser.on('text', (text) => {
    if (within.at(-2) === 'locktoken' && within.at(-1) === 'href') token += text;
  });
  parser.on('closetag', () => within.pop());
  parser.write(xml).close();
  return token.trim() || undefined;
}

type Writable<T> = { -readonly [K in keyof T]: T[K] };

/** Gathers one response after the other from the tags as they come. */
class Reading {
  private readonly within: string[] = [];
  private said = '';
  private resource: Writable<DavResource> = { href: '', isFolder: false };
  /** What a propstat says, until its status tells whether it counts. */
  private props: Writable<Partial<DavResource>> = {};
  private status = '';

  open(name: string): void {
    this.within.push(name);
    this.said = '';
    if (name === 'response') this.resource = { href: '', isFolder: false };
    if (name === 'propstat') [this.props, this.status] = [{}, ''];
    if (this.within.at(-2) === 'resourcetype' && name === 'collection') this.props.isFolder = true;
    if (name === 'current-user-privilege-set') this.props.privileges = new Set();
    if (this.within.at(-2) === 'privilege') (this.props.privileges as Set<string> | undefined)?.add(name);
  }

  text(text: string): void {
    this.said += text;
  }

  /** A response, once it is whole. */
  close(): DavResource | undefined {
    const name = this.within.pop();
    const above = this.within.at(-1);
    const said = this.said.trim();
    this.said = '';
    if (name === 'response') return this.resource.href === '' ? undefined : this.resource;
    if (name === 'propstat' && /^HTTP\/\S+ 2\d\d\b/.test(this.status)) Object.assign(this.resource, this.props);
    if (name === 'status' && above === 'propstat') this.status = said;
    if (name === 'href' && above === 'response') this.resource.href = said;
    if (said === '') return undefined;
    if (name === 'href' && above === 'current-user-principal') this.props.principal = said;
    if (above !== 'prop') return undefined;
    if (name === 'getetag') this.props.etag = said;
    if (name === 'displayname') this.props.displayName = said;
    if (name === 'getcontentlength' && /^\d+$/.test(said)) this.props.length = Number(said);
    return undefined;
  }
}
