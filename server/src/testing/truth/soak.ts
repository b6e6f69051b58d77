import { parseArgs } from 'node:util';
import fc from 'fast-check';
import type { Command } from './commands.ts';
import { sequences } from './commands.ts';
import { scenarios } from './scenarios.ts';
import { runSequence } from './sequence.ts';

// Goes on with generated sequences as long as it is told to:
// npm run soak -- --seconds N [--seed S] [--only WORDS]. Prints each failure's seed and its shrunk commands.

const { values } = parseArgs({
  options: {
    seconds: { type: 'string', default: '60' },
    seed: { type: 'string', default: String(Date.now() % 1_000_000) },
    only: { type: 'string', default: '' },
  },
});

const until = performance.now() + Number(values.seconds) * 1000;
const some = scenarios.filter(({ name }) => name.includes(values.only));
let done = 0;
let failed = 0;

// What a dropped server still had in hand fails with it; that is what dropping means.
process.on('unhandledRejection', () => undefined);

for (let seed = Number(values.seed); performance.now() < until; seed++) {
  for (const scenario of some) {
    if (performance.now() >= until) break;
    const result = await fc.check(
      fc.asyncProperty(sequences, async (commands: readonly Command[]) => {
        const problems = await runSequence(scenario, commands);
        if (problems.length > 0) throw new Error(problems.join('\n'));
      }),
      { numRuns: 3, seed, interruptAfterTimeLimit: Math.max(1000, until - performance.now() + 60_000) },
    );
    done += result.numRuns;
    if (!result.failed) continue;
    failed += 1;
    const [commands = []] = result.counterexample ?? [];
    console.log(`\n${scenario.name}, seed ${seed}, path ${result.counterexamplePath}:`);
    for (const command of commands as readonly Command[]) console.log(`  ${JSON.stringify(command)},`);
    console.log(`  → ${(result.errorInstance as Error | undefined)?.message ?? 'failed'}`);
  }
}
console.log(`${done} sequences, ${failed} failed`);
process.exit(failed > 0 ? 1 : 0);
