import fc from 'fast-check';
import { sequences } from './commands.ts';
import { scenarios } from './scenarios.ts';
import { runSequence } from './sequence.ts';

// The truth from outside: whatever happens, each record of the source is in the destination once and
// right, nothing else is there, and what is missing stands listed. Nothing here knows our tables.

describe.each(scenarios.map((scenario) => [scenario.name, scenario] as const))('%s', (_name, scenario) => {
  test('after any sequence', async () => {
    await fc.assert(
      fc.asyncProperty(sequences, async (commands) => {
        expect(await runSequence(scenario, commands)).toEqual([]);
      }),
      { numRuns: 8, seed: 1969, endOnFailure: false },
    );
  }, 600_000);
});
