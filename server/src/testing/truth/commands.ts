import { type TroubleKind, troubleKinds } from '@golden/standins';
import fc from 'fast-check';
import { type KillPoint, killPoints } from '../../seams.ts';

/** Something that happens in the outside or that a person does: plain data, so that a failure can be printed and done again. */
export type Command =
  | { readonly do: 'add'; readonly count: number }
  | { readonly do: 'change'; readonly at: number }
  | { readonly do: 'remove'; readonly at: number }
  /** Ask the source, and wait for it or go on meanwhile. */
  | { readonly do: 'check'; readonly waits: boolean }
  | { readonly do: 'stop' }
  | { readonly do: 'pass'; readonly seconds: number }
  | { readonly do: 'off' }
  | { readonly do: 'on' }
  | {
      readonly do: 'live';
      readonly mostPerRun: number;
      readonly gather: number;
      readonly holds?: number;
      readonly note: string;
    }
  | { readonly do: 'trouble'; readonly app: 'source' | 'target'; readonly kind: TroubleKind; readonly times: number }
  | { readonly do: 'calm' }
  | { readonly do: 'drop' }
  | { readonly do: 'drop_at'; readonly point: KillPoint; readonly passes: number }
  | { readonly do: 'decide'; readonly at: number; readonly as: Deed; readonly twice: boolean }
  | { readonly do: 'back'; readonly at: number }
  /** A run is undone as a whole, and in part sent again. */
  | { readonly do: 'undo_run'; readonly at: number; readonly sendsAgain: boolean }
  | { readonly do: 'newest'; readonly at: number }
  | { readonly do: 'up'; readonly at: number }
  | { readonly do: 'clock'; readonly minutes: number }
  | { readonly do: 'retry_connection'; readonly app: 'source' | 'target' }
  | { readonly do: 'rename' }
  /** The source, or the destination, leads to another account, or back. */
  | { readonly do: 'swap'; readonly app: 'source' | 'target' }
  /** Somebody without an address is added, or gets one. */
  | { readonly do: 'add_bare' }
  | { readonly do: 'fit'; readonly at: number }
  /** Somebody deletes a record in the destination. */
  | { readonly do: 'vanish'; readonly at: number }
  /** A person looks at what is held, and lets it in. */
  | { readonly do: 'let_in' }
  | { readonly do: 'sweep' }
  | { readonly do: 'halt' }
  | { readonly do: 'go_on' };

/** What a person does with an unsettled record; `look` looks into the destination first. */
export type Deed = 'retry' | 'look' | 'dismiss';

const at = fc.nat({ max: 40 });

/** All but slowness, which costs the test its own time: what comes late does the same to us. */
const quickTroubles = troubleKinds.filter((kind) => kind !== 'slow');
/** Those that leave something for a person to decide, or something to be found out. */
const telling: readonly TroubleKind[] = ['refuse_rights', 'conflict', 'break_off_late', 'fault_after'];

const command: fc.Arbitrary<Command> = fc.oneof(
  { weight: 6, arbitrary: fc.record({ do: fc.constant('add' as const), count: fc.integer({ min: 1, max: 6 }) }) },
  { weight: 4, arbitrary: fc.record({ do: fc.constant('change' as const), at }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('remove' as const), at }) },
  { weight: 8, arbitrary: fc.record({ do: fc.constant('check' as const), waits: fc.boolean() }) },
  { weight: 1, arbitrary: fc.constant({ do: 'stop' as const }) },
  { weight: 4, arbitrary: fc.record({ do: fc.constant('pass' as const), seconds: fc.constantFrom(1, 6, 30, 400) }) },
  { weight: 1, arbitrary: fc.constant({ do: 'off' as const }) },
  { weight: 1, arbitrary: fc.constant({ do: 'on' as const }) },
  {
    weight: 2,
    arbitrary: fc.record({
      do: fc.constant('live' as const),
      mostPerRun: fc.constantFrom(0, 0, 2, 5),
      gather: fc.constantFrom(0, 0, 0, 4),
      holds: fc.constantFrom(0, 0, 3),
      note: fc.string({ maxLength: 3 }),
    }),
  },
  {
    weight: 9,
    arbitrary: fc.record({
      do: fc.constant('trouble' as const),
      app: fc.constantFrom('source' as const, 'target' as const, 'target' as const),
      kind: fc.constantFrom(...quickTroubles, ...telling, ...telling),
      times: fc.integer({ min: 1, max: 4 }),
    }),
  },
  { weight: 2, arbitrary: fc.constant({ do: 'calm' as const }) },
  { weight: 2, arbitrary: fc.constant({ do: 'drop' as const }) },
  {
    weight: 3,
    arbitrary: fc.record({
      do: fc.constant('drop_at' as const),
      point: fc.constantFrom(...killPoints),
      passes: fc.nat({ max: 5 }),
    }),
  },
  {
    weight: 7,
    arbitrary: fc.record({
      do: fc.constant('decide' as const),
      at,
      as: fc.constantFrom<Deed[]>('retry', 'retry', 'look', 'look', 'dismiss'),
      twice: fc.boolean(),
    }),
  },
  { weight: 2, arbitrary: fc.record({ do: fc.constant('back' as const), at }) },
  { weight: 3, arbitrary: fc.record({ do: fc.constant('undo_run' as const), at, sendsAgain: fc.boolean() }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('newest' as const), at }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('up' as const), at }) },
  {
    weight: 1,
    arbitrary: fc.record({
      do: fc.constant('clock' as const),
      minutes: fc.constantFrom(-576_000, -1500, -60, 60, 1500, 576_000),
    }),
  },
  {
    weight: 2,
    arbitrary: fc.record({
      do: fc.constant('retry_connection' as const),
      app: fc.constantFrom('source' as const, 'target' as const),
    }),
  },
  { weight: 1, arbitrary: fc.constant({ do: 'rename' as const }) },
  {
    weight: 6,
    arbitrary: fc.record({
      do: fc.constant('swap' as const),
      app: fc.constantFrom('source' as const, 'target' as const),
    }),
  },
  { weight: 2, arbitrary: fc.constant({ do: 'add_bare' as const }) },
  { weight: 2, arbitrary: fc.record({ do: fc.constant('fit' as const), at }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('vanish' as const), at }) },
  { weight: 1, arbitrary: fc.constant({ do: 'let_in' as const }) },
  // What records held that have ended isn't kept any more.
  { weight: 2, arbitrary: fc.constant({ do: 'sweep' as const }) },
  { weight: 1, arbitrary: fc.constant({ do: 'halt' as const }) },
  { weight: 1, arbitrary: fc.constant({ do: 'go_on' as const }) },
);

/** Sequences of what happens, the longer ones rarer. */
export const sequences = fc.array(command, { minLength: 4, maxLength: 28, size: 'max' });
