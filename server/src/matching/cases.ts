import {
  type Candidate,
  choose,
  type Field,
  fitsRule,
  type ItemState,
  isPlaced,
  type JsonRecord,
  type MatchRule,
  type PlacedStep,
  type Pointer,
  readPointer,
  recordTitle,
  ruleFrom,
  ruleText,
  type StepResult,
  startId,
  stepById,
  toText,
  usuallySure,
  type Value,
  type WorkflowContent,
} from '@golden/core';
import { sql } from 'kysely';
import { isUnsettled } from '../db/item-states.ts';
import type { ItemRow } from '../db/schema.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Services } from '../services.ts';
import type { DecideItem, DeskValue, MatchCase } from './desk.ts';

type Unsettled = Extract<StepResult, { kind: 'unsettled' }>;

/** The step that needs a person, and its result. */
export function openStep(state: ItemState): [string, Unsettled] | undefined {
  return Object.entries(state.steps).find((entry): entry is [string, Unsettled] => entry[1].kind === 'unsettled');
}

const mostShown = 1000;

/** Everything that waits for a decision, the oldest first. */
export async function decideItems({ db, workflows, connections }: Services): Promise<DecideItem[]> {
  // Which they are is read from an index; only those that are shown are read as a whole.
  const { rows: shown } = await sql<{ readonly seq: number }>`SELECT seq FROM item INDEXED BY item_unsettled
    WHERE ${isUnsettled} AND cause <> 'behind' ORDER BY seq LIMIT ${mostShown}`.execute(db);
  const seqs = shown.map(({ seq }) => seq);
  const rows = await db.selectFrom('item').selectAll().where('seq', 'in', seqs).orderBy('seq').execute();
  const names = new Map((await connections.list()).map((one) => [one.id, one.name]));
  return Promise.all(
    rows.map(async (item): Promise<DecideItem> => {
      const version = await workflows.readableVersion(item.workflow_id, item.version);
      const source = version?.content.start.source;
      return {
        id: item.id,
        workflowId: item.workflow_id,
        workflow: version?.content.name ?? 'A workflow that can’t be read',
        runId: item.run_id,
        title: item.title,
        cause: item.cause ?? 'unsure',
        message: item.message ?? '',
        step: openStep(JSON.parse(item.item_state) as ItemState)?.[0] ?? startId,
        takenAt: item.taken_at,
        connectionId: item.waits_for,
        source: (source && names.get(source.connection)) ?? '',
        sourceLink: null,
      };
    }),
  );
}

/** The case of an item whose match isn't clear; undefined for other causes. */
export async function matchCase(services: Services, item: ItemRow): Promise<MatchCase | undefined> {
  const state = JSON.parse(item.item_state) as ItemState;
  const open = openStep(state);
  const { content } = await services.workflows.version(item.workflow_id, item.version);
  const step = open && stepById(content, open[0]);
  if (!open || !step || !isPlaced(step) || !step.target || !open[1].candidates) return undefined;
  const [stepId, result] = open;
  const connector = await services.connections.connector(step.target.connection).catch(() => undefined);
  const candidates = result.candidates ?? [];
  const fields = shownFields(step, result);
  const isWeighed = candidates.length > 0 && candidates.every((one) => one.probability !== undefined);
  const shared = choose(
    candidates.map((one) => ({ candidate: one.id, probability: one.probability ?? 0 })),
    { same: 1, ask: 0 },
  );
  const rung = step.ladder?.rungs.find((one) => one.id === result.rung);
  return {
    step: stepId,
    place: step.target.labels,
    app: (await services.connections.get(step.target.connection)).name,
    singular: step.target.described.singular,
    why: result.message,
    fields: fields.map((field) => ({
      path: field.path,
      label: field.label,
      known: toText(result.known?.[field.path]),
      values: candidates.map((one) => deskValue(field, one.record, one.evidence)),
    })),
    candidates: candidates.map((one) => {
      const evidence = (one.evidence ?? []).filter(({ bearing }) => bearing !== 'empty');
      return {
        id: one.id,
        title: recordTitle(one.record),
        probability: isWeighed
          ? (shared.candidates.find(({ candidate }) => candidate === one.id)?.probability ?? 0)
          : null,
        link: connector?.linkTo(step.target?.path ?? [], one.id) ?? null,
        for: evidence.filter(({ bits }) => bits > 0).map(({ label, level }) => `${label}: ${level}`),
        against: evidence.filter(({ bits }) => bits < 0).map(({ label, level }) => `${label}: ${level}`),
        ruleSame: one.evidence ? ruleText(ruleFrom('', one.evidence, 'same')) : null,
        ruleNew: one.evidence ? ruleText(ruleFrom('', one.evidence, 'new')) : null,
      };
    }),
    sure: (rung?.kind === 'alike' ? rung.sure : undefined) ?? usuallySure,
    somebodyNew: isWeighed ? shared.somebodyNew : null,
    mayCreate: step.kind === 'write' || step.ladder?.atNone === 'create',
    mayMerge: candidates.length > 1 && step.target.described.can.update,
  };
}

