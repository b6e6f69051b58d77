import type { DocumentPreview } from '@golden/connectors';
import {
  type JsonRecord,
  nest,
  type PlannedWrite,
  type StepResult,
  type Told,
  takeOnPaper,
  type WorkflowVersion,
} from '@golden/core';
import type { Services } from '../services.ts';

/** What a draft would send for one record at one of its writes. */
export interface Payload {
  readonly body: JsonRecord | null;
  /** True when the app's own connector says what the body is. */
  readonly isExact: boolean;
  /** Why nothing would be sent. */
  readonly problem: string | null;
  /** What the app made of the record when it was last written for real. */
  readonly made: JsonRecord | null;
  /** The document that would be made, where the app makes one. */
  readonly document: DocumentPreview | null;
}

/**
 * Takes a record through the draft up to one write and asks its app how that would be sent. Nothing is sent.
 * `told` is what the lookups before it found, by step; a step that isn't in it finds nobody.
 */
export async function payloadFor(
  { workflows, connections, db, seams }: Services,
  workflowId: string,
  ask: { readonly step: string; readonly sourceId: string; readonly record: JsonRecord },
  told: Told = {},
): Promise<Payload> {
  const { draft } = await workflows.get(workflowId);
  const version = { content: draft, locale: await workflows.locale(draft) };
  const { write, result, question } = plannedWrite(version, ask.record, ask.step, seams.now(), told);
  const made = await lastMade(db, workflowId, ask);
  if (!write) {
    const problem =
      result?.kind === 'unsettled'
        ? result.message
        : question
          ? `This record doesn’t reach this step yet: an earlier one needs you first. ${question}`
          : 'This record doesn’t reach this step: an earlier one leaves it out.';
    return { body: null, isExact: false, problem, made, document: null };
  }
  const connector = await connections.connector(write.target.connection);
  const request = { write, token: 'given-when-it-is-sent' };
  const body = connector.payload ? await connector.payload(request) : nest(write.values);
  const document = (await connector.document?.(request)) ?? null;
  return { body, isExact: connector.payload !== undefined, problem: null, made, document };
}

function plannedWrite(
  version: WorkflowVersion,
  record: JsonRecord,
  stepId: string,
  now: string,
  told: Told,
): { readonly write?: PlannedWrite; readonly result?: StepResult | undefined; readonly question?: string | undefined } {
  const { state, effect } = takeOnPaper(
    version,
    record,
    now,
    told,
    (one) => one.kind === 'write' && one.step === stepId,
  );
  if (effect?.kind === 'write' && effect.step === stepId) return { write: effect.write };
  const asked = Object.values(state.steps).find((one) => one.kind === 'unsettled');
  return {
    result: state.steps[stepId],
    ...(asked?.kind === 'unsettled' && { question: asked.message }),
  };
}

async function lastMade(
  db: Services['db'],
  workflowId: string,
  ask: { readonly step: string; readonly sourceId: string },
): Promise<JsonRecord | null> {
  const row = await db
    .selectFrom('write')
    .innerJoin('item', 'item.id', 'write.item_id')
    .select('write.read')
    .where('item.workflow_id', '=', workflowId)
    .where('item.source_id', '=', ask.sourceId)
    .where('write.step', '=', ask.step)
    .where('write.status', '=', 'done')
    .orderBy('write.at', 'desc')
    .limit(1)
    .executeTakeFirst();
  return row?.read ? (JSON.parse(row.read) as JsonRecord) : null;
}
