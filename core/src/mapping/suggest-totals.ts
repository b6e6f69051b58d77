import Decimal from 'decimal.js';
import type { Field } from '../values/field.ts';
import { everyItem } from '../values/paths.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import { isRecord, type JsonRecord, toText, type Value } from '../values/value.ts';
import type { Filling, Ref } from './filling.ts';
import { type LineRole, lineRoleOf, type TotalRole, totalRoleOf } from './money-roles.ts';

/** A filling of an amount with the sentence that says why. */
export interface SuggestedAmount {
  readonly filling: Filling;
  readonly reason: string;
}

/** Amounts differ by so much at the most where each of several was rounded by itself. */
const tolerance = 0.05;
/** So many of the samples have to agree, and at least so many have to be there to say anything. */
const [mostAgree, fewest] = [0.9, 3];

/** Rates of tax that are usual in Europe (common practice). */
const usualRates = [0, 5, 5.5, 6, 7, 9, 10, 13, 19, 20, 21, 22, 23, 24, 25];
/** What the tax of a document may be off by, where that of each rate is rounded by itself to two decimals. */
const roundedApart = 0.015;

/** An order, a sale or an invoice by what its amounts mean, checked on samples. */
export class Sale {
  readonly totals: ReadonlyMap<TotalRole, Field>;
  readonly list: Field | undefined;
  readonly line: ReadonlyMap<LineRole, Field>;
  private readonly checks = new Map<string, boolean | undefined>();

  constructor(
    fields: readonly Field[],
    readonly records: readonly JsonRecord[],
    /** What a record is called in formulas: `order`. */
    private readonly alias: string,
    readonly step: string,
  ) {
    this.totals = firstByRole(fields, totalRoleOf);
    this.list = fields.find((field) => field.fields?.some((inner) => lineRoleOf(inner) === 'quantity'));
    this.line = firstByRole(this.list?.fields ?? [], lineRoleOf);
  }

  /** How an amount of this meaning is given by the sale: by a field of its own, or computed; undefined where the samples say otherwise. */
  total(role: TotalRole): SuggestedAmount | undefined {
    const own = this.totals.get(role);
    if (own && this.holds(role) !== false)
      return {
        filling: { kind: 'field', ref: this.ref(own.path), tidies: [] },
        reason: this.holds(role) ? 'means the same amount, and the sums agree in the samples' : 'means the same amount',
      };
    switch (role) {
      case 'lines':
        return this.computed(this.sumOfLines(), 'the sum of the lines (BR-CO-10)', this.linesHold());
      case 'exclusive':
        return this.computed(this.withoutTax(), 'lines − allowances + charges (BR-CO-13)', this.totalsHold());
      case 'inclusive': {
        const [net, tax] = [this.totals.get('exclusive') && this.name('exclusive'), this.name('tax')];
        return net && tax
          ? this.computed(`${net} + ${tax}`, 'the amount without tax + tax (BR-CO-15)', true)
          : undefined;
      }
      case 'payable': {
        const [total, paid] = [this.name('inclusive'), this.name('prepaid')];
        if (!total || this.holds('inclusive') === false) return undefined;
        return this.computed(
          paid ? `${total} - ${paid}` : total,
          'the amount with tax − what was paid (BR-CO-16)',
          true,
        );
      }
      default:
        return undefined;
    }
  }

  /** The one rate of tax that charges were taxed at in all samples; undefined where that can't be told. */
  chargeRate(): string | undefined {
    const fitting = usualRates.map((rate) => ({ rate, count: 0 }));
    let charged = 0;
    for (const record of this.records) {
      const [charge, tax, lines] = [this.read(record, 'charge'), this.read(record, 'tax'), this.taxOfLines(record)];
      if (!charge || charge.lessThan(1) || !tax || !lines) continue;
      charged += 1;
      for (const one of fitting) {
        const off = tax.minus(lines).minus(charge.times(one.rate).dividedBy(100)).abs();
        if (off.lessThanOrEqualTo(roundedApart)) one.count += 1;
      }
    }
    const [found, other] = fitting.filter(({ count }) => count >= Math.max(fewest, charged * mostAgree));
    return found && !other ? String(found.rate) : undefined;
  }

  /** Whether quantity × price − allowance is the net amount of the lines. */
  linesHold(): boolean | undefined {
    return this.agreed('lines', (record) =>
      this.itemsOf(record).map((item) => {
        const of = (role: LineRole): Decimal | undefined => this.inLine(item, role);
        const [quantity, price, net] = [of('quantity'), of('price'), of('net')];
        if (!quantity || !price || !net) return undefined;
        return quantity
          .times(price)
          .minus(of('allowance') ?? 0)
          .minus(net);
      }),
    );
  }

  /** Whether the amount with tax less the tax is the lines less allowances with charges. */
  totalsHold(): boolean | undefined {
    return this.agreed('totals', (record) => {
      const [total, tax, lines] = [this.read(record, 'inclusive'), this.read(record, 'tax'), this.linesOf(record)];
      if (!total || !tax || !lines) return [undefined];
      const net = lines.minus(this.read(record, 'allowance') ?? 0).plus(this.read(record, 'charge') ?? 0);
      return [total.minus(tax).minus(net)];
    });
  }

