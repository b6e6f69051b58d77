import { readDate } from '../values/dates.ts';
import { readNumber } from '../values/numbers.ts';
import { AmountColumn, TextColumn } from './compare/amount-and-text.ts';
import { type Column, hashText, type KeyParts, noParts, type Verdicts } from './compare/column.ts';
import { CompanyColumn } from './compare/company.ts';
import { CodeColumn, EmailColumn, PhoneColumn } from './compare/contact.ts';
import { DateColumn, type DateReader, partsReader } from './compare/dates.ts';
import { NameColumn } from './compare/names.ts';
import { LocalityColumn, StreetColumn } from './compare/place.ts';
import type { FieldKind } from './kinds.ts';
import type { Comparison } from './levels.ts';
import type { EmailHabits } from './normalise/email.ts';
import type { Storable } from './storable.ts';

/** A table put aside: what each of its columns holds. */
export interface StoredTable {
  readonly size: number;
  readonly prints: Float64Array;
  readonly columns: readonly (readonly unknown[])[];
}

/** A field of the records to match. */
export interface MatchField {
  readonly name: string;
  readonly kind: FieldKind;
}

/** Who or what the records are: people may share everything that says where they are found. */
export type Subject = 'people' | 'organisations';

/** People, where any field names them by given name, family name or birth; else organisations. */
export function subjectOf(fields: readonly MatchField[]): Subject {
  return fields.some(({ kind }) => ['given_name', 'family_name', 'full_name'].includes(kind))
    ? 'people'
    : 'organisations';
}

function columnsOf(fields: readonly MatchField[], subject: Subject, habits: EmailHabits): Column[] {
  const at = (kind: FieldKind): number[] => fields.flatMap((field, index) => (field.kind === kind ? [index] : []));
  const label = (index: number): string => (fields[index] as MatchField).name;
  const columns: Column[] = [];
  const names = { given: at('given_name'), family: at('family_name'), full: at('full_name') };
  if (names.given.length + names.family.length + names.full.length > 0) columns.push(new NameColumn(names));
  const [year, month, day] = [at('year')[0], at('month')[0], at('day')[0]];
  const parts = [year, month, day].filter((one) => one !== undefined);
  if (parts.length > 0) columns.push(new DateColumn(partsReader(year, month, day), parts, parts.map(label).join(', ')));
  for (const index of at('date')) {
    const read: DateReader = (record) => {
      const reading = readDate(record[index] as string, 'UTC', 'day_first');
      return reading.ok ? (reading.date.split('-').map(Number) as [number, number, number]) : [0, 0, 0];
    };
    columns.push(new DateColumn(read, [index], label(index)));
  }
  // A firm says who an organisation is, and where a person is found.
  const ofFirm = subject === 'people' ? 'where' : 'who';
  for (const index of at('company')) columns.push(new CompanyColumn(index, label(index), ofFirm));
  for (const index of at('email')) columns.push(new EmailColumn(index, label(index), habits));
  for (const index of at('phone')) columns.push(new PhoneColumn(index, label(index), at('country')[0]));
  for (const index of at('tax_number'))
    columns.push(new CodeColumn(index, label(index), 'tax_number', ofFirm, at('country')[0]));
  for (const index of at('street')) columns.push(new StreetColumn(index, label(index)));
  const [postcode, city] = [at('postcode')[0], at('city')[0]];
  const locality = [postcode, city].filter((one) => one !== undefined);
  if (locality.length > 0) columns.push(new LocalityColumn(postcode, city, locality.map(label).join(', ')));
  for (const index of at('address')) columns.push(new TextColumn(index, label(index), 'where'));
  for (const index of at('code')) columns.push(new CodeColumn(index, label(index), 'code', 'who'));
  for (const index of at('amount'))
    columns.push(
      new AmountColumn(index, label(index), (text) => {
        const reading = readNumber(text, 'point');
        return reading.ok ? Number(reading.number) : undefined;
      }),
    );
  for (const index of at('text')) columns.push(new TextColumn(index, label(index), 'who'));
  return columns;
}

/**
 * All records to match, normalised once. Records are numbered in the order they are added; comparing
 * two of them gives a level for every comparison.
 */
export class MatchTable implements Storable<StoredTable> {
  readonly subject: Subject;
  readonly comparisons: readonly Comparison[];
  private readonly columns: readonly Column[];
  /** Columns that bear on who a record is stand first, so that a hopeless pair is dropped after them. */
  private readonly whoColumns: readonly Column[];
  private readonly whereColumns: readonly Column[];
  /** How many comparisons the columns that bear on who have. */
  readonly whoWidth: number;
  /** Which comparison of streets a comparison of towns makes needless. */
  private readonly implied: readonly { readonly street: number; readonly locality: number }[];
  /** What each record holds, as a number: equal for equal records. */
  private prints: number[] = [];
  size = 0;

