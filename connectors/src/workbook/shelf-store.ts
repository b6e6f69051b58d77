import { isWebAddress } from '@golden/core';
import { Changed, NotUnderstood, Refused, Unsure } from '../errors.ts';
import { HttpClient } from '../http/client.ts';
import type { FileStore, StoredFile, TakenFile, UnchangedFile } from './file-store.ts';

interface ShelfOptions {
  readonly address: string;
  readonly token: string;
  readonly timeout?: number;
  readonly retries?: number;
}

/** The practice app Workbook shelf: files over HTTP with ETag and If-Match (RFC 9110 section 13). */
export class ShelfStore implements FileStore {
  readonly title = 'Workbook shelf';
  private readonly http: HttpClient;

  constructor(private readonly options: ShelfOptions) {
    this.http = new HttpClient({
      app: this.title,
      address: options.address,
      headers: { authorization: `Bearer ${options.token}` },
      ...(options.timeout !== undefined && { timeout: options.timeout }),
      ...(options.retries !== undefined && { retries: options.retries }),
    });
  }

  async whoAmI(): Promise<{ account: string; id?: string; mayWrite: boolean }> {
    const body = this.http.json(await this.http.read({ method: 'GET', path: '/me' })) as {
      account: string;
      account_id?: string;
      mayEdit: boolean;
    };
    return { account: body.account, ...(body.account_id && { id: body.account_id }), mayWrite: body.mayEdit };
  }

  async list(): Promise<readonly StoredFile[]> {
    const body = this.http.json(await this.http.read({ method: 'GET', path: '/files' })) as {
      files: { name: string; right: string }[];
    };
    return body.files.map((file) => ({ name: file.name, mayWrite: file.right === 'edit' }));
  }

  async take(name: string, knownEtag?: string): Promise<TakenFile | UnchangedFile> {
    const response = await this.http.read({
      method: 'GET',
      path: this.pathOf(name),
      ...(knownEtag && { headers: { 'if-none-match': knownEtag } }),
    });
    const mayWrite = response.headers['x-right'] === 'edit';
    if (response.status === 304) return { bytes: undefined, mayWrite };
    if (String(response.headers['content-type'] ?? '').includes('html')) this.http.json(response);
    if (!response.headers['etag']) throw new NotUnderstood(`${this.title} gave “${name}” without its mark (ETag).`);
    return {
      bytes: response.bytes,
      etag: String(response.headers['etag'] ?? ''),
      mayWrite,
    };
  }

  async replace(name: string, bytes: Uint8Array, etag: string): Promise<string> {
    const response = await this.http.write({
      method: 'PUT',
      path: this.pathOf(name),
      headers: { 'if-match': etag },
      bytes,
      succeeds: [201, 204],
    });
    const put = response.headers['etag'];
    // Without the file's new mark nobody knows what is in place.
    if (typeof put !== 'string' || put === '') throw new Unsure(`${this.title} didn’t say that “${name}” is in place.`);
    return put;
  }

  async add(name: string, bytes: Uint8Array): Promise<void> {
    try {
      await this.http.write({
        method: 'PUT',
        path: this.pathOf(name),
        headers: { 'if-none-match': '*' },
        bytes,
        succeeds: [201, 204],
      });
    } catch (error) {
      if (error instanceof Changed) throw new Refused(`A file “${name}” is there already. Choose another name.`);
      throw error;
    }
  }

  linkTo(name: string, tab: string, row: number): string | undefined {
    if (!isWebAddress(this.options.address)) return undefined;
    const url = new URL(`/files/${encodeURIComponent(name)}`, this.options.address);
    url.searchParams.set('tab', tab);
    url.hash = `row-${row}`;
    return url.href;
  }

  private pathOf(name: string): string {
    return `/files/${encodeURIComponent(name)}`;
  }
}
