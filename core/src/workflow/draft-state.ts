import type { WriteStep } from '../steps/write/schema.ts';
import type { RecordType } from '../values/field.ts';
import { isSameJson } from '../values/value.ts';

/** How a new record begins where it may be a draft first, hidden, or not active yet. */
export type DraftState =
  | 'draft'
  | 'shown'
  /** As the app has it when nothing is said. */
  | 'unsaid'
  /** Filled in another way: by a field or a formula. */
  | 'filled';

/** How a step's new records begin; undefined where their place knows no such thing. */
export function draftStateOf({ target, mapping }: Pick<WriteStep, 'target' | 'mapping'>): DraftState | undefined {
  const draft = target?.described.draft;
  if (!draft) return undefined;
  const filling = mapping[draft.field];
  if (!filling) return 'unsaid';
  if (filling.kind !== 'fixed' && filling.kind !== 'choice') return 'filled';
  if (filling.value === draft.draft) return 'draft';
  return filling.value === draft.shown ? 'shown' : 'filled';
}

/** The step with its new records beginning so. What is there already is left as it is: somebody may have shown it by now. */
export function withDraftState(step: WriteStep, state: Exclude<DraftState, 'filled'>): WriteStep {
  const draft = step.target?.described.draft;
  if (!draft) return step;
  const { [draft.field]: _before, ...mapping } = step.mapping;
  const { [draft.field]: _policy, ...policies } = step.policies ?? {};
  const { policies: _all, ...rest } = step;
  if (state === 'unsaid') return { ...rest, mapping, ...(Object.keys(policies).length > 0 && { policies }) };
  const value = state === 'draft' ? draft.draft : draft.shown;
  return {
    ...rest,
    mapping: { ...mapping, [draft.field]: { kind: 'fixed', value } },
    policies: { ...policies, [draft.field]: 'never' },
  };
}

/** A write of new records for the public begins as a draft: showing it is for a person. */
export function asDraftFirst(step: WriteStep): WriteStep {
  const draft = step.target?.described.draft;
  if (!draft?.isPublic || !isSameJson(step.mapping[draft.field] ?? null, null)) return step;
  return withDraftState(step, 'draft');
}

/** "hidden first", where new records of a place begin so. */
export const draftWords = ({ draft }: Pick<RecordType, 'draft'>, state: DraftState): string | undefined => {
  if (!draft || (state !== 'draft' && state !== 'shown')) return undefined;
  return state === 'draft' ? draft.means : draft.otherwise;
};
