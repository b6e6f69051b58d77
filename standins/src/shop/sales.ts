import type Database from 'better-sqlite3';
import { RecordTable } from '../kit/records.ts';

/** What the shop sells; prices without tax, as decimal text. */
export interface Product {
  readonly sku: string;
  readonly name: string;
  readonly price: string;
  readonly currency: string;
  readonly tax_rate: string;
  readonly in_stock: number;
  readonly is_active: boolean;
}

export interface OrderLine {
  readonly sku: string;
  readonly name: string;
  readonly quantity: number;
  /** Without tax, for one. */
  readonly unit_price: string;
  /** Taken off the line. */
  readonly discount: string;
  /** Percent. */
  readonly tax_rate: string;
  /** Without tax, after the discount. */
  readonly line_total: string;
}

/** How far an order has come. */
export const orderStates = ['open', 'paid', 'sent', 'cancelled', 'refunded'] as const;

export interface Order {
  readonly number: string;
  readonly status: (typeof orderStates)[number];
  readonly customer_id: number | null;
  readonly customer_name: string;
  readonly email: string | null;
  readonly phone: string | null;
  readonly company: string | null;
  readonly currency: string;
  readonly placed_at: string;
  readonly paid_at: string | null;
  readonly ship_to: {
    readonly street: string | null;
    readonly city: string | null;
    readonly postcode: string | null;
    readonly country: string | null;
  };
  readonly lines: readonly OrderLine[];
  readonly shipping: string;
  readonly tax_total: string;
  readonly total: string;
  readonly note: string | null;
}

export interface Refund {
  readonly order_id: number;
  readonly order_number: string;
  readonly amount: string;
  readonly currency: string;
  readonly reason: string | null;
}

/** Minor units are added up as whole numbers; the shop's money has two decimals. */
/** Places at an open day, booked by whoever comes. */
export interface Booking {
  readonly number: string;
  readonly status: 'booked' | 'cancelled';
  /** The day on which they come, such as 2026-12-05. */
  readonly day: string;
  readonly name: string;
  readonly email: string;
  readonly phone: string | null;
  readonly places: number;
}

export const pence = (amount: string): number => Math.round(Number(amount) * 100);
/** Pence as a decimal text, `1204` as `12.04`. */
export const fromPence = (amount: number): string => (amount / 100).toFixed(2);

/** What a line comes to, and an order over its lines: each line's tax is rounded by itself. */
export function totalsOf(lines: readonly Omit<OrderLine, 'line_total'>[], shipping: string, shippingRate = '20.00') {
  const priced = lines.map((line) => ({
    ...line,
    line_total: fromPence(pence(line.unit_price) * line.quantity - pence(line.discount)),
  }));
  const byRate = new Map<string, number>();
  for (const { tax_rate, line_total } of [...priced, { tax_rate: shippingRate, line_total: shipping }])
    byRate.set(tax_rate, (byRate.get(tax_rate) ?? 0) + pence(line_total));
  const net = [...byRate.values()].reduce((sum, one) => sum + one, 0);
  const tax = [...byRate].reduce((sum, [rate, amount]) => sum + Math.round((amount * Number(rate)) / 100), 0);
  return { lines: priced, tax_total: fromPence(tax), total: fromPence(net + tax) };
}

/** What was sold: products, orders with their lines, refunds, and bookings of open days. */
export class Sales {
  readonly products: RecordTable<Product>;
  readonly orders: RecordTable<Order>;
  readonly refunds: RecordTable<Refund>;
  readonly bookings: RecordTable<Booking>;

  constructor(db: Database.Database) {
    this.products = new RecordTable<Product>(db, 'product', ['sku'], 201);
    this.orders = new RecordTable<Order>(db, 'orders', ['number', 'status', 'email'], 50_001);
    this.refunds = new RecordTable<Refund>(db, 'refund', ['order_number'], 901);
    this.bookings = new RecordTable<Booking>(db, 'booking', ['number', 'email'], 7001);
  }
}
