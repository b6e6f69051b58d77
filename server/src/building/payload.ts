import {
  type Advance,
  type Answer,
  advance,
  assumedRecord,
  beginItem,
  describedPlace,
  type JsonRecord,
  nest,
  type PlannedWrite,
  type StepResult,
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
}

/** More effects than a workflow of any sensible size asks for. */
const mostEffects = 400;

/**
 * Takes a record through the draft up to one write and asks its app how that would be sent. Nothing is sent.
 * `told` is what the lookups before it found, by step; a step that isn't in it finds nobody.
 */
export async function payloadFor(
  { workflows, connections, db, seams }: Services,
  workflowId: string,
  ask: { readonly step: string; readonly sourceId: string; readonly record: JsonRecord },
  told: Readonly<Record<string, Answer>> = {},
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
          ? `This record doesn’t reach the sentence yet: an earlier one asks you first. ${question}`
          : 'This record doesn’t reach the sentence: an earlier one leaves it out.';
    return { body: null, isExact: false, problem, made };
  }
  const connector = await connections.connector(write.target.connection);
  const request = { write, token: 'given-when-it-is-sent' };
  const body = connector.payload ? await connector.payload(request) : nest(write.values);
  return { body, isExact: connector.payload !== undefined, problem: null, made };
}

function plannedWrite(
  version: Parameters<typeof advance>[0],
  record: JsonRecord,
  stepId: string,
  now: string,
  told: Readonly<Record<string, Answer>>,
): { readonly write?: PlannedWrite; readonly result?: StepResult | undefined; readonly question?: string | undefined } {
  let step: Advance = advance(version, beginItem(record, now), { kind: 'begin' });
  for (let guard = 0; step.effect && guard < mostEffects; guard++) {
    const { effect } = step;
    if (effect.kind === 'write' && effect.step === stepId) return { write: effect.write };
    step = advance(
      version,
      step.state,
      effect.kind === 'find'
        ? { kind: 'found', matches: [] }
        : effect.kind === 'match'
          ? (told[effect.step] ?? { kind: 'matched', tries: [] })
          : effect.kind === 'fetch'
            ? (told[effect.step] ?? { kind: 'fetched', found: null })
            : effect.kind === 'write'
              ? {
                  kind: 'written',
                  id: '',
                  record: assumedRecord(effect.write, describedPlace(version.content, effect.step)),
                }
              : { kind: 'not_readable' },
    );
  }
  const asked = Object.values(step.state.steps).find((one) => one.kind === 'unsettled');
  return {
    result: step.state.steps[stepId],
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
