import { type TroubleKind, troubleKinds } from '@golden/standins';
import fc from 'fast-check';
import { type Command, sequences } from './commands.ts';
import { scenarios } from './scenarios.ts';
import { runSequence } from './sequence.ts';

// The truth from outside: whatever happens, each record of the source is in the destination once and
// right, nothing else is there, and what is missing stands listed. The comparison knows nothing of our
// tables. `npm run soak` goes on with other sequences for as long as it is told to.

const all = scenarios.map((scenario) => [scenario.name, scenario] as const);

describe.each(all)('%s', (_name, scenario) => {
  test('after any sequence of changes, faults, kills, decisions and edits', async () => {
    await fc.assert(
      fc.asyncProperty(sequences, async (commands) => {
        expect(await runSequence(scenario, commands)).toEqual([]);
      }),
      { numRuns: 3, seed: 1969, endOnFailure: true },
    );
  });

  test('with three in ten answers bad, of every kind', async () => {
    const draw = fc.infiniteStream(fc.tuple(fc.nat(9), fc.constantFrom(...troubleKinds)));
    await fc.assert(
      fc.asyncProperty(draw, async (drawn) => {
        const commands: Command[] = [
          { do: 'add', count: 12 },
          { do: 'check', waits: true },
          { do: 'pass', seconds: 30 },
          { do: 'change', at: 2 },
          { do: 'check', waits: true },
          { do: 'pass', seconds: 400 },
        ];
        const mischief = (): TroubleKind | undefined => {
          const [[chance, kind] = [9, 'slow' as const]] = [...drawn.take(1)];
          return chance < 3 && kind !== 'slow' ? kind : undefined;
        };
        expect(await runSequence(scenario, commands, mischief)).toEqual([]);
      }),
      { numRuns: 1, seed: 30, endOnFailure: true },
    );
  });
});

// Sequences that showed something, most of them found by the generator and shrunk. They are run as they were found.
const found: [string, string, Command[]][] = [
  [
    'a link of one account led to a stranger of another, who has the same id there',
    'shop to people of the Card index by a ladder, with an idempotency key',
    [
      { do: 'swap', app: 'target' },
      { do: 'change', at: 0 },
      { do: 'check', waits: true },
      { do: 'change', at: 1 },
      { do: 'check', waits: true },
    ],
  ],
  [
    'a source that led to another shop brought nothing: its numbers had been seen',
    'shop to shelf, appended as soon as it meets the conditions',
    [
      { do: 'swap', app: 'source' },
      { do: 'add_bare' },
      { do: 'check', waits: true },
      { do: 'fit', at: 0 },
      { do: 'swap', app: 'source' },
      { do: 'add', count: 2 },
      { do: 'check', waits: true },
    ],
  ],
  [
    'a version made live anew took a changed record in once more, though only added ones are wanted',
    'shop to shelf, appended',
    [
      { do: 'change', at: 0 },
      { do: 'check', waits: false },
      { do: 'live', mostPerRun: 0, gather: 0, note: '' },
      { do: 'add', count: 1 },
    ],
  ],
  [
    'a row whose column had been renamed counted as taken back, and stayed',
    'shop to shelf, appended',
    [{ do: 'rename' }, { do: 'check', waits: false }, { do: 'back', at: 0 }, { do: 'check', waits: false }],
  ],
  [
    'records that met a renamed column after it was mapped again stayed behind on the old version',
    'shop to shelf, by key',
    [
      { do: 'add', count: 1 },
      { do: 'check', waits: false },
      { do: 'drop_at', point: 'take-in:before-store', passes: 0 },
      { do: 'rename' },
      { do: 'change', at: 0 },
      { do: 'live', mostPerRun: 0, gather: 0, note: '' },
    ],
  ],
  [
    'a row that was never put in place counted as unsure after its column was renamed',
    'shop to shelf, by key',
    [
      { do: 'drop' },
      { do: 'check', waits: false },
      { do: 'change', at: 0 },
      { do: 'pass', seconds: 1 },
      { do: 'rename' },
      { do: 'drop' },
      { do: 'add', count: 1 },
    ],
  ],
];

test.each(found)('found: %s', async (_what, name, commands) => {
  const scenario = scenarios.find((one) => one.name === name);
  if (!scenario) throw new Error(`There is no scenario “${name}”.`);
  expect(await runSequence(scenario, commands)).toEqual([]);
});
