import {
  contactKey,
  type ItemState,
  type JsonRecord,
  readPointer,
  startId,
  type WokenBy,
  type WorkflowContent,
} from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { ItemRow } from '../db/schema.ts';

// Where a workflow has each person in it once at a time, the first record of theirs that comes to a wait or a message is
// in it until it ends; another one goes no further from there.

/** Whom a record is about; undefined where its workflow doesn't ask. */
export const personOf = (
  { start: { once } }: Pick<WorkflowContent, 'start'>,
  record: JsonRecord | undefined,
): string | undefined => (once === undefined ? undefined : contactKey(readPointer(record ?? {}, once)));

/** By which record a person is in a workflow, other than by the one that comes now. */
export async function inItBy(
  db: Db | Trx,
  workflowId: string,
  person: string,
  sourceId: string,
): Promise<string | undefined> {
  const other = await db
    .selectFrom('item')
    .select('title')
    .where('workflow_id', '=', workflowId)
    .where('person', '=', person)
    .where('state', 'in', ['running', 'unsettled', 'waiting'])
    .where('source_id', '!=', sourceId)
    .executeTakeFirst();
  return other?.title;
}

/** Why a record goes no further. */
export const inItText = (person: string, title: string): string => `${person} is in it already, with “${title}”.`;

/** What ends its wait at once. */
export const stoppedBecause = (stops: string): WokenBy => ({ kind: 'event', event: 'once', told: { stops } });

/** Has an item be in its workflow for its person, or gives why it goes no further. */
export async function alreadyIn(
  trx: Trx,
  item: Pick<ItemRow, 'id' | 'workflow_id' | 'source_id' | 'item_state'>,
  content: WorkflowContent,
): Promise<string | undefined> {
  if (content.start.once === undefined) return undefined;
  const person = personOf(content, (JSON.parse(item.item_state) as ItemState).values[startId]);
  if (person === undefined) return undefined;
  const other = await inItBy(trx, item.workflow_id, person, item.source_id);
  if (other !== undefined) return inItText(person, other);
  await trx.updateTable('item').set({ person }).where('id', '=', item.id).execute();
  return undefined;
}

/** The same while a rehearsal takes many records through at once. */
export class RehearsedPeople {
  private readonly inIt = new Map<string, { readonly source: string; readonly title: string }>();

  constructor(
    private readonly db: Db,
    private readonly workflowId: string,
    private readonly content: WorkflowContent,
  ) {}

  /** Why a record goes no further; undefined where it is in it from now on. */
  async why(record: JsonRecord | undefined, source: string, title: string): Promise<string | undefined> {
    const person = personOf(this.content, record);
    if (person === undefined) return undefined;
    const known = this.inIt.get(person);
    if (known) return known.source === source ? undefined : inItText(person, known.title);
    const other = await inItBy(this.db, this.workflowId, person, source);
    if (other !== undefined) return inItText(person, other);
    this.inIt.set(person, { source, title });
    return undefined;
  }
}
