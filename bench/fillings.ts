import { performance } from 'node:perf_hooks';
import {
  type EvaluationContext,
  type Field,
  type Filling,
  type JsonRecord,
  type Mapping,
  mapRecord,
  readPhone,
  titleCase,
} from '@golden/core';
import Decimal from 'decimal.js';

/** How long filling takes, as ratios to the same mapping written by hand in TypeScript. */
export interface FillingTimes {
  readonly fillings: number;
  readonly formulas: number;
  /** Microseconds a record with 20 fillings, and with 20 formulas. */
  readonly fillingsMicros: number;
  readonly formulasMicros: number;
}

const london: EvaluationContext = {
  zone: 'Europe/London',
  country: 'GB',
  takenAt: '2026-11-24T09:00:00.000Z',
  fieldOf: (ref) => ({
    path: ref.path,
    label: ref.path,
    type: /price|rate|shipping/.test(ref.path) ? 'decimal' : 'text',
  }),
};
const start = (path: string) => ({ step: 'start', path });
const copies = 5;
const text: Partial<Field> = { type: 'text' };

function records(count: number): JsonRecord[] {
  return Array.from({ length: count }, (_, at) => ({
    first_name: ` zoë ${at}`,
    last_name: 'ó briain',
    email: `Zoe${at}@Clay.example`,
    phone: `01632 960${String(at % 1000).padStart(3, '0')}`,
    price: `${(at % 90) + 1}.10`,
    rate: '20.00',
    shipping: '4.95',
    quantity: (at % 7) + 1,
  }));
}

/** Four usual fillings, five times over. */
const fillings: Mapping = Object.fromEntries(
  Array.from({ length: copies }, (_, at): [string, Filling][] => [
    [
      `/name${at}`,
      {
        kind: 'text',
        parts: [
          { kind: 'field', ref: start('/first_name') },
          { kind: 'words', text: ' ' },
          { kind: 'field', ref: start('/last_name') },
        ],
        tidies: [{ kind: 'squeeze' }, { kind: 'title' }],
      },
    ],
    [`/mail${at}`, { kind: 'field', ref: start('/email'), tidies: [{ kind: 'trim' }, { kind: 'lower' }] }],
    [`/phone${at}`, { kind: 'field', ref: start('/phone'), tidies: [{ kind: 'phone' }] }],
    [
      `/rate${at}`,
      {
        kind: 'options',
        ref: start('/rate'),
        table: [
          { from: '20.00', to: 'S' },
          { from: '0.00', to: 'Z' },
        ],
        otherwise: { kind: 'problem' },
      },
    ],
  ]).flat(),
);

function byHand(record: JsonRecord): Record<string, unknown> {
  const made: Record<string, unknown> = {};
  for (let at = 0; at < copies; at++) {
    const name = titleCase(`${record['first_name']} ${record['last_name']}`.replace(/\s+/g, ' ').trim());
    made[`/name${at}`] = name === '' ? null : name;
    made[`/mail${at}`] = String(record['email']).trim().toLowerCase();
    const phone = readPhone(String(record['phone']), 'GB');
    if (!phone) throw new Error('no phone');
    made[`/phone${at}`] = phone;
    made[`/rate${at}`] = record['rate'] === '20.00' ? 'S' : 'Z';
  }
  return made;
}

const names = {
  'order.price': start('/price'),
  'order.quantity': start('/quantity'),
  'order.rate': start('/rate'),
  'order.shipping': start('/shipping'),
  'order.email': start('/email'),
};
const formula = (of: string): Filling => ({ kind: 'formula', text: of, refs: names });
/** Four usual formulas with decimals, five times over. */
const formulas: Mapping = Object.fromEntries(
  Array.from({ length: copies }, (_, at): [string, Filling][] => [
    [`/net${at}`, formula('order.price * order.quantity')],
    [`/tax${at}`, formula('ROUND(order.price * order.quantity * order.rate / 100; 2)')],
    [`/total${at}`, formula('ROUND(order.price * order.quantity * (1 + order.rate / 100); 2) + order.shipping')],
    [`/kind${at}`, formula('IF(order.price * order.quantity > 100; "large"; LOWER(order.email))')],
  ]).flat(),
);

function formulasByHand(record: JsonRecord): Record<string, unknown> {
  const made: Record<string, unknown> = {};
  for (let at = 0; at < copies; at++) {
    const price = new Decimal(String(record['price']));
    const net = price.times(Number(record['quantity']));
    const rate = new Decimal(String(record['rate']));
    made[`/net${at}`] = net.toFixed();
    made[`/tax${at}`] = net.times(rate).dividedBy(100).toDecimalPlaces(2).toFixed();
    made[`/total${at}`] = net
      .times(rate.dividedBy(100).plus(1))
      .toDecimalPlaces(2)
      .plus(String(record['shipping']))
      .toFixed();
    made[`/kind${at}`] = net.greaterThan(100) ? 'large' : String(record['email']).toLowerCase();
  }
  return made;
}

const fieldsOf = (mapping: Mapping): Field[] =>
  Object.keys(mapping).map((path) => ({ path, label: path.slice(1), ...text, type: 'text' }));

/** Seconds for all records, the middle one of several rounds after a warm one. */
function timed(all: readonly JsonRecord[], work: (record: JsonRecord) => unknown): number {
  const rounds = Array.from({ length: 6 }, () => {
    const begun = performance.now();
    for (const record of all) work(record);
    return (performance.now() - begun) / 1000;
  });
  return [...rounds.slice(1)].sort((one, other) => one - other)[2] ?? 0;
}

/** Measures both, after making sure that both ways give the same. */
export function measureFillings(count: number): FillingTimes {
  const all = records(count);
  const run = (mapping: Mapping) => {
    const fields = fieldsOf(mapping);
    return (record: JsonRecord) => mapRecord(mapping, fields, { start: record }, london);
  };
  for (const [mapping, hand] of [
    [fillings, byHand],
    [formulas, formulasByHand],
  ] as const) {
    const [first] = all;
    if (!first) throw new Error('no records');
    const { values, problems } = run(mapping)(first);
    if (problems.length > 0 || JSON.stringify(values) !== JSON.stringify(hand(first)))
      throw new Error(
        `The two ways differ: ${JSON.stringify(values)} and ${JSON.stringify(hand(first))}; ${JSON.stringify(problems)}`,
      );
  }
  const [ours, theirs] = [timed(all, run(fillings)), timed(all, byHand)];
  const [computed, written] = [timed(all, run(formulas)), timed(all, formulasByHand)];
  return {
    fillings: ours / theirs,
    formulas: computed / written,
    fillingsMicros: (ours / count) * 1e6,
    formulasMicros: (computed / count) * 1e6,
  };
}
