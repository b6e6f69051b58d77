import { parseArgs } from 'node:util';
import fc from 'fast-check';
import { targets } from './targets.ts';

// Feeds what takes input from outside with odd input, as long as it is told to:
// npm run fuzz -- --seconds N [--seed S] [--only WORDS]. Prints each failure's seed and its shrunk input.

const { values } = parseArgs({
  options: {
    seconds: { type: 'string', default: '60' },
    seed: { type: 'string', default: String(Date.now() % 1_000_000) },
    only: { type: 'string', default: '' },
  },
});

const some = targets.filter(({ name }) => name.includes(values.only));
const each = (Number(values.seconds) * 1000) / Math.max(1, some.length);
let failed = 0;

process.on('unhandledRejection', (error) => console.log('Nobody waited for:', error));

for (const { name, open } of some) {
  const target = await open();
  const result = await fc.check(
    fc.asyncProperty(target.inputs, (input) => target.feed(input as never)),
    { numRuns: 1_000_000, seed: Number(values.seed), interruptAfterTimeLimit: each, endOnFailure: false },
  );
  await target.close();
  console.log(`${name}: ${result.numRuns} inputs${result.failed && result.counterexample ? ', failed' : ''}`);
  if (!result.failed || !result.counterexample) continue;
  failed += 1;
  console.log(`  seed ${result.seed}, path ${result.counterexamplePath}`);
  console.log(`  ${JSON.stringify(result.counterexample)?.slice(0, 2000)}`);
  console.log(`  → ${(result.errorInstance as Error | undefined)?.stack ?? 'failed'}`);
}
process.exit(failed > 0 ? 1 : 0);
