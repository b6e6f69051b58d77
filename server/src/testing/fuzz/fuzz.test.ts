import fc from 'fast-check';
import { targets } from './targets.ts';

/** Milliseconds for each: together less than a minute. A slow machine tries fewer inputs, and fails for none of it. */
const each = 3000;

// Always the same inputs; `npm run fuzz` draws others, as long as it is told to.
test.each(targets.map(({ name, open }) => [name, open] as const))(
  '%s: whatever comes in is taken or told, and what is there stands',
  async (_name, open) => {
    const target = await open();
    try {
      await fc.assert(
        fc.asyncProperty(target.inputs, (input) => target.feed(input as never)),
        { numRuns: 100_000, interruptAfterTimeLimit: each, markInterruptAsFailure: false },
      );
    } finally {
      await target.close();
    }
  },
);
