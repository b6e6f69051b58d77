import {
  type DecidedEvidence,
  isPlaced,
  type MatchModel,
  type PlacedStep,
  type StepResult,
  stepById,
  toText,
  type WeightChange,
  type WorkflowContent,
} from '@golden/core';
import { NotPossible } from '../engine/errors.ts';
import type { Services } from '../services.ts';
import { indexFields } from './matcher.ts';

/** What a person's decisions would make of a step's weights. */
export interface WeightsPreview {
  /** The number in force; null for the fixed ones. */
  readonly now: number | null;
  readonly decisions: number;
  readonly changes: readonly WeightChange[];
  /** Decided records whose answer would be another by the new weights, to judge them by. */
  readonly verdicts: readonly {
    readonly title: string;
    readonly candidate: string;
    readonly before: number;
    readonly after: number;
    readonly isSame: boolean;
  }[];
  readonly model: MatchModel;
}

/** The placed step of a content, by its id. */
function stepOf(content: WorkflowContent, stepId: string): PlacedStep | undefined {
  const step = stepById(content, stepId);
  return step && isPlaced(step) ? step : undefined;
}

/** The decisions on a step's unclear matches: each candidate with whether it was the one. */
async function decidedOf(services: Services, workflowId: string, stepId: string) {
  const rows = await services.db
    .selectFrom('journal')
    .innerJoin('item', 'item.id', 'journal.item_id')
    .select(['journal.content', 'journal.kind', 'journal.step', 'item.title', 'item.id'])
    .where('item.workflow_id', '=', workflowId)
    .where('journal.kind', 'in', ['unclear', 'decided'])
    .orderBy('journal.id')
    .execute();
  const decided: (DecidedEvidence & { title: string; candidate: string; probability: number })[] = [];
  const asked = new Map<string, Extract<StepResult, { kind: 'unsettled' }>>();
  for (const row of rows) {
    if (row.kind === 'unclear') {
      if ((row.step ?? '').split('#')[0] === stepId) asked.set(row.id, JSON.parse(row.content));
      continue;
    }
    const decision = JSON.parse(row.content) as { kind: string; id?: string };
    const before = asked.get(row.id);
    if (!before || (decision.kind !== 'choose' && decision.kind !== 'new')) continue;
    asked.delete(row.id);
    for (const one of before.candidates ?? []) {
      if (!one.evidence) continue;
      decided.push({
        evidence: one.evidence,
        isSame: decision.kind === 'choose' && decision.id === one.id,
        title: row.title,
        candidate: Object.values(one.record).map(toText).filter(Boolean).slice(0, 4).join(' · '),
        probability: one.probability ?? 0,
      });
    }
  }
  return decided;
}

/** Weights moved by the decisions so far, with what they change; nothing is taken yet. */
export async function previewWeights(
  services: Services,
  workflowId: string,
  stepId: string,
): Promise<WeightsPreview | null> {
  const { draft } = await services.workflows.get(workflowId);
  const step = stepOf(draft, stepId);
  if (!step?.target || !step.ladder) return null;
  const decided = await decidedOf(services, workflowId, stepId);
  const now = step.ladder.rungs.flatMap((rung) =>
    rung.kind === 'alike' && rung.weights !== undefined ? [rung.weights] : [],
  )[0];
  await services.mirrors.sync(step.target);
  const fields = indexFields(step.ladder.rungs, Object.keys(step.mapping), step.target.described);
  const index = await services.mirrors.index(step.target, fields, now);
  const { model, changes } = await services.mirrors.worker.host.improve(index, decided);
  const moved = (evidence: DecidedEvidence['evidence']): number =>
    evidence.reduce((sum, said) => {
      const change = changes.find((one) => one.label === said.label && one.level === said.level);
      return change ? sum + change.after - change.before : sum;
    }, 0);
  const verdicts = decided.map(({ title, candidate, probability, isSame, evidence }) => {
    const bits = Math.log2(Math.max(probability, 1e-9) / Math.max(1 - probability, 1e-9)) + moved(evidence);
    return { title, candidate, before: probability, after: 1 / (1 + 2 ** -bits), isSame };
  });
  return { now: now ?? null, decisions: new Set(decided.map(({ title }) => title)).size, changes, verdicts, model };
}

/** Keeps the new weights under a number of their own and lets the draft name it; a live version keeps its own. */
export async function takeWeights(services: Services, workflowId: string, stepId: string): Promise<number> {
  const preview = await previewWeights(services, workflowId, stepId);
  const { draft, draftRev } = await services.workflows.get(workflowId);
  const step = stepOf(draft, stepId);
  if (!preview || !step?.target)
    throw new NotPossible('This step compares nothing by likeness, so there is nothing to learn.');
  const made = await services.db
    .insertInto('match_weights')
    .values({
      connection: step.target.connection,
      place: JSON.stringify(step.target.path),
      fields: JSON.stringify(Object.keys(step.mapping)),
      model: JSON.stringify(preview.model),
      origin: 'decided',
      decisions: preview.decisions,
      made_at: services.seams.now(),
    })
    .returning('number')
    .executeTakeFirstOrThrow();
  const content: WorkflowContent = {
    ...draft,
    steps: draft.steps.map((one) => {
      if (one.id !== step.id || !isPlaced(one) || !one.ladder) return one;
      const rungs = one.ladder.rungs.map((rung) => (rung.kind === 'alike' ? { ...rung, weights: made.number } : rung));
      return { ...one, ladder: { ...one.ladder, rungs } };
    }),
  };
  await services.workflows.saveDraft(workflowId, content, draftRev);
  return made.number;
}
