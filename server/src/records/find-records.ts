import { chunks } from '../engine/change-detection.ts';
import type { Services } from '../services.ts';
import { nameOfKey, type RecordKey } from './identities.ts';

/** A record that was found, with what is known of it without asking its app. */
export interface FoundRecord {
  readonly key: RecordKey;
  readonly title: string;
  readonly app: string;
  /** What one of its kind is called there. */
  readonly singular: string;
  /** How its newest item stands; null where it was only seen, never taken in. */
  readonly state: string | null;
  readonly message: string | null;
  readonly at: string;
  /** How many items it has. */
  readonly items: number;
}

/** Items that are looked at, and records that are shown. */
const mostItems = 400;
const mostRecords = 60;

type Parts = Pick<Services, 'db' | 'connections' | 'workflows' | 'recordIndex'>;

/** The records in which a text occurs, the one that something happened to last first. */
export async function findRecords(services: Parts, text: string) {
  const { db, recordIndex } = services;
  const { seqs, isComplete } = await recordIndex.find(text, mostItems);
  const found = new Map<string, FoundRecord>();
  const describe = describer(services);
  for (const some of chunks([...seqs], 200)) {
    const items = await db
      .selectFrom('item')
      .innerJoin('intake', 'intake.id', 'item.intake_id')
      .select(['item.workflow_id', 'item.version', 'item.source_id', 'item.title', 'item.state', 'item.message'])
      .select(['item.taken_at', 'item.ended_at', 'intake.account', 'intake.place'])
      .where('item.seq', 'in', some)
      .orderBy('item.seq', 'desc')
      .execute();
    for (const item of items) {
      const key = { account: item.account, place: item.place, id: item.source_id };
      const name = nameOfKey(key);
      const known = found.get(name);
      if (known) {
        found.set(name, { ...known, items: known.items + 1 });
        continue;
      }
      const { title, state, message } = item;
      const at = item.ended_at ?? item.taken_at;
      found.set(name, { key, title, state, message, at, items: 1, ...(await describe(item)) });
    }
  }
  for (const one of await onlySeen(services, text.trim(), describe))
    if (!found.has(nameOfKey(one.key))) found.set(nameOfKey(one.key), one);
  return {
    records: [...found.values()].slice(0, mostRecords),
    isMore: found.size > mostRecords || seqs.length === mostItems,
    isComplete,
  };
}

type Describe = (item: {
  readonly workflow_id: string;
  readonly version: number;
}) => Promise<Pick<FoundRecord, 'app' | 'singular'>>;

/** Tells of which app and kind records are, by the workflow that took them in. */
function describer({ workflows, connections }: Parts): Describe {
  const known = new Map<string, Pick<FoundRecord, 'app' | 'singular'>>();
  return async ({ workflow_id, version }) => {
    const name = `${workflow_id}/${version}`;
    const before = known.get(name);
    if (before) return before;
    const source = (await workflows.readableVersion(workflow_id, version))?.content.start.source;
    const app = source
      ? await connections.get(source.connection).then(
          (one) => one.name,
          () => 'an app that is gone',
        )
      : '';
    const told = { app, singular: source?.described.singular ?? 'record' };
    known.set(name, told);
    return told;
  };
}

/** Records that were known before a workflow began: nothing of them is kept but their ids. */
async function onlySeen({ db, workflows }: Parts, id: string, describe: Describe): Promise<FoundRecord[]> {
  if (id === '') return [];
  const intakes = await db.selectFrom('intake').select(['id', 'workflow_id', 'account', 'place']).execute();
  const found: FoundRecord[] = [];
  for (const intake of intakes) {
    const seen = await db
      .selectFrom('seen')
      .select(['source_id', 'seen_at', 'is_taken'])
      .where('intake_id', '=', intake.id)
      .where('source_id', '=', id)
      .where('is_taken', '=', 0)
      .executeTakeFirst();
    if (!seen) continue;
    const { liveVersion } = await workflows.get(intake.workflow_id);
    const told = await describe({ workflow_id: intake.workflow_id, version: liveVersion ?? 1 });
    found.push({
      key: { account: intake.account, place: intake.place, id },
      title: id,
      state: null,
      message: null,
      at: seen.seen_at ?? '',
      items: 0,
      ...told,
    });
  }
  return found;
}
