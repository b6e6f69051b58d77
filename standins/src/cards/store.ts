import Database from 'better-sqlite3';
import { RecordTable } from '../kit/records.ts';
import { type Attribute, builtIn, type CardType } from './types.ts';

/** A record of any type. */
export interface Card {
  readonly type: string;
  readonly attributes: Readonly<Record<string, unknown>>;
  /** Name of the relationship → the id of the record it leads to. */
  readonly relationships: Readonly<Record<string, string | null>>;
  readonly archived: boolean;
  /** The record that it was merged into. */
  readonly mergedInto: string | null;
}

export type KeptCard = Card & { readonly id: number; readonly created_at: string; readonly updated_at: string };

/** The Card index's own data file. */
export class CardStore {
  readonly db: Database.Database;
  private readonly tables = new Map<string, RecordTable<Card>>();

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.db.exec(`CREATE TABLE IF NOT EXISTS own_field (type TEXT NOT NULL, content TEXT NOT NULL);
      CREATE TABLE IF NOT EXISTS own_type (name TEXT PRIMARY KEY, singular TEXT NOT NULL);
      CREATE TABLE IF NOT EXISTS answered (key TEXT PRIMARY KEY, status INTEGER NOT NULL, body TEXT NOT NULL)`);
  }

  /** All record types with the fields that the owner added. */
  types(): CardType[] {
    const own = this.db.prepare('SELECT name, singular FROM own_type ORDER BY name').all() as {
      name: string;
      singular: string;
    }[];
    const fields = this.db.prepare('SELECT type, content FROM own_field ORDER BY rowid').all() as {
      type: string;
      content: string;
    }[];
    const added = (name: string): Attribute[] =>
      fields.flatMap((one) => (one.type === name ? [{ ...(JSON.parse(one.content) as Attribute), isOwn: true }] : []));
    return [
      ...builtIn.map((type) => ({ ...type, attributes: [...type.attributes, ...added(type.name)] })),
      ...own.map(
        ({ name, singular }): CardType => ({
          name,
          singular,
          attributes: [{ name: 'name', kind: 'text', maxLength: 100, isRequired: true }, ...added(name)],
          relationships: { person: 'people', company: 'companies' },
          isOwn: true,
        }),
      ),
    ];
  }

  type(name: string): CardType | undefined {
    return this.types().find((type) => type.name === name);
  }

  addType(name: string, singular: string): void {
    this.db.prepare('INSERT INTO own_type (name, singular) VALUES (?, ?)').run(name, singular);
  }

  addField(type: string, attribute: Attribute): void {
    this.db.prepare('INSERT INTO own_field (type, content) VALUES (?, ?)').run(type, JSON.stringify(attribute));
  }

  /** The records of a type. */
  of(type: string): RecordTable<Card> {
    const known = this.tables.get(type);
    if (known) return known;
    const first = 2001 + builtIn.findIndex((one) => one.name === type) * 2000;
    const table = new RecordTable<Card>(this.db, `card_${type.replace(/[^a-z0-9_]/g, '_')}`, [], Math.max(first, 2001));
    this.tables.set(type, table);
    return table;
  }

  /** Records in the order they last changed; the archived ones only when asked for. */
  list(
    type: string,
    limit: number,
    cursor: string | undefined,
    since: string | undefined,
    fits: (card: KeptCard) => boolean,
  ): { data: KeptCard[]; next: string | null } {
    const data: KeptCard[] = [];
    let next = cursor;
    for (;;) {
      const page = this.of(type).page(Math.max(limit, 100), next, since);
      for (const card of page.data) {
        if (!fits(card)) continue;
        data.push(card);
        if (data.length === limit) return { data, next: cursorAfter(card) };
      }
      if (page.next_cursor === null) return { data, next: null };
      next = page.next_cursor;
    }
  }

  /** Every record that leads to this one: its type, its id, and by which relationship. */
  leadingTo(type: string, id: string): { readonly type: string; readonly id: number; readonly by: string }[] {
    return this.types().flatMap((one) =>
      Object.entries(one.relationships).flatMap(([by, to]) => {
        if (to !== type) return [];
        const rows = this.of(one.name).list({}, { limit: 1_000_000 });
        return rows.flatMap((card) => (card.relationships[by] === id ? [{ type: one.name, id: card.id, by }] : []));
      }),
    );
  }

  /** Makes one record of two: what leads to the other leads to the survivor, the other is put away. */
  merge(type: string, survivor: number, other: number): KeptCard | undefined {
    const table = this.of(type);
    return this.db.transaction(() => {
      for (const one of this.leadingTo(type, String(other))) {
        const card = this.of(one.type).get(one.id);
        if (card)
          this.of(one.type).change(one.id, { relationships: { ...card.relationships, [one.by]: String(survivor) } });
      }
      table.change(other, { archived: true, mergedInto: String(survivor) });
      return table.change(survivor, {});
    })();
  }

  /** The answer that was given to a request with this key. */
  answered(key: string): { status: number; body: string } | undefined {
    return this.db.prepare('SELECT status, body FROM answered WHERE key = ?').get(key) as never;
  }

  noteAnswered(key: string, status: number, body: string): void {
    this.db.prepare('INSERT OR IGNORE INTO answered (key, status, body) VALUES (?, ?, ?)').run(key, status, body);
  }

  close(): void {
    this.db.close();
  }
}

/** A cursor that goes on after a record, as `RecordTable.page` reads it. */
const cursorAfter = ({ updated_at, id }: KeptCard): string => Buffer.from(`${updated_at}|${id}`).toString('base64url');
