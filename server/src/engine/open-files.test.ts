import fc from 'fast-check';
import { OpenFiles } from './open-files.ts';

const hour = 3_600_000;

test('all that meet an open file wait for the same moment, ever longer, and a person is asked after the hours that were set', () => {
  let now = 0;
  const files = new OpenFiles({ uptime: () => now });
  expect([files.wait('a', 6), files.wait('a', 6)]).toEqual([5000, 5000]);
  now = 4000;
  expect(files.wait('a', 6)).toBe(1000);
  now = 5000;
  expect(files.wait('a', 6)).toBe(7500);
  expect(files.wait('b', 6)).toBe(5000);
  files.closed('a');
  expect(files.wait('a', 6)).toBe(5000);
  expect(files.wait('c', 0)).toBeUndefined();
  now += 6 * hour;
  expect([files.wait('a', 6), files.wait('a', 6)]).toEqual([undefined, undefined]);
  now += hour;
  expect(files.wait('a', 6)).toBe(5000);
});

test('however often it is looked at: a wait is within bounds, and none goes on beyond the hours by more than one wait', () => {
  const steps = fc.array(fc.integer({ min: 1, max: 200_000 }), { minLength: 1, maxLength: 400 });
  fc.assert(
    fc.property(steps, fc.integer({ min: 1, max: 3 }), (passing, hours) => {
      let now = 0;
      const files = new OpenFiles({ uptime: () => now });
      for (const step of passing) {
        const wait = files.wait('a', hours);
        if (wait === undefined) return now >= hours * hour && files.wait('a', hours) === undefined;
        if (wait <= 0 || wait > 60_000 || now > hours * hour + 60_000 + 200_000) return false;
        now += step;
      }
      return true;
    }),
  );
});
