import { z } from 'zod';
import { innerStep } from '../steps/common.ts';
import type { StepDefinition } from '../steps/definition.ts';
import { done } from '../steps/move.ts';
import type { StepOf } from '../steps/schemas.ts';
import { words } from '../workflow/phrase.ts';

// A kind of step for tests alone: it waits, and then says what woke it.

export const PauseStepSchema = z.object({
  ...innerStep,
  kind: z.literal('pause'),
  minutes: z.number().optional(),
  event: z.string().optional(),
  who: z.string().optional(),
  holdsLater: z.boolean().optional(),
});
type PauseStep = z.infer<typeof PauseStepSchema>;

/** A pause as a step of a workflow. */
export const pauseStep = (id: string, what: Omit<Partial<PauseStep>, 'id' | 'kind'>): StepOf<'condition'> =>
  ({ id, kind: 'pause', ...what }) as unknown as StepOf<'condition'>;

const pause: Omit<StepDefinition, 'kind'> & { readonly kind: 'pause' } = {
  kind: 'pause',
  make: (id) => pauseStep(id, {}),
  refs: () => [],
  gives: () => undefined,
  problems: () => [],
  sentence: () => [words('Wait.')],
  changes: () => [],
  uses: () => [],
  renamed: (step) => step,
  enter: ({ id, step: given }, state) => {
    const step = given as unknown as PauseStep;
    return {
      kind: 'park',
      state,
      park: {
        step: id,
        ...(step.minutes !== undefined && {
          until: new Date(Date.parse(state.takenAt) + step.minutes * 60_000).toISOString(),
        }),
        ...(step.event !== undefined && { events: [step.event] }),
        ...(step.who !== undefined && { who: step.who }),
        ...(step.holdsLater && { holdsLater: true }),
        message: 'Waits.',
      },
    };
  },
  take: (_doing, state, answer) =>
    answer.kind === 'woken' ? done(state, { kind: 'kept', why: JSON.stringify(answer.by) }) : undefined,
};

/** The schemas of steps with this kind among them. */
export const schemasWithPause = (actual: typeof import('../steps/schemas.ts')): unknown => ({
  ...actual,
  StepSchema: z.discriminatedUnion('kind', [...actual.StepSchema.options, PauseStepSchema]),
});

/** The registry with this kind in it. */
export function registryWithPause(actual: typeof import('../steps/registry.ts')): unknown {
  const stepKinds: Record<string, unknown> = { ...actual.stepKinds, pause };
  return { ...actual, stepKinds, definitionOf: ({ kind }: { kind: string }) => stepKinds[kind] };
}
