import { isReady, recordTitle, type Start, tellingOf, type WorkflowContent } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { IntakeRow } from '../db/schema.ts';
import { changesAmong } from './changes-among.ts';
import type { EngineContext } from './context.ts';
import { NotPossible } from './errors.ts';
import { beginAnew, findIngestState, ingestStateOf } from './ingest-state.ts';
import { carryOver } from './renamed-places.ts';
import { newRun } from './runs.ts';
import { sourcePages } from './source-pages.ts';

/** Why a version that goes live doesn't go on where the one before stood. */
type Begins = 'first' | 'source' | 'from_when';

/** What lies between the last check of the live version and now, and what becomes of it. */
interface LiesBetween {
  /** Null where the new version goes on where the last one stood. */
  readonly begins: Begins | null;
  readonly fromWhen: Start['fromWhen'];
  readonly lastCheckedAt: string | null;
  /** What the source has that no check has seen, and a few of its names; null where nothing was checked before. */
  readonly between: { readonly count: number; readonly titles: readonly string[] } | null;
  /** True when what lies between is taken in; false when it is only noted as known. */
  readonly isTaken: boolean;
}

const mostLookedAt = 5000;
const mostNamed = 3;

/**
 * Makes a version the live one and switches on, all in one. It goes on where the last version stood;
 * "from when" is carried out only the first time, where the source is another one, or where a person
 * has changed it.
 *
 * @param seen - how many a person was shown to lie between: so many aren't held once more
 * @param takesOver - it goes on with those who wait on earlier versions, as far as it can
 */
export async function goLive(
  context: EngineContext,
  workflowId: string,
  nextAt: string | null,
  seen?: number,
  takesOver = false,
): Promise<{ version: number; run: string }> {
  const { workflows, commits, seams } = context;
  const { draft, liveVersion } = await workflows.get(workflowId);
  if (!isReady(draft)) throw new NotPossible('The draft isn’t ready. Solve the problems shown at its steps first.');
  const before = liveVersion === null ? undefined : (await workflows.version(workflowId, liveVersion)).content;
  const version = await workflows.freeze(workflowId);
  const run = await commits.run(async (trx) => {
    await trx
      .updateTable('workflow')
      .set({ live_version: version, is_on: 1, waits_go_on: 0, takes_over: takesOver ? version : null })
      .where('id', '=', workflowId)
      .execute();
    await carryOver(trx, draft, (connection) => context.connections.accountOf(connection));
    const intake = await broughtUp(context, trx, workflowId, draft.start, before);
    const consent = seen === undefined ? null : JSON.stringify({ kind: 'surge', count: seen, answer: 'take' });
    const state = {
      next_at: nextAt,
      last_checked_at: seams.now(),
      message: null,
      cause: null,
      waits_for: null,
      is_paused: 0,
      held: null,
      consent,
    };
    // Events that told of something before it went live tell nothing new.
    const newest = await trx.selectFrom('arrival').select('seq').orderBy('seq', 'desc').limit(1).executeTakeFirst();
    const told = before && tellingOf(before.start) ? {} : { told_seq: newest?.seq ?? 0 };
    await trx
      .insertInto('trigger_state')
      .values({ workflow_id: workflowId, ...state, ...told })
      .onConflict((conflict) => conflict.column('workflow_id').doUpdateSet({ ...state, ...told }))
      .execute();
    const begun = newRun(context, intake, version, intake.phase === 'first' ? 'first' : 'asked');
    await trx.insertInto('run').values(begun).execute();
    return begun;
  });
  context.seams.reach('go-live:after-store');
  return { version, run: run.id };
}

/** The intake of a version that goes live, at the point from which it lists. */
async function broughtUp(
  context: EngineContext,
  trx: Trx,
  workflowId: string,
  start: Start,
  before: WorkflowContent | undefined,
): Promise<IntakeRow> {
  const known = await findIngestState(trx, context, workflowId, start);
  if (known && before && isOtherBeginning(before.start, start)) await beginAnew(trx, known);
  // What is compared with is another thing now: all is listed once, so that each record's is known.
  else if (known && before && isOtherComparison(before.start, start))
    await trx.updateTable('intake').set({ since: null }).where('id', '=', known.id).execute();
  return ingestStateOf(trx, context, workflowId, start);
}

const isOtherBeginning = (before: Start, now: Start): boolean =>
  JSON.stringify(before.fromWhen) !== JSON.stringify(now.fromWhen);

const isOtherComparison = (before: Start, now: Start): boolean =>
  before.on !== now.on || JSON.stringify(before.becomes) !== JSON.stringify(now.becomes);

/** What would lie between if the draft went live now. @throws AppError when the source can't be asked */
export async function liesBetween(context: EngineContext, workflowId: string): Promise<LiesBetween> {
  const { workflows, db } = context;
  const { draft, liveVersion } = await workflows.get(workflowId);
  const { start } = draft;
  const intake = await findIngestState(db, context, workflowId, start);
  const before = liveVersion === null ? undefined : (await workflows.version(workflowId, liveVersion)).content;
  const trigger = await db
    .selectFrom('trigger_state')
    .select('last_checked_at')
    .where('workflow_id', '=', workflowId)
    .executeTakeFirst();
  const begins = beginningOf(intake, before, start);
  const between = intake?.phase === 'asking' ? await notSeen(context, intake, start) : null;
  return {
    begins,
    fromWhen: start.fromWhen,
    lastCheckedAt: trigger?.last_checked_at ?? null,
    between,
    isTaken: begins === null || start.fromWhen.kind === 'all',
  };
}

function beginningOf(intake: IntakeRow | undefined, before: WorkflowContent | undefined, start: Start): Begins | null {
  if (!before) return 'first';
  if (!intake) return 'source';
  if (isOtherBeginning(before.start, start)) return 'from_when';
  return intake.phase === 'first' ? 'first' : null;
}

async function notSeen(
  context: EngineContext,
  intake: IntakeRow,
  start: Start,
): Promise<{ count: number; titles: string[] }> {
  const titles: string[] = [];
  let count = 0;
  let looked = 0;
  const connector = await context.connections.connector(start.source?.connection ?? '');
  const since = start.on === 'removed' ? undefined : (intake.since ?? undefined);
  for await (const page of sourcePages(connector, start, { since })) {
    for (const record of await changesAmong(context, intake, start, page)) {
      count += 1;
      if (titles.length < mostNamed) titles.push(recordTitle(record.record));
    }
    looked += page.records.length;
    if (looked >= mostLookedAt) break;
  }
  return { count, titles };
}
