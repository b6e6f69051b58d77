import { Changed, Locked, NoRight, NotThere } from '../../errors.ts';
import { openElsewhere } from '../open-elsewhere.ts';
import { isWeak, WebDavStore } from './webdav-store.ts';

/** A file of a server as it is now. */
export interface DavFile {
  readonly bytes: Uint8Array;
  readonly etag: string;
}

/**
 * Files of any kind below a folder of a server that speaks WebDAV (RFC 4918), in folders that are made where they are
 * missing. A file is called by its way below the folder, with `/` between. What is there is written over or removed only
 * while it has the mark that is known (If-Match).
 */
export class DavDocuments extends WebDavStore {
  /** Makes the folders of a way, one in the other, where they are missing. @throws NoRight */
  async makeFolders(path: readonly string[]): Promise<void> {
    const http = await this.http();
    for (let depth = 1; depth <= path.length; depth++) {
      const folder = path.slice(0, depth).join('/');
      // 405 says that it is there (RFC 4918 section 9.3.1).
      await http.write({ method: 'MKCOL', path: `${this.pathOf(folder)}/`, succeeds: [201, 405] });
    }
  }

  /** The file as it is now; undefined where there is none. @throws NoAnswer and the like, where nobody can tell */
  async read(path: string): Promise<DavFile | undefined> {
    try {
      const { bytes, etag } = (await this.take(path)) as DavFile;
      return { bytes, etag };
    } catch (error) {
      if (error instanceof NotThere) return undefined;
      throw error;
    }
  }

  /** Puts a new file there; false where one of that name is. @throws NoRight, Locked, Unsure when no answer came */
  async addNew(path: string, bytes: Uint8Array): Promise<boolean> {
    const { readOnlyBecause } = await this.right();
    if (readOnlyBecause) throw new NoRight(readOnlyBecause);
    // A server that doesn't look at the condition would write over what is there.
    if (await this.read(path)) return false;
    return this.addIfNew(path, bytes);
  }

  /** Removes a file while it has this mark; one that is gone is as wished. @throws Changed, NoRight, Locked */
  async remove(path: string, etag: string): Promise<void> {
    const { readOnlyBecause } = await this.right();
    if (readOnlyBecause) throw new NoRight(readOnlyBecause);
    const http = await this.http();
    try {
      const mark = isWeak(etag) ? await this.strongMark(path, etag) : etag;
      await http.write({
        method: 'DELETE',
        path: this.pathOf(path),
        headers: { 'if-match': mark },
        succeeds: [200, 204],
      });
    } catch (error) {
      if (error instanceof Locked) throw new Locked(openElsewhere(path), { cause: error });
      // What is gone has no mark any more, which servers tell in one way or the other (RFC 9110 section 13.1.1).
      const isGone = error instanceof NotThere || (error instanceof Changed && !(await this.read(path)));
      if (!isGone) throw error;
    }
  }

  protected override pathOf(path: string): string {
    const parts = path.split('/');
    if (parts.some((part) => part === '' || part === '.' || part === '..' || part.includes('\\')))
      throw new NotThere(`“${path}” is not a file in this folder.`);
    return `/${parts.map(encodeURIComponent).join('/')}`;
  }
}
