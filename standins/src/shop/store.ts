import Database from 'better-sqlite3';
import { Sales } from './sales.ts';
import { ShopWebhooks } from './webhooks.ts';

/** A customer as the shop keeps it. */
export interface Customer {
  readonly id: number;
  readonly first_name: string | null;
  readonly last_name: string | null;
  readonly company: string | null;
  readonly email: string | null;
  readonly phone: string | null;
  readonly account_type: 'trade' | 'hobby';
  readonly vat_number: string | null;
  readonly address: {
    readonly street: string | null;
    readonly city: string | null;
    readonly postcode: string | null;
    readonly country: string | null;
  };
  readonly newsletter: boolean;
  readonly created_at: string;
  readonly updated_at: string;
}
export type CustomerInput = Omit<Customer, 'id' | 'created_at' | 'updated_at'>;

interface Row {
  id: number;
  content: string;
  created_at: string;
  updated_at: string;
}

/** A page of customers in the order they last changed, with the cursor to go on from. */
export interface CustomerPage {
  readonly data: readonly Customer[];
  readonly next_cursor: string | null;
}

/** The shop's own data file. */
export class ShopStore {
  private readonly db: Database.Database;
  /** Products, orders and refunds. */
  readonly sales: Sales;
  readonly webhooks: ShopWebhooks;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.db.exec(`CREATE TABLE IF NOT EXISTS customer (
      id INTEGER PRIMARY KEY AUTOINCREMENT, content TEXT NOT NULL, email TEXT, created_at TEXT NOT NULL, updated_at TEXT NOT NULL);
      CREATE INDEX IF NOT EXISTS customer_updated ON customer (updated_at, id);
      CREATE INDEX IF NOT EXISTS customer_email ON customer (email);
      INSERT OR IGNORE INTO sqlite_sequence (name, seq) SELECT 'customer', 10000 WHERE NOT EXISTS (SELECT 1 FROM sqlite_sequence WHERE name = 'customer');`);
    this.sales = new Sales(this.db);
    this.webhooks = new ShopWebhooks(this.db);
  }

  close(): void {
    this.db.close();
  }

  count(): number {
    return (this.db.prepare('SELECT count(*) AS n FROM customer').get() as { n: number }).n;
  }

  /** Customers changed at or after `since`, or going on from a cursor that this method gave. */
  page(limit: number, cursor: string | undefined, since: string | undefined, email: string | undefined): CustomerPage {
    const [after, id] = cursor ? readCursor(cursor) : ['', 0];
    const rows = this.db
      .prepare(
        `SELECT * FROM customer WHERE (updated_at > @after OR (updated_at = @after AND id > @id))
         AND (@since IS NULL OR updated_at >= @since) AND (@email IS NULL OR email = @email)
         ORDER BY updated_at, id LIMIT @limit`,
      )
      .all({ after, id, since: since ?? null, email: email?.toLowerCase() ?? null, limit: limit + 1 }) as Row[];
    const data = rows.slice(0, limit).map(toCustomer);
    const last = data.at(-1);
    return { data, next_cursor: rows.length > limit && last ? writeCursor(last) : null };
  }

  search(text: string, limit: number, offset: number): Customer[] {
    const rows = this.db
      .prepare(
        'SELECT * FROM customer WHERE content LIKE ? OR id = ? ORDER BY updated_at DESC, id DESC LIMIT ? OFFSET ?',
      )
      .all(`%${text}%`, Number(text) || -1, limit, offset) as Row[];
    return rows.map(toCustomer);
  }

  get(id: number): Customer | undefined {
    const row = this.db.prepare('SELECT * FROM customer WHERE id = ?').get(id) as Row | undefined;
    return row && toCustomer(row);
  }

  /** Adds a customer; the instants may be given for seeding. */
  add(input: CustomerInput, createdAt = new Date().toISOString(), updatedAt = createdAt): Customer {
    const result = this.db
      .prepare('INSERT INTO customer (content, email, created_at, updated_at) VALUES (?, ?, ?, ?)')
      .run(JSON.stringify(input), input.email?.toLowerCase() ?? null, createdAt, updatedAt);
    return this.get(Number(result.lastInsertRowid)) as Customer;
  }

  addAll(
    inputs: readonly { readonly input: CustomerInput; readonly createdAt: string; readonly updatedAt: string }[],
  ): void {
    this.db.transaction(() => {
      for (const { input, createdAt, updatedAt } of inputs) this.add(input, createdAt, updatedAt);
    })();
  }

  change(id: number, change: Partial<CustomerInput>): Customer | undefined {
    const before = this.get(id);
    if (!before) return undefined;
    const { id: _id, created_at: _created, updated_at: _updated, ...old } = before;
    const input = { ...old, ...change, address: { ...old.address, ...change.address } };
    this.db
      .prepare('UPDATE customer SET content = ?, email = ?, updated_at = ? WHERE id = ?')
      .run(JSON.stringify(input), input.email?.toLowerCase() ?? null, new Date().toISOString(), id);
    return this.get(id);
  }

  remove(id: number): boolean {
    return this.db.prepare('DELETE FROM customer WHERE id = ?').run(id).changes > 0;
  }
}

function toCustomer(row: Row): Customer {
  return { id: row.id, ...JSON.parse(row.content), created_at: row.created_at, updated_at: row.updated_at };
}

function writeCursor(customer: Customer): string {
  return Buffer.from(`${customer.updated_at}|${customer.id}`).toString('base64url');
}

function readCursor(cursor: string): [string, number] {
  const [after = '', id = '0'] = Buffer.from(cursor, 'base64url').toString().split('|');
  return [after, Number(id)];
}
