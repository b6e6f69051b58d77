import {
  type DecidedEvidence,
  isPlaced,
  type MatchModel,
  type PlacedStep,
  type Step,
  type StepResult,
  stepById,
  toText,
  type WeightChange,
  type WorkflowContent,
} from '@golden/core';
import type { Db } from '../db/open.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Services } from '../services.ts';
import { indexFields } from './matcher.ts';

/** What a person's decisions would make of a step's weights. */
export interface WeightsPreview {
  /** The number in force; null for the fixed ones. */
  readonly now: number | null;
  /** Those that the last search for duplicates of the place learnt since; null where none did. */
  readonly learnt: number | null;
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
  const learnt = await newestLearnt(services.db, step.target, now ?? 0);
  const index = await services.mirrors.index(step.target, fields, now);
  const base = learnt === undefined ? index : await services.mirrors.index(step.target, fields, learnt);
  const { model, changes } = await services.mirrors.worker.host.improve(base, decided, index);
  const moved = (evidence: DecidedEvidence['evidence']): number =>
    evidence.reduce((sum, said) => {
      const change = changes.find((one) => one.label === said.label && one.level === said.level);
      return change ? sum + change.after - change.before : sum;
    }, 0);
  const verdicts = decided.map(({ title, candidate, probability, isSame, evidence }) => {
    const bits = Math.log2(Math.max(probability, 1e-9) / Math.max(1 - probability, 1e-9)) + moved(evidence);
    return { title, candidate, before: probability, after: 1 / (1 + 2 ** -bits), isSame };
  });
  return {
    now: now ?? null,
    learnt: learnt ?? null,
    decisions: new Set(decided.map(({ title }) => title)).size,
    changes,
    verdicts,
    model,
  };
}

/** Keeps the new weights under a number of their own and lets the draft name it; a live version keeps its own. */
export async function takeWeights(services: Services, workflowId: string, stepId: string): Promise<number> {
  const preview = await previewWeights(services, workflowId, stepId);
  const { draft } = await services.workflows.get(workflowId);
  const step = stepOf(draft, stepId);
  if (!preview || !step?.target)
    throw new NotPossible('This step compares nothing by likeness, so there is nothing to learn.');
  // Without decisions those of the search are taken as they are.
  if (preview.learnt !== null && preview.decisions === 0) {
    await useWeights(services, workflowId, step.id, preview.learnt);
    return preview.learnt;
  }
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
  await useWeights(services, workflowId, step.id, made.number);
  return made.number;
}

/** Lets the ways by likeness of a draft's step weigh by the set of this number. */
async function useWeights(services: Services, workflowId: string, stepId: string, number: number): Promise<void> {
  const { draft, draftRev } = await services.workflows.get(workflowId);
  const steps = draft.steps.map((one) => (one.id === stepId ? withWeights(one, number) : one));
  await services.workflows.saveDraft(workflowId, { ...draft, steps }, draftRev);
}

function withWeights(step: Step, number: number): Step {
  if (!isPlaced(step) || !step.ladder) return step;
  const rungs = step.ladder.rungs.map((rung) => (rung.kind === 'alike' ? { ...rung, weights: number } : rung));
  return { ...step, ladder: { ...step.ladder, rungs } };
}

/** A new draft whose likeness ways weigh by what the last search of each place learnt. */
export async function withLearntWeights(db: Db, content: WorkflowContent): Promise<WorkflowContent> {
  const steps = await Promise.all(
    content.steps.map(async (step) => {
      const target = isPlaced(step) ? step.target : null;
      const learnt = target ? await newestLearnt(db, target, 0) : undefined;
      return learnt === undefined ? step : withWeights(step, learnt);
    }),
  );
  return { ...content, steps };
}

/** The number of the set that the last search of a place learnt, where it is newer than `since`. */
async function newestLearnt(
  db: Db,
  { connection, path }: { readonly connection: string; readonly path: readonly string[] },
  since: number,
): Promise<number | undefined> {
  const row = await db
    .selectFrom('match_weights')
    .select('number')
    .where('connection', '=', connection)
    .where('place', '=', JSON.stringify(path))
    .where('origin', '=', 'learnt')
    .where('number', '>', since)
    .orderBy('number', 'desc')
    .executeTakeFirst();
  return row?.number;
}
