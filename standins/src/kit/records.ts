import type Database from 'better-sqlite3';

/** What every kept record has besides its own content. */
export interface Kept {
  readonly id: number;
  readonly created_at: string;
  readonly updated_at: string;
}

interface Row {
  id: number;
  content: string;
  created_at: string;
  updated_at: string;
}

/** One kind of record in a practice app's data file: content as JSON, some names looked up by an index. */
export class RecordTable<T extends object> {
  constructor(
    private readonly db: Database.Database,
    readonly name: string,
    private readonly keys: readonly (keyof T & string)[],
    firstId: number,
  ) {
    db.exec(`CREATE TABLE IF NOT EXISTS ${name} (
      id INTEGER PRIMARY KEY AUTOINCREMENT, content TEXT NOT NULL, created_at TEXT NOT NULL, updated_at TEXT NOT NULL
      ${keys.map((key) => `, k_${key} TEXT`).join('')});
      CREATE INDEX IF NOT EXISTS ${name}_updated ON ${name} (updated_at, id);
      ${keys.map((key) => `CREATE INDEX IF NOT EXISTS ${name}_${key} ON ${name} (k_${key});`).join('\n')}
      INSERT OR IGNORE INTO sqlite_sequence (name, seq) SELECT '${name}', ${firstId - 1}
        WHERE NOT EXISTS (SELECT 1 FROM sqlite_sequence WHERE name = '${name}');`);
  }

  count(where: Partial<Record<string, string>> = {}): number {
    const { sql, values } = this.where(where);
    return (this.db.prepare(`SELECT count(*) AS n FROM ${this.name} ${sql}`).get(values) as { n: number }).n;
  }

  /** Records by their indexed names; in the order they last changed, or the newest first. */
  list(
    where: Partial<Record<string, string>>,
    {
      limit,
      offset = 0,
      since,
      newestFirst = false,
    }: { limit: number; offset?: number; since?: string | undefined; newestFirst?: boolean },
  ): (T & Kept)[] {
    const { sql, values } = this.where(where, since);
    const order = newestFirst ? 'id DESC' : 'updated_at, id';
    const rows = this.db
      .prepare(`SELECT * FROM ${this.name} ${sql} ORDER BY ${order} LIMIT @limit OFFSET @offset`)
      .all({ ...values, limit, offset }) as Row[];
    return rows.map(toRecord<T>);
  }

  /** A page in the order records last changed, going on from a cursor that this method gave. */
  page(
    limit: number,
    cursor: string | undefined,
    since: string | undefined,
    where: Partial<Record<string, string>> = {},
  ) {
    const [after = '', id = '0'] = cursor ? Buffer.from(cursor, 'base64url').toString().split('|') : [];
    const { sql, values } = this.where(where, since);
    const rows = this.db
      .prepare(
        `SELECT * FROM ${this.name} ${sql === '' ? 'WHERE' : `${sql} AND`}
         (updated_at > @after OR (updated_at = @after AND id > @id)) ORDER BY updated_at, id LIMIT @limit`,
      )
      .all({ ...values, after, id: Number(id), limit: limit + 1 }) as Row[];
    const data = rows.slice(0, limit).map(toRecord<T>);
    const last = data.at(-1);
    const next =
      rows.length > limit && last ? Buffer.from(`${last.updated_at}|${last.id}`).toString('base64url') : null;
    return { data, next_cursor: next };
  }

  get(id: number): (T & Kept) | undefined {
    const row = this.db.prepare(`SELECT * FROM ${this.name} WHERE id = ?`).get(id) as Row | undefined;
    return row && toRecord<T>(row);
  }

  /** Adds a record; the instants may be given for seeding. */
  add(content: T, createdAt = new Date().toISOString(), updatedAt = createdAt): T & Kept {
    const names = ['content', 'created_at', 'updated_at', ...this.keys.map((key) => `k_${key}`)];
    const result = this.db
      .prepare(`INSERT INTO ${this.name} (${names.join(', ')}) VALUES (${names.map(() => '?').join(', ')})`)
      .run(JSON.stringify(content), createdAt, updatedAt, ...this.keyValues(content));
    return this.get(Number(result.lastInsertRowid)) as T & Kept;
  }

  addAll(records: readonly { readonly content: T; readonly createdAt: string; readonly updatedAt?: string }[]): void {
    this.db.transaction(() => {
      for (const { content, createdAt, updatedAt } of records) this.add(content, createdAt, updatedAt);
    })();
  }

  change(id: number, change: Partial<T>, updatedAt = new Date().toISOString()): (T & Kept) | undefined {
    const before = this.get(id);
    if (!before) return undefined;
    const { id: _id, created_at: _created, updated_at: _updated, ...old } = before;
    const content = { ...old, ...change } as unknown as T;
    const sets = this.keys.map((key) => `, k_${key} = ?`).join('');
    this.db
      .prepare(`UPDATE ${this.name} SET content = ?, updated_at = ?${sets} WHERE id = ?`)
      .run(JSON.stringify(content), updatedAt, ...this.keyValues(content), id);
    return this.get(id);
  }

  remove(id: number): boolean {
    return this.db.prepare(`DELETE FROM ${this.name} WHERE id = ?`).run(id).changes > 0;
  }

  private keyValues(content: T): (string | null)[] {
    return this.keys.map((key) => {
      const value = content[key];
      return value === null || value === undefined || value === '' ? null : String(value).toLowerCase();
    });
  }

  private where(where: Partial<Record<string, string>>, since?: string) {
    const values: Record<string, string> = {};
    const parts = Object.entries(where).flatMap(([key, value]) => {
      if (value === undefined || !this.keys.includes(key as keyof T & string)) return [];
      values[`w_${key}`] = value.toLowerCase();
      return [`k_${key} = @w_${key}`];
    });
    if (since) {
      values['since'] = since;
      parts.push('updated_at >= @since');
    }
    return { sql: parts.length > 0 ? `WHERE ${parts.join(' AND ')}` : '', values };
  }
}

function toRecord<T extends object>(row: Row): T & Kept {
  return { id: row.id, ...(JSON.parse(row.content) as T), created_at: row.created_at, updated_at: row.updated_at };
}