  private holds(role: TotalRole): boolean | undefined {
    if (role === 'lines')
      return this.agreed('own lines', (record) => [difference(this.read(record, 'lines'), this.sumIn(record))]);
    if (role === 'exclusive')
      return this.agreed('own exclusive', (record) => [
        difference(
          this.read(record, 'exclusive'),
          difference(this.read(record, 'inclusive'), this.read(record, 'tax')),
        ),
      ]);
    // A discount that the lines have taken off already is no allowance of the whole.
    return ['tax', 'inclusive', 'charge', 'allowance'].includes(role) ? this.totalsHold() : undefined;
  }

  private agreed(name: string, off: (record: JsonRecord) => readonly (Decimal | undefined)[]): boolean | undefined {
    if (this.checks.has(name)) return this.checks.get(name);
    const all = this.records.flatMap(off).filter((one) => one !== undefined);
    const right = all.filter((one) => one.abs().lessThanOrEqualTo(tolerance)).length;
    const verdict = all.length < fewest ? undefined : right >= all.length * mostAgree;
    this.checks.set(name, verdict);
    return verdict;
  }

  private computed(
    text: string | undefined,
    reason: string,
    isRight: boolean | undefined,
  ): SuggestedAmount | undefined {
    if (text === undefined || isRight === false) return undefined;
    const refs: Record<string, Ref> = {};
    for (const field of this.totals.values()) refs[this.nameOf(field.path)] = this.ref(field.path);
    const net = this.line.get('net');
    if (this.list && net) {
      const path = `${this.list.path}/${everyItem}${net.path}`;
      refs[this.nameOf(path)] = this.ref(path);
    }
    const used = Object.entries(refs).filter(([name]) => new RegExp(`(^|[^\\w.])${name}(?![\\w.])`).test(text));
    return {
      filling: { kind: 'formula', text, refs: Object.fromEntries(used) },
      reason: isRight ? `computed: ${reason}; so it is in the samples` : `computed: ${reason}`,
    };
  }

  private sumOfLines(): string | undefined {
    const net = this.line.get('net');
    return this.list && net ? `SUM(${this.nameOf(`${this.list.path}/${everyItem}${net.path}`)})` : undefined;
  }

  private withoutTax(): string | undefined {
    const lines = this.totals.has('lines') ? this.name('lines') : this.sumOfLines();
    if (!lines) return undefined;
    const [allowance, charge] = [this.name('allowance'), this.name('charge')];
    return `${lines}${allowance ? ` - ${allowance}` : ''}${charge ? ` + ${charge}` : ''}`;
  }

  private taxOfLines(record: JsonRecord): Decimal | undefined {
    const byRate = new Map<string, Decimal>();
    for (const item of this.itemsOf(record)) {
      const [net, rate] = [this.inLine(item, 'net'), this.inLine(item, 'rate')];
      if (!net || !rate) return undefined;
      byRate.set(rate.toString(), (byRate.get(rate.toString()) ?? new Decimal(0)).plus(net));
    }
    return [...byRate].reduce((sum, [rate, net]) => sum.plus(net.times(rate).dividedBy(100)), new Decimal(0));
  }

  private linesOf(record: JsonRecord): Decimal | undefined {
    return this.totals.has('lines') ? this.read(record, 'lines') : this.sumIn(record);
  }

  private sumIn(record: JsonRecord): Decimal | undefined {
    const nets = this.itemsOf(record).map((item) => this.inLine(item, 'net'));
    if (nets.length === 0 || nets.some((one) => one === undefined)) return undefined;
    return nets.reduce<Decimal>((sum, one) => sum.plus(one ?? 0), new Decimal(0));
  }

  private itemsOf(record: JsonRecord): JsonRecord[] {
    const list = this.list && readPointer(record, this.list.path as Pointer);
    return Array.isArray(list) ? list.filter(isRecord) : [];
  }

  private inLine(item: JsonRecord, role: LineRole): Decimal | undefined {
    const field = this.line.get(role);
    return field && asNumber(readPointer(item, field.path as Pointer));
  }

  private read(record: JsonRecord, role: TotalRole): Decimal | undefined {
    const field = this.totals.get(role);
    return field && asNumber(readPointer(record, field.path as Pointer));
  }

  private ref(path: string): Ref {
    return { step: this.step, path };
  }

  private name(role: TotalRole): string | undefined {
    const field = this.totals.get(role);
    return field && this.nameOf(field.path);
  }

  private nameOf(path: string): string {
    return [this.alias, ...path.split('/').filter((token) => token !== '' && token !== everyItem)].join('.');
  }
}

/** The records of a place as sales, by what they are called there. */
export const saleOf = (
  { fields, singular }: { readonly fields: readonly Field[]; readonly singular: string },
  records: readonly JsonRecord[],
  step: string,
): Sale => new Sale(fields, records, singular.trim().replace(/\s+/g, '_').toLowerCase() || 'record', step);

function firstByRole<R extends string>(
  fields: readonly Field[],
  roleOf: (field: Field) => R | undefined,
): Map<R, Field> {
  const found = new Map<R, Field>();
  for (const field of fields) {
    const role = field.fields ? undefined : roleOf(field);
    if (role && !found.has(role)) found.set(role, field);
  }
  return found;
}

const difference = (one: Decimal | undefined, other: Decimal | undefined): Decimal | undefined =>
  one && other && one.minus(other);

function asNumber(value: Value | undefined): Decimal | undefined {
  const text = toText(value).trim();
  return /^-?\d+(\.\d+)?$/.test(text) ? new Decimal(text) : undefined;
}
