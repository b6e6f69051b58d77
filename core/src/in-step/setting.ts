import { z } from 'zod';
import type { FieldPolicy, FirstDifference } from '../run/overwrite.ts';
import { PointerSchema } from '../values/pointer.ts';

/**
 * Whose value a field of a pair gets. `here`, `there`: always that side's; what is changed on the other side is put
 * back. `newer`, `ask`: a change on either side goes to the other; where both have changed it, that of the record that
 * was changed last, or a person is asked.
 */
export const fieldOwners = ['ask', 'newer', 'here', 'there'] as const;
export type FieldOwner = (typeof fieldOwners)[number];

/** The owners in words, by what the two sides are called. */
export const ownerLabels = (here: string, there: string): Readonly<Record<FieldOwner, string>> => ({
  ask: 'both; ask me if both changed it',
  newer: 'both; the later change wins',
  here: `always from ${here}`,
  there: `always from ${there}`,
});

/** What happens to the other record when one of a pair is removed. */
export const RemovalSchema = z.discriminatedUnion('kind', [
  /** It stays as it is. */
  z.object({ kind: z.literal('nothing') }),
  /** A field of it says that it isn't used any more. */
  z.object({ kind: z.literal('retire'), field: PointerSchema, value: z.string().max(200) }),
  /** A person is asked first, each time. */
  z.object({ kind: z.literal('ask'), field: PointerSchema, value: z.string().max(200) }),
  /** It is removed as well, for good; a person is asked where somebody has changed a field that the two share. */
  z.object({ kind: z.literal('remove') }),
  /** The same, and a person is asked each time. */
  z.object({ kind: z.literal('ask_to_remove') }),
]);
export type Removal = z.infer<typeof RemovalSchema>;

/** Whether the other record is removed for good, at once or after asking. */
export const isForGood = (removal: Removal): removal is Extract<Removal, { kind: 'remove' | 'ask_to_remove' }> =>
  removal.kind === 'remove' || removal.kind === 'ask_to_remove';

/** How two places are kept in step. */
export const InStepSettingSchema = z.object({
  /** By the field there, where it isn't the usual one. */
  owners: z.record(PointerSchema, z.enum(fieldOwners)),
  usual: z.enum(fieldOwners),
  /** Whose value counts where a pair differs when it meets for the first time. */
  first: z.enum(fieldOwners),
  emptied: z.enum(['empties', 'refills']),
  /** What becomes there of what is removed here, and the other way round. */
  removed: z.object({ here: RemovalSchema, there: RemovalSchema }),
});
export type InStepSetting = z.infer<typeof InStepSettingSchema>;

/** What is proposed: nothing is ever overwritten, emptied or removed unasked. */
export const usualInStep: InStepSetting = {
  owners: {},
  usual: 'ask',
  first: 'ask',
  emptied: 'refills',
  removed: { here: { kind: 'nothing' }, there: { kind: 'nothing' } },
};

/** By which rule a direction writes a field, by its owner. */
export const policyOfOwner: Readonly<Record<'there' | 'here', Readonly<Record<FieldOwner, FieldPolicy>>>> = {
  there: { here: 'always', there: 'never', newer: 'changed_newest', ask: 'changed' },
  here: { here: 'never', there: 'always', newer: 'changed_newest', ask: 'changed' },
};

/** What a direction does with a first difference. */
export const firstOfOwner: Readonly<Record<'there' | 'here', Readonly<Record<FieldOwner, FirstDifference>>>> = {
  there: { here: 'source', there: 'there', newer: 'newest', ask: 'ask' },
  here: { here: 'there', there: 'source', newer: 'newest', ask: 'ask' },
};
