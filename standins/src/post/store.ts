import Database from 'better-sqlite3';

/** A mailbox of the Post room: whose it is, and what it does by itself. */
export interface Mailbox {
  readonly address: string;
  readonly name: string;
  readonly password: string;
  /** What it answers to each mail while its owner is away; empty when there. */
  readonly away: string;
}

/** Where a mailbox sends its mails on to; first confirmed by who is there, then switched on. */
export interface Forwarding {
  readonly address: string;
  readonly target: string;
  /** What the link in the question to the target ends with. */
  readonly code: string;
  readonly isConfirmed: boolean;
  readonly isOn: boolean;
}

/** A mail on its way to another place. */
export interface OutgoingMail {
  readonly id: number;
  readonly raw: Buffer;
  /** In its envelope; '' for a report. */
  readonly sender: string;
  readonly recipient: string;
  readonly tries: number;
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
        PRIMARY KEY (address, folder, uid));
      CREATE TABLE IF NOT EXISTS forwarding (
        address TEXT PRIMARY KEY, target TEXT NOT NULL, code TEXT NOT NULL UNIQUE, is_confirmed INTEGER NOT NULL DEFAULT 0,
        is_on INTEGER NOT NULL DEFAULT 0);
      CREATE TABLE IF NOT EXISTS outgoing (
        id INTEGER PRIMARY KEY AUTOINCREMENT, raw BLOB NOT NULL, sender TEXT NOT NULL, recipient TEXT NOT NULL,
        tries INTEGER NOT NULL DEFAULT 0)`);
  }

  close(): void {
    this.db.close();
  }

  get isOpen(): boolean {
    return this.db.open;
  }

  /** Where a mailbox sends its mails on to; undefined where it doesn't. */
  forwarding(address: string): Forwarding | undefined {
    return this.forwardings().find((one) => one.address === address);
  }

  /** The forwarding that a confirmation's code belongs to. */
  forwardingBy(code: string): Forwarding | undefined {
    return this.forwardings().find((one) => one.code === code);
  }

  private forwardings(): Forwarding[] {
    const rows = this.db.prepare('SELECT * FROM forwarding').all() as {
      address: string;
      target: string;
      code: string;
      is_confirmed: number;
      is_on: number;
    }[];
    return rows.map(({ is_confirmed, is_on, ...row }) => ({
      ...row,
      isConfirmed: is_confirmed === 1,
      isOn: is_on === 1,
    }));
  }

  /** Asked for, but neither confirmed nor on. */
  askForForwarding(address: string, target: string, code: string): void {
    this.db
      .prepare('INSERT OR REPLACE INTO forwarding (address, target, code) VALUES (?, ?, ?)')
      .run(address, target, code);
  }

  confirmForwarding(code: string): void {
    this.db.prepare('UPDATE forwarding SET is_confirmed = 1 WHERE code = ?').run(code);
  }

  switchForwarding(address: string, isOn: boolean): void {
    this.db
      .prepare('UPDATE forwarding SET is_on = ? WHERE address = ? AND is_confirmed = 1')
      .run(isOn ? 1 : 0, address);
  }

  /** Mails that are on their way to other places, the oldest first. */
  outgoing(): OutgoingMail[] {
    return this.db.prepare('SELECT * FROM outgoing ORDER BY id').all() as OutgoingMail[];
  }

  addOutgoing(raw: Buffer, sender: string, recipient: string): void {
    this.db.prepare('INSERT INTO outgoing (raw, sender, recipient) VALUES (?, ?, ?)').run(raw, sender, recipient);
  }

  countTry(id: number): void {
    this.db.prepare('UPDATE outgoing SET tries = tries + 1 WHERE id = ?').run(id);
  }

  removeOutgoing(id: number): void {
    this.db.prepare('DELETE FROM outgoing WHERE id = ?').run(id);
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
