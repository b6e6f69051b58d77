import { AppError, type Connector } from '@golden/connectors';
import { handedMark, recordTitle, type Start } from '@golden/core';
import { isDropped } from '../arrivals/files/dropped.ts';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { IntakeRow } from '../db/schema.ts';
import { changesAmong } from './changes-among.ts';
import type { EngineContext } from './context.ts';
import { type PagesRequest, type SourcePage, sourcePages } from './source-pages.ts';

/** What a person has to look at before a check takes anything in. */
export interface SurgeFinding {
  /** Far more came than is usual, or most of what was known is gone. */
  readonly kind: 'surge' | 'removed';
  readonly count: number;
  /** The number above which it is held, or of how many that were known. */
  readonly of: number;
  /** Names of the first few. */
  readonly examples: readonly string[];
  readonly at: string;
}

/** What a person has said to what was shown, for that very count. */
export interface Consent extends Pick<SurgeFinding, 'kind' | 'count'> {
  /** Taken in, or only noted as known. */
  readonly answer: 'take' | 'note';
}

/** Nothing was taken in, because a person has to look first. */
export class NeedsLook extends AppError {
  override readonly name = 'NeedsLook';
  readonly unsettledCause = 'held';
  constructor(readonly held: SurgeFinding) {
    super(
      held.kind === 'surge'
        ? `This check found ${held.count} records at once, more than ${held.of}, so it is on hold. Nothing was taken in.`
        : `${held.count} of ${held.of} records are gone at once. Nothing was taken in.`,
    );
  }
}

/** Below this nothing counts as far more than usual. */
const leastHeld = 200;
/** So many times the most that a check has brought is far more than usual. */
const muchMore = 5;
/** How many checks are looked back at. */
const lookedBack = 50;
/** Names that are shown of what is held. */
export const mostExamples = 10;
/** Pages that are kept while the rest is counted; a longer listing is asked for once more. */
const mostKept = 20;

/** Above how many records a check of a workflow is held, judged by what its checks brought so far. */
export async function proposedLimit(db: Db | Trx, workflowId: string): Promise<number> {
  const runs = await db
    .selectFrom('run')
    .select('taken_in')
    .where('workflow_id', '=', workflowId)
    .where('kind', 'in', ['check', 'asked'])
    .where('wanted', 'is', null)
    .where('ended_at', 'is not', null)
    .where('taken_in', '>', 0)
    .orderBy('started_at', 'desc')
    .limit(lookedBack)
    .execute();
  const [highest = 0, next = highest] = runs.map((run) => run.taken_in).sort((one, other) => other - one);
  // One surge that was let in doesn't make the next one usual.
  return Math.max(leastHeld, muchMore * next);
}

/** What a person has said of what is held back; undefined when nothing. */
export async function consentOf(db: Db | Trx, workflowId: string): Promise<Consent | undefined> {
  const trigger = await db
    .selectFrom('trigger_state')
    .select('consent')
    .where('workflow_id', '=', workflowId)
    .executeTakeFirst();
  return trigger?.consent ? (JSON.parse(trigger.consent) as Consent) : undefined;
}

/**
 * Looks how much a check would take in before it takes in any of it. Gives the pages where they are
 * few enough to be kept.
 * @throws NeedsLook when it is far more than usual, and nobody has said yes to so many
 */
export async function lookBeforeTaking(
  context: EngineContext,
  connector: Connector,
  intake: IntakeRow,
  start: Start,
  ask: PagesRequest,
): Promise<readonly SourcePage[] | undefined> {
  const { db, seams } = context;
  const limit = start.holdsAbove ?? (await proposedLimit(db, intake.workflow_id));
  let kept: SourcePage[] | undefined = [];
  let count = 0;
  const examples: string[] = [];
  for await (const page of sourcePages(connector, start, ask)) {
    kept?.push(page);
    if (kept && kept.length > mostKept) kept = undefined;
    for (const { record } of await changesAmong(context, intake, start, page)) {
      // Whoever dropped a file saw how many it brings, and said yes.
      // So did whoever rehearsed the workflow that hands it over.
      if (isDropped(record) || handedMark(record)) continue;
      count += 1;
      if (examples.length < mostExamples) examples.push(recordTitle(record));
    }
  }
  const consent = await consentOf(db, intake.workflow_id);
  const allowed = consent?.kind === 'surge' ? consent.count + limit : limit;
  if (count > allowed) throw new NeedsLook({ kind: 'surge', count, of: limit, examples, at: seams.now() });
  return kept;
}
