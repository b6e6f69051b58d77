import { type Comparison, levelsOf } from '../levels.ts';
import { isOneSlip } from '../text/edit-distance.ts';
import { type Column, hashText, type KeyParts, type Verdicts } from './column.ts';
import { Tally } from './dictionary.ts';
import { GrowingInts } from './growing.ts';

const levels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.8, byChance: 0.00005 },
  { name: 'day and month swapped', bearing: 'agrees', expected: 0.02, byChance: 0.00003 },
  { name: 'one digit differs', bearing: 'agrees', expected: 0.08, byChance: 0.001 },
  { name: 'year, month or day differs', bearing: 'alike', expected: 0.06, byChance: 0.003 },
  { name: 'one part agrees', bearing: 'differs', expected: 0.02, byChance: 0.12 },
  { name: 'differs', bearing: 'differs', expected: 0.02, byChance: 0.87 },
);

/** Reads a date out of a record's texts as year, month and day; 0 for a part that isn't there. */
export type DateReader = (record: readonly string[]) => readonly [number, number, number];

/** A date from three fields of numbers. */
export function partsReader(year: number | undefined, month: number | undefined, day: number | undefined): DateReader {
  const read = (record: readonly string[], field: number | undefined): number =>
    field === undefined ? 0 : Number.parseInt(record[field] as string, 10) || 0;
  return (record) => [read(record, year), read(record, month), read(record, day)];
}

/** Dates: the same, slips that people make in dates, or others. */
export class DateColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly cells = new GrowingInts();
  /** How often each year, month and day occurs. */
  private readonly counts = [new Tally(), new Tally(), new Tally()] as const;
  readonly held = [this.cells, ...this.counts];

  constructor(
    private readonly read: DateReader,
    fields: readonly number[],
    label: string,
  ) {
    const leastByChance = (): number => this.counts.reduce((product, part) => product * part.chanceOfSame(), 1);
    this.comparisons = [{ key: `date:${fields.join('+')}`, label, fields, aspect: 'who', levels, leastByChance }];
  }

  add(record: readonly string[]): void {
    for (const [index, part] of this.read(record).entries()) {
      this.cells.push(part);
      if (part !== 0) this.counts[index]?.add(part, 1);
    }
  }

  forget(record: number): void {
    for (const [index, counts] of this.counts.entries()) {
      const part = this.cells.at(record * 3 + index);
      if (part !== 0) counts.add(part, -1);
    }
  }

  compare(a: number, b: number, verdicts: Verdicts, at: number): void {
    verdicts.shares[at] = 1;
    verdicts.levels[at] = this.level(a * 3, b * 3);
  }

  private level(a: number, b: number): number {
    const [yearA, monthA, dayA] = [this.cells.at(a), this.cells.at(a + 1), this.cells.at(a + 2)];
    const [yearB, monthB, dayB] = [this.cells.at(b), this.cells.at(b + 1), this.cells.at(b + 2)];
    const isEmptyA = yearA === 0 && monthA === 0 && dayA === 0;
    const isEmptyB = yearB === 0 && monthB === 0 && dayB === 0;
    if (isEmptyA || isEmptyB) return isEmptyA && isEmptyB ? 0 : 1;
    // A part that one side doesn't have can't differ.
    const isYear = yearA === yearB || yearA === 0 || yearB === 0;
    const isMonth = monthA === monthB || monthA === 0 || monthB === 0;
    const isDay = dayA === dayB || dayA === 0 || dayB === 0;
    const agreeing = Number(isYear) + Number(isMonth) + Number(isDay);
    if (agreeing === 3) return 2;
    if (isYear && monthA === dayB && dayA === monthB) return 3;
    if (agreeing === 2) {
      const [one, other] = !isYear ? [yearA, yearB] : !isMonth ? [monthA, monthB] : [dayA, dayB];
      const written = (part: number): string => String(part).padStart(2, '0');
      return isOneSlip(written(one), written(other)) ? 4 : 5;
    }
    return agreeing === 1 ? 6 : 7;
  }

  parts(record: number, parts: KeyParts): void {
    const [year, month, day] = [
      this.cells.at(record * 3),
      this.cells.at(record * 3 + 1),
      this.cells.at(record * 3 + 2),
    ];
    if (year > 0 && month > 0 && day > 0) parts.date.push(hashText(`${year}-${month}-${day}`));
    if (year > 0 && month > 0) parts.yearMonth.push(hashText(`ym${year}-${month}`));
    if (year > 0 && day > 0) parts.yearMonth.push(hashText(`yd${year}-${day}`));
    if (month > 0 && day > 0) parts.monthDay.push(hashText(`${month}-${day}`), hashText(`${day}-${month}`));
  }
}
