import Database from 'better-sqlite3';

/** A mailbox of the Post room: whose it is, and what it does by itself. */
export interface Mailbox {
  readonly address: string;
  readonly name: string;
  readonly password: string;
  /** What it answers to each mail while its owner is away; empty when there. */
  readonly away: string;
}

/** A mail as it lies in a folder. */
export interface KeptMail {
  readonly folder: string;
  readonly uid: number;
  /** Its source, as a binary string. */
  readonly raw: string;
  readonly flags: readonly string[];
  /** When it came, as IMAP writes it. */
  readonly date: string;
}

/** The Post room's own data file. */
export class PostStore {
  readonly db: Database.Database;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.db.exec(`CREATE TABLE IF NOT EXISTS mailbox (
        address TEXT PRIMARY KEY, name TEXT NOT NULL, password TEXT NOT NULL, away TEXT NOT NULL DEFAULT '');
      CREATE TABLE IF NOT EXISTS folder (
        address TEXT NOT NULL, path TEXT NOT NULL, uidvalidity INTEGER NOT NULL, uidnext INTEGER NOT NULL, PRIMARY KEY (address, path));
      CREATE TABLE IF NOT EXISTS mail (
        address TEXT NOT NULL, folder TEXT NOT NULL, uid INTEGER NOT NULL, raw BLOB NOT NULL, flags TEXT NOT NULL, date TEXT NOT NULL,
        PRIMARY KEY (address, folder, uid))`);
  }

  close(): void {
    this.db.close();
  }

  mailboxes(): Mailbox[] {
    return this.db.prepare('SELECT * FROM mailbox ORDER BY rowid').all() as Mailbox[];
  }

  mailbox(address: string): Mailbox | undefined {
    return this.mailboxes().find((one) => one.address === address.toLowerCase());
  }

  addMailbox({ address, name, password, away }: Mailbox): void {
    this.db
      .prepare('INSERT OR REPLACE INTO mailbox (address, name, password, away) VALUES (?, ?, ?, ?)')
      .run(address.toLowerCase(), name, password, away);
  }

  setAway(address: string, away: string): void {
    this.db.prepare('UPDATE mailbox SET away = ? WHERE address = ?').run(away, address);
  }

  folders(address: string): { readonly path: string; readonly uidvalidity: number; readonly uidnext: number }[] {
    return this.db.prepare('SELECT * FROM folder WHERE address = ? ORDER BY rowid').all(address) as never;
  }

  mails(address: string): KeptMail[] {
    const rows = this.db.prepare('SELECT * FROM mail WHERE address = ? ORDER BY folder, uid').all(address) as {
      folder: string;
      uid: number;
      raw: Buffer;
      flags: string;
      date: string;
    }[];
    return rows.map((row) => ({ ...row, raw: row.raw.toString('latin1'), flags: JSON.parse(row.flags) as string[] }));
  }

  /** Keeps a mailbox as its IMAP server has it now. */
  keep(
    address: string,
    folders: readonly { readonly path: string; readonly uidvalidity: number; readonly uidnext: number }[],
    mails: readonly KeptMail[],
  ): void {
    const known = new Map(
      (this.db.prepare('SELECT folder, uid, flags FROM mail WHERE address = ?').all(address) as KeptMail[]).map(
        (row) => [`${row.folder}\n${row.uid}`, String(row.flags)],
      ),
    );
    this.db.transaction(() => {
      for (const { path, uidvalidity, uidnext } of folders)
        this.db
          .prepare('INSERT OR REPLACE INTO folder (address, path, uidvalidity, uidnext) VALUES (?, ?, ?, ?)')
          .run(address, path, uidvalidity, uidnext);
      for (const { folder, uid, raw, flags, date } of mails) {
        const key = `${folder}\n${uid}`;
        const text = JSON.stringify(flags);
        if (known.get(key) === undefined)
          this.db
            .prepare('INSERT INTO mail (address, folder, uid, raw, flags, date) VALUES (?, ?, ?, ?, ?, ?)')
            .run(address, folder, uid, Buffer.from(raw, 'latin1'), text, date);
        else if (known.get(key) !== text)
          this.db
            .prepare('UPDATE mail SET flags = ? WHERE address = ? AND folder = ? AND uid = ?')
            .run(text, address, folder, uid);
        known.delete(key);
      }
      for (const key of known.keys()) {
        const [folder, uid] = key.split('\n');
        this.db
          .prepare('DELETE FROM mail WHERE address = ? AND folder = ? AND uid = ?')
          .run(address, folder, Number(uid));
      }
    })();
  }
}