  constructor(
    readonly fields: readonly MatchField[],
    habits: EmailHabits = {},
  ) {
    this.subject = subjectOf(fields);
    const columns = columnsOf(fields, this.subject, habits);
    const isWho = (column: Column): boolean => column.comparisons.some(({ aspect }) => aspect === 'who');
    this.whoColumns = columns.filter(isWho);
    this.whereColumns = columns.filter((column) => !isWho(column));
    this.columns = [...this.whoColumns, ...this.whereColumns];
    this.whoWidth = this.whoColumns.reduce((sum, { comparisons }) => sum + comparisons.length, 0);
    this.comparisons = this.columns.flatMap((column) => column.comparisons);
    const at = (kind: string): number[] =>
      this.comparisons.flatMap(({ key }, one) => (key.startsWith(`${kind}:`) ? [one] : []));
    this.implied = at('street').flatMap((street) => at('locality').map((locality) => ({ street, locality })));
  }

  /** Adds a record, a text for each field ('' where it has none), and gives its number. */
  add(record: readonly string[]): number {
    for (const column of this.columns) column.add(record);
    this.prints.push(hashText(record.join('\n')));
    return this.size++;
  }

  /** No more records come: what only adding needs is let go, a third of what a large table holds. */
  complete(): void {
    for (const column of this.columns) column.complete?.();
  }

  /** A record that was put in only to be compared, or that is no more: how common its values are doesn't count it. */
  forget(record: number): void {
    for (const column of this.columns) column.forget(record);
  }

  /**
   * The records in an order of what they hold, the first `side` of the table before the others: what
   * is drawn and decided in it doesn't depend on the order in which they were added.
   */
  inOrder(side = 0): Int32Array {
    const { prints } = this;
    const sorted = (from: number, to: number): Int32Array =>
      Int32Array.from({ length: to - from }, (_, at) => from + at).sort(
        (a, b) => (prints[a] as number) - (prints[b] as number) || a - b,
      );
    const all = new Int32Array(this.size);
    all.set(sorted(0, side));
    all.set(sorted(side, this.size), side);
    return all;
  }

  /** Whether something of the two can't belong to one: tax numbers of two firms. */
  conflicts(a: number, b: number): boolean {
    return this.columns.some((column) => column.conflicts?.(a, b));
  }

  /** Room for the answers of one comparison of two records. */
  room(): Verdicts {
    return { levels: new Uint8Array(this.comparisons.length), shares: new Float64Array(this.comparisons.length) };
  }

  /** Compares two records in everything, into `verdicts`. */
  compare(a: number, b: number, verdicts: Verdicts): void {
    this.compareWho(a, b, verdicts);
    this.compareWhere(a, b, verdicts);
  }

  /** The first half of `compare`: the columns that bear on who they are. */
  compareWho(a: number, b: number, verdicts: Verdicts): void {
    let at = 0;
    for (const column of this.whoColumns) {
      column.compare(a, b, verdicts, at);
      at += column.comparisons.length;
    }
  }

  /** The other half of `compare`. */
  compareWhere(a: number, b: number, verdicts: Verdicts): void {
    let at = this.whoWidth;
    for (const column of this.whereColumns) {
      column.compare(a, b, verdicts, at);
      at += column.comparisons.length;
    }
    this.leaveOutImplied(verdicts);
  }

  /** In another town the street is another one as well: that it differs says nothing once more. */
  private leaveOutImplied({ levels, shares }: Verdicts): void {
    for (const { street, locality } of this.implied) {
      const there = this.comparisons[locality] as Comparison;
      if (there.levels[levels[locality] as number]?.bearing !== 'differs') continue;
      levels[street] = Math.min(levels[street] as number, 1);
      shares[street] = 1;
    }
  }

  stored(): StoredTable {
    return {
      size: this.size,
      prints: Float64Array.from(this.prints),
      columns: this.columns.map(({ held }) => held.map((one) => one.stored())),
    };
  }

  /** Takes up what a table over the same fields put aside. */
  restore({ size, prints, columns }: StoredTable): void {
    this.size = size;
    this.prints = [...prints];
    for (const [at, column] of this.columns.entries()) {
      for (const [part, one] of column.held.entries()) one.restore(columns[at]?.[part]);
      column.restored?.();
    }
  }

  /** What a record can be found by. */
  partsOf(record: number): KeyParts {
    const parts = noParts();
    for (const column of this.columns) column.parts(record, parts);
    return parts;
  }
}