/** The fields worth seeing: what is known, and what the candidates hold besides. */
function shownFields(step: PlacedStep, { known = {}, candidates = [] }: Unsettled): Field[] {
  const all = step.target?.described.fields ?? [];
  const isTold = (field: Field): boolean =>
    candidates.some(({ record }) => toText(readPointer(record, field.path as Pointer)) !== '');
  return [
    ...all.filter((field) => known[field.path] !== undefined),
    ...all.filter((field) => known[field.path] === undefined && isSaying(field) && isTold(field)),
  ].slice(0, 18);
}

/** Ids, times and flags of the app itself say nothing of who a record is. */
const isSaying = (field: Field): boolean =>
  !field.readOnly && !['list', 'record', 'boolean', 'instant', 'id'].includes(field.type);

function deskValue(field: Field, record: JsonRecord, evidence: Candidate['evidence'] = []): DeskValue {
  const value: Value = readPointer(record, field.path as Pointer) ?? null;
  // Comparisons of several fields bear all their labels.
  const said =
    evidence.find(({ label }) => label === field.label) ??
    evidence.find(({ label }) => label.split(', ').includes(field.label)) ??
    evidenceOfName(field, evidence);
  return { text: toText(value), said: said?.level ?? null, bits: said?.bits ?? 0, bearing: said?.bearing ?? null };
}

/** Given and family names are compared together, under names of their own. */
function evidenceOfName(field: Field, evidence: Candidate['evidence']) {
  const wanted = /first|given/i.test(field.label)
    ? 'given name'
    : /last|family|surname/i.test(field.label)
      ? 'family name'
      : undefined;
  return wanted === undefined ? undefined : evidence.find(({ label }) => label === wanted);
}

/** A rule made of a decision, with the waiting records that it would settle alike. */
export interface RulePreview {
  readonly rule: MatchRule;
  readonly text: string;
  readonly settles: readonly { readonly id: string; readonly title: string; readonly candidate: string | null }[];
}

/**
 * What deciding like this from now on would mean: the rule in words, and which other waiting records
 * of the same sentence it settles.
 * @throws NotPossible when the item isn't waiting with that candidate
 */
export async function previewRule(
  services: Services,
  itemId: string,
  candidateId: string,
  says: MatchRule['says'],
): Promise<RulePreview & { readonly workflowId: string; readonly step: string }> {
  const item = await services.db.selectFrom('item').selectAll().where('id', '=', itemId).executeTakeFirstOrThrow();
  const [stepId, result] = openStep(JSON.parse(item.item_state) as ItemState) ?? ['', undefined];
  const candidate = result?.candidates?.find((one) => one.id === candidateId);
  // A rule without a word of what agrees would fit everybody.
  if (!candidate?.evidence?.length)
    throw new NotPossible(
      'This record doesn’t wait for a decision between records, so there is no rule to make of it.',
    );
  const plain = stepId.split('#')[0] ?? stepId;
  const rule = ruleFrom(`rule-${services.seams.id().slice(0, 8)}`, candidate.evidence, says);
  const waiting = await services.db
    .selectFrom('item')
    .selectAll()
    .where('workflow_id', '=', item.workflow_id)
    .where(isUnsettled)
    .where('cause', '=', 'unclear')
    .where('id', '!=', itemId)
    .orderBy('seq')
    .execute();
  const settles = waiting.flatMap((one) => {
    const [step, other] = openStep(JSON.parse(one.item_state) as ItemState) ?? ['', undefined];
    const fitting = (other?.candidates ?? []).filter(({ evidence }) => fitsRule(rule, evidence ?? []));
    if ((step.split('#')[0] ?? step) !== plain || fitting.length === 0) return [];
    // "The same" settles only what one candidate alone fits; "somebody else" only where it fits all of them.
    const isSettled = says === 'same' ? fitting.length === 1 : fitting.length === other?.candidates?.length;
    return isSettled
      ? [{ id: one.id, title: one.title, candidate: says === 'same' ? (fitting[0]?.id ?? null) : null }]
      : [];
  });
  return { rule, text: ruleText(rule), settles, workflowId: item.workflow_id, step: plain };
}

/** A content with a rule added to a step's ladder. */
export function withRule(content: WorkflowContent, stepId: string, rule: MatchRule): WorkflowContent {
  return {
    ...content,
    steps: content.steps.map((step) => {
      if (step.id !== stepId || !isPlaced(step) || !step.ladder) return step;
      return { ...step, ladder: { ...step.ladder, rules: [...(step.ladder.rules ?? []), rule] } };
    }),
  };
}
