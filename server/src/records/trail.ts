import { type Decision, type ItemState, type TrailEntry, trailOfItem } from '@golden/core';
import type { Services } from '../services.ts';
import { identitiesOf, type RecordKey } from './identities.ts';

/** Items that are told of one record at most: the newest. */
const mostItems = 300;

/** An entry with where to look further. */
export interface ToldEntry extends TrailEntry {
  readonly itemId: string | null;
  readonly workflowId: string | null;
  readonly runId: string | null;
}

type Parts = Pick<Services, 'db' | 'workflows' | 'connections'>;

/** Everything that happened to a record, whatever app it stands in and whichever workflow did it, the oldest first. */
export async function trailOf(services: Parts, key: RecordKey) {
  const identities = await identitiesOf(services.db, key);
  const entries: ToldEntry[] = [];
  for (const identity of identities) {
    entries.push(...(await ofItems(services, identity)));
    entries.push(...(await ofNoted(services, identity)));
    entries.push(...(await ofMerges(services, identity)));
  }
  const order = new Map(entries.map((entry, at) => [entry, at]));
  entries.sort((one, other) => one.at.localeCompare(other.at) || (order.get(one) ?? 0) - (order.get(other) ?? 0));
  return { identities, entries };
}

async function ofItems({ db, workflows, connections }: Parts, { account, place, id }: RecordKey): Promise<ToldEntry[]> {
  const items = await db
    .selectFrom('item')
    .innerJoin('intake', 'intake.id', 'item.intake_id')
    .selectAll('item')
    .where('intake.account', '=', account)
    .where('intake.place', '=', place)
    .where('item.source_id', '=', id)
    .orderBy('item.seq', 'desc')
    .limit(mostItems)
    .execute();
  if (items.length === 0) return [];
  const ids = items.map((item) => item.id);
  const writes = await db
    .selectFrom('write')
    .select(['item_id', 'step', 'done_at'])
    .where('item_id', 'in', ids)
    .where('status', '=', 'done')
    .where('purpose', '=', 'deliver')
    .execute();
  const decisions = await db.selectFrom('decision').selectAll().where('item_id', 'in', ids).orderBy('at').execute();
  const journal = await db
    .selectFrom('journal')
    .select(['item_id', 'at', 'kind'])
    .where('item_id', 'in', ids)
    .where('kind', '=', 'taken_back')
    .execute();
  const names = new Map((await connections.list()).map((one) => [one.id, one.name]));
  const told: ToldEntry[] = [];
  for (const item of items.reverse()) {
    const version = await workflows.readableVersion(item.workflow_id, item.version);
    if (!version) continue;
    const own = <T extends { item_id: string }>(rows: readonly T[]): T[] =>
      rows.filter((row) => row.item_id === item.id);
    const entries = trailOfItem({
      takenAt: item.taken_at,
      endedAt: item.ended_at,
      version: item.version,
      itemState: item.state,
      message: item.message,
      state: JSON.parse(item.item_state) as ItemState,
      content: version.content,
      appOf: (connection) => names.get(connection) ?? 'an app that is gone',
      writtenAt: Object.fromEntries(own(writes).flatMap(({ step, done_at }) => (done_at ? [[step, done_at]] : []))),
      decisions: own(decisions).map(({ at, decision }) => ({ at, decision: JSON.parse(decision) as Decision })),
      journal: own(journal),
    });
    told.push(
      ...entries.map((entry) => ({ ...entry, itemId: item.id, workflowId: item.workflow_id, runId: item.run_id })),
    );
  }
  return told;
}

/** Where it was known before a workflow began, and not sent. */
async function ofNoted({ db, workflows }: Parts, { account, place, id }: RecordKey): Promise<ToldEntry[]> {
  const rows = await db
    .selectFrom('seen')
    .innerJoin('intake', 'intake.id', 'seen.intake_id')
    .innerJoin('run', 'run.id', 'seen.run_id')
    .select(['intake.workflow_id', 'run.started_at', 'run.id as run_id'])
    .where('intake.account', '=', account)
    .where('intake.place', '=', place)
    .where('seen.source_id', '=', id)
    .where('seen.is_taken', '=', 0)
    .execute();
  const told: ToldEntry[] = [];
  for (const { workflow_id, started_at, run_id } of rows) {
    // What was taken back counts as known as well; its own entries tell that.
    const taken = await db
      .selectFrom('item')
      .innerJoin('intake', 'intake.id', 'item.intake_id')
      .select('item.id')
      .where('intake.workflow_id', '=', workflow_id)
      .where('item.source_id', '=', id)
      .executeTakeFirst();
    if (taken) continue;
    const { draft } = await workflows.get(workflow_id);
    told.push({
      at: started_at,
      text: `Already known when “${draft.name}” began, and not sent.`,
      tone: 'left_out',
      itemId: null,
      workflowId: workflow_id,
      runId: run_id,
    });
  }
  return told;
}

async function ofMerges({ db }: Parts, { account, place, id }: RecordKey): Promise<ToldEntry[]> {
  const rows = await db
    .selectFrom('merge')
    .innerJoin('duplicate_group', 'duplicate_group.id', 'merge.group_id')
    .select(['merge.survivor', 'merge.made_at', 'merge.state', 'merge.ended_at', 'duplicate_group.records'])
    .where('merge.account', '=', account)
    .where('merge.place', '=', place)
    .execute();
  return rows.flatMap(({ survivor, made_at, state, ended_at, records }): ToldEntry[] => {
    const ids = (JSON.parse(records) as { id: string }[]).map((one) => one.id);
    if (!ids.includes(id)) return [];
    const others = ids.filter((one) => one !== survivor).join(', ');
    const nobody = { itemId: null, workflowId: null, runId: null };
    const merged: ToldEntry = {
      at: made_at,
      text: survivor === id ? `Merged: ${others} became part of it.` : `Merged into ${survivor}.`,
      tone: 'plain',
      ...nobody,
    };
    if (state !== 'undone' || !ended_at) return [merged];
    return [merged, { at: ended_at, text: 'The merge was undone.', tone: 'undone', ...nobody }];
  });
}
