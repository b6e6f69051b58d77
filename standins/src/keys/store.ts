import Database from 'better-sqlite3';
import { type Kept, RecordTable } from '../kit/records.ts';

/** One of several values of an attribute (RFC 7643 section 2.4). */
export interface Multi {
  readonly value: string;
  readonly type?: string;
  readonly primary?: boolean;
}

/** A user account as it is kept. */
export interface Account {
  readonly userName: string;
  readonly externalId: string | null;
  readonly name: { readonly givenName: string | null; readonly familyName: string | null };
  readonly displayName: string | null;
  readonly title: string | null;
  readonly department: string | null;
  readonly emails: readonly Multi[];
  readonly phoneNumbers: readonly Multi[];
  /** Who isn't active yet can't sign in. */
  readonly active: boolean;
}

/** A group with the ids of the accounts in it. */
export interface Group {
  readonly displayName: string;
  readonly externalId: string | null;
  readonly members: readonly number[];
}

/** The Key cabinet's own data file. */
export class KeyStore {
  readonly accounts: RecordTable<Account>;
  readonly groups: RecordTable<Group>;
  private readonly db: Database.Database;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.accounts = new RecordTable<Account>(this.db, 'account', ['userName', 'externalId'], 160_001);
    this.groups = new RecordTable<Group>(this.db, 'account_group', ['displayName', 'externalId'], 170_001);
  }

  close(): void {
    this.db.close();
  }

  /** The groups that an account is in. */
  groupsOf(id: number): (Group & Kept)[] {
    return this.allGroups().filter(({ members }) => members.includes(id));
  }

  allGroups(): (Group & Kept)[] {
    return this.groups.list({}, { limit: 1000 });
  }

  /** An account goes with its memberships. */
  remove(id: number): boolean {
    for (const group of this.groupsOf(id))
      this.groups.change(group.id, { members: group.members.filter((one) => one !== id) });
    return this.accounts.remove(id);
  }
}

/** An account with nothing in it but its name. */
export const blank = (userName: string): Account => ({
  userName,
  externalId: null,
  name: { givenName: null, familyName: null },
  displayName: null,
  title: null,
  department: null,
  emails: [],
  phoneNumbers: [],
  active: true,
});
