import fc from 'fast-check';
import { DateTime } from 'luxon';
import { axisOf, barsOf, type Counts, fromWhenAt, sentFrom, stopOf } from './time-axis.ts';

const dayOf = (back: number): string =>
  DateTime.fromISO('2026-11-27', { zone: 'utc' }).minus({ days: back }).toISODate() as string;

/** Records of the last years, some without a date: counts as the server gives them. */
const counted = fc
  .record({
    dated: fc.array(fc.nat({ max: 1200 }), { maxLength: 40 }),
    undated: fc.nat({ max: 9 }),
  })
  .map(({ dated, undated }): { counts: Counts; dates: string[] } => {
    const dates = dated.map(dayOf).sort();
    const days = [...new Set(dates)].map((day) => ({ day, count: dates.filter((one) => one === day).length }));
    const all = dates.length + undated;
    return { counts: { all, startable: all, today: '2026-11-27', days }, dates };
  });

test('wherever the line stands, what it says is sent is what a look at each date says', () => {
  fc.assert(
    fc.property(counted, fc.nat(), ({ counts, dates }, anywhere) => {
      const axis = axisOf(counts);
      const fromWhen = fromWhenAt(axis, anywhere % (axis.stops + 1));
      const sent =
        fromWhen.kind === 'all'
          ? counts.all
          : fromWhen.kind === 'now'
            ? 0
            : dates.filter((day) => day >= fromWhen.at).length;
      expect(sentFrom(counts, fromWhen)).toBe(sent);
    }),
  );
});

test('a place of the line and what it means lead to each other, and each step to the right sends no more', () => {
  fc.assert(
    fc.property(counted, fc.nat(), ({ counts }, anywhere) => {
      const axis = axisOf(counts);
      const stop = anywhere % (axis.stops + 1);
      expect(stopOf(axis, fromWhenAt(axis, stop))).toBe(stop);
      if (stop > 0)
        expect(sentFrom(counts, fromWhenAt(axis, stop))).toBeLessThanOrEqual(
          sentFrom(counts, fromWhenAt(axis, stop - 1)),
        );
    }),
  );
});

test('the bars hold every dated record once, on the day it belongs to, and are ninety at most', () => {
  fc.assert(
    fc.property(counted, ({ counts, dates }) => {
      const axis = axisOf(counts);
      const bars = barsOf(axis, counts.days);
      expect(bars.length).toBeLessThanOrEqual(90);
      expect(bars.reduce((sum, bar) => sum + bar.count, 0)).toBe(dates.length);
      for (const [index, bar] of bars.entries()) {
        const next = bars[index + 1]?.day ?? '9999';
        expect(bar.count).toBe(dates.filter((day) => day >= bar.day && day < next).length);
      }
    }),
  );
});

test('a place without dates has two ends only, and a date before or after all records stands at an end', () => {
  const bare: Counts = { all: 7, startable: 7, today: '2026-11-27', days: [] };
  expect(axisOf(bare)).toEqual({ first: '2026-11-27', stops: 1 });
  expect([fromWhenAt(axisOf(bare), 0), fromWhenAt(axisOf(bare), 1)]).toEqual([{ kind: 'all' }, { kind: 'now' }]);
  const axis = { first: '2026-11-01', stops: 27 };
  expect([
    stopOf(axis, { kind: 'since', at: '2020-01-01' }),
    stopOf(axis, { kind: 'since', at: '2027-01-01' }),
  ]).toEqual([0, 27]);
});
