import { createHash } from 'node:crypto';
import {
  type FieldDifference,
  figuresOf,
  type JsonRecord,
  type MadeThere,
  type Reconciled,
  type ReconcileFigures,
  Reconciler,
  type ReconcileSetting,
  RecordComparison,
  recordTitle,
  type Side,
  type WorkflowVersion,
} from '@golden/core';
import SQLite from 'better-sqlite3';
import type { ReconcileRowTable } from '../db/schema.ts';

/** A record as its copy has it: its id, and its JSON. */
export type CopiedRecord = readonly [id: string, content: string];

type FoundKind = ReconcileRowTable['kind'];

/** Records that aren't the same on both sides, with all that they hold. */
export interface FoundRow {
  readonly kind: FoundKind;
  readonly title: string;
  readonly left: readonly { readonly id: string; readonly record: JsonRecord }[];
  readonly right: readonly { readonly id: string; readonly record: JsonRecord }[];
  /** Of a pair that differs. */
  readonly differences: readonly FieldDifference[];
}

/** What a whole look came to. */
export interface Looked {
  readonly figures: ReconcileFigures;
  /** Records here that a condition leaves out: they aren't compared. */
  readonly leftOut: number;
  readonly rows: number;
}

/**
 * What the worker does for a comparison: it takes the records of both sides one after the other into a file of its own
 * that nobody else sees, so that memory stays as it is however many come, and tells what isn't the same. Every method
 * takes and gives plain data.
 */
export class ReconcileHost {
  private db: SQLite.Database | undefined;
  private comparison: RecordComparison | undefined;
  private reconciler: Reconciler | undefined;
  private found: Reconciled | undefined;
  /** All that isn't a pair, in the order in which it is told. */
  private listed: readonly Other[] | undefined;

  /** Begins a look; what an earlier one knew is forgotten. @throws CannotCompare */
  begin(setting: ReconcileSetting, version: Omit<WorkflowVersion, 'content'>, takenAt: string): void {
    this.comparison = new RecordComparison(setting, version, takenAt);
    this.reconciler = new Reconciler(this.comparison.rungs);
    this.found = undefined;
    this.listed = undefined;
    this.db?.close();
    // A file without a name: SQLite makes it, and it goes with the connection.
    this.db = new SQLite('');
    this.db.pragma('journal_mode = OFF');
    this.db.exec('CREATE TABLE copy (side TEXT, id TEXT, content TEXT, PRIMARY KEY (side, id)) WITHOUT ROWID');
  }

  /** Takes in some records of a side. One that comes twice in a listing is one record, as it came last. */
  put(side: Side, records: readonly CopiedRecord[]): void {
    const { db } = this.begun();
    const insert = db.prepare(
      'INSERT INTO copy VALUES (?, ?, ?) ON CONFLICT (side, id) DO UPDATE SET content = excluded.content',
    );
    db.transaction(() => {
      for (const [id, content] of records) insert.run(side, id, content);
    })();
  }

  /** Tells what it came to, once all are there. */
  finish(links: readonly (readonly [left: string, right: string])[]): Looked {
    const { db, comparison, reconciler } = this.begun();
    let leftOut = 0;
    for (const side of ['left', 'right'] as const) {
      const all = db.prepare('SELECT id, content FROM copy WHERE side = ? ORDER BY id');
      for (const row of all.iterate(side) as Iterable<{ id: string; content: string }>) {
        const compared = comparison[side](JSON.parse(row.content) as JsonRecord);
        if (!compared) leftOut += 1;
        else reconciler.add(side, row.id, compared.keys, digestOf(compared.forms));
      }
    }
    for (const [left, right] of links) reconciler.link(left, right);
    const found = reconciler.finish();
    this.found = found;
    const figures = figuresOf(found);
    const { differ, onlyLeft, onlyRight, doubled, unclear } = figures;
    return { figures, leftOut, rows: differ + onlyLeft + onlyRight + doubled + unclear };
  }

  /** The ids of those there that differ from one here, to learn what was sent to them. */
  differing(from: number, limit: number): readonly string[] {
    return this.ended()
      .differ.slice(from, from + limit)
      .map(({ right }) => right);
  }

  /**
   * Some of the pairs that look different, with what differs; none where it comes down to what the app made of it.
   *
   * @param made - by the id of the record there, each that was sent something
   */
  differences(from: number, limit: number, made: Readonly<Record<string, readonly MadeThere[]>>): readonly FoundRow[] {
    const { comparison } = this.begun();
    return this.ended()
      .differ.slice(from, from + limit)
      .flatMap(({ left, right }): FoundRow[] => {
        const [here, there] = [this.record('left', left), this.record('right', right)];
        const [one, other] = [comparison.left(here), comparison.right(there)];
        const differences = one ? comparison.differences(one, other, made[right] ?? []) : [];
        if (differences.length === 0) return [];
        return [
          {
            kind: 'differ',
            title: recordTitle(here),
            left: [{ id: left, record: here }],
            right: [{ id: right, record: there }],
            differences,
          },
        ];
      });
  }

  /** Some of the others: only here, only there, doubled, unclear, in this order. */
  others(from: number, limit: number): readonly FoundRow[] {
    this.listed ??= listOthers(this.ended());
    return this.listed.slice(from, from + limit).map(([kind, left, right]) => {
      const read = (side: Side, ids: readonly string[]) => ids.map((id) => ({ id, record: this.record(side, id) }));
      const [here, there] = [read('left', left), read('right', right)];
      return {
        kind,
        title: recordTitle((here[0] ?? there[0])?.record ?? {}),
        left: here,
        right: there,
        differences: [],
      };
    });
  }

  private record(side: Side, id: string): JsonRecord {
    const { db } = this.begun();
    const row = db.prepare('SELECT content FROM copy WHERE side = ? AND id = ?').get(side, id) as { content: string };
    return JSON.parse(row.content) as JsonRecord;
  }

  private begun() {
    const { db, comparison, reconciler } = this;
    if (!db || !comparison || !reconciler) throw new Error('Nothing was begun.');
    return { db, comparison, reconciler };
  }

  private ended(): Reconciled {
    if (!this.found) throw new Error('Nothing was finished.');
    return this.found;
  }
}

type Other = readonly [kind: FoundKind, left: readonly string[], right: readonly string[]];

function listOthers({ onlyLeft, onlyRight, doubled, unclear }: Reconciled): Other[] {
  return [
    ...onlyLeft.map((id): Other => ['only_left', [id], []]),
    ...onlyRight.map((id): Other => ['only_right', [], [id]]),
    ...doubled.map(({ left, right }): Other => ['doubled', left, right]),
    ...unclear.map(({ left, right }): Other => ['unclear', left, right]),
  ];
}

/** The same exactly when all forms are (but for one chance in 2^160). */
const digestOf = (forms: readonly string[]): string =>
  createHash('sha1').update(JSON.stringify(forms)).digest('base64');
