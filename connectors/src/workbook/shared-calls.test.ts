import fc from 'fast-check';
import { SharedCalls } from './shared-calls.ts';

describe('calls that are shared', () => {
  test('nobody is given what was looked at before they asked, one call is on its way at a time, and none is left', async () => {
    await fc.assert(
      fc.asyncProperty(fc.scheduler(), fc.array(fc.boolean(), { minLength: 1, maxLength: 12 }), async (s, fails) => {
        const shared = new SharedCalls<number>();
        let [looked, under, calls] = [0, 0, 0];
        const asks = fails.map((isFault, at) =>
          s.schedule(Promise.resolve()).then(async () => {
            const askedAt = looked;
            const given = shared.run('file', async () => {
              under += 1;
              calls += 1;
              expect(under).toBe(1);
              looked += 1;
              const seen = looked;
              await s.schedule(Promise.resolve(), `call ${at}`);
              under -= 1;
              if (isFault) throw new Error('fault');
              return seen;
            });
            const seen = await given.catch(() => undefined);
            if (seen !== undefined) expect(seen).toBeGreaterThan(askedAt);
          }),
        );
        await s.waitFor(Promise.all(asks));
        expect(under).toBe(0);
        expect(calls).toBeLessThanOrEqual(fails.length);
        expect(await shared.run('file', async () => 7)).toBe(7);
      }),
      { numRuns: 300 },
    );
  });

  test('a hundred who ask at once cost two calls, and names don’t wait for each other', async () => {
    const shared = new SharedCalls<number>();
    let calls = 0;
    const look = async (): Promise<number> => ++calls;
    const given = await Promise.all(Array.from({ length: 100 }, () => shared.run('a', look)));
    expect(calls).toBe(2);
    expect(new Set(given)).toEqual(new Set([1, 2]));
    const never = shared.run('b', () => new Promise<number>(() => undefined));
    expect(await Promise.race([never, shared.run('c', async () => 3)])).toBe(3);
  });
});
