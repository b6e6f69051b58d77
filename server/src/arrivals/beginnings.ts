import { comesByItself, draftOfEvents, type Field, formatPointer, isPlaced, type WorkflowContent } from '@golden/core';
import type { WayToStart } from '../api/doors/routes.ts';
import { lookAt } from '../building/copies.ts';
import type { Db } from '../db/open.ts';
import { DoorSettingSchema } from '../doors/setting.ts';
import type { Services } from '../services.ts';
import { loadSettings } from '../settings.ts';
import { type Ask, AsksSchema } from './asks.ts';
import { FileSettingSchema } from './files/setting.ts';
import { putEarlier } from './relays.ts';
import { recordOfTime, timeFields } from './told-by-time.ts';

/** A draft that begins in a way that asks no app, with an inbox of its own. */
export async function beginningOf(services: Services, way: WayToStart): Promise<WorkflowContent> {
  const { doors, arrivals, files } = services;
  const placed = async ({ connection, path }: { connection: string; path: string[] }, name: string) =>
    (await lookAt(services, { connection, path, labels: [name] })).place;
  switch (way.kind) {
    case 'posted':
      return draftOfEvents(await placed(await doors.add(way.name), way.name), way.name);
    case 'hand': {
      const words = { name: way.name, singular: 'beginning', plural: 'beginnings', asks: way.asks };
      const source = await placed(await arrivals.addInbox(words), way.name);
      return draftOfEvents(source, way.name, { kind: 'hand' });
    }
    case 'time': {
      const words = { name: way.name, singular: 'time', plural: 'times', fields: timeFields };
      const inbox = await arrivals.addInbox(words);
      // The time at which it is made is a sample: it is known, and not sent.
      const { zone } = await loadSettings(services.db);
      await arrivals.storeRecord(
        inbox.path[0] ?? '',
        `sample ${services.seams.id()}`,
        recordOfTime(services.seams.now(), zone),
      );
      const source = await placed(inbox, way.name);
      return draftOfEvents(source, way.name, { kind: 'times', at: ['06:00'], days: [1, 2, 3, 4, 5] });
    }
    case 'file': {
      const source = await placed(await files.add(way.name), way.name);
      return draftOfEvents(source, way.name, { kind: 'event' }, 'added_or_changed');
    }
    case 'after':
      return afterAnother(services, way, placed);
  }
}

async function afterAnother(
  { commits, workflows, arrivals }: Services,
  { workflow, moment }: Extract<WayToStart, { kind: 'after' }>,
  placed: (
    at: { connection: string; path: string[] },
    name: string,
  ) => Promise<WorkflowContent['start']['source'] & {}>,
): Promise<WorkflowContent> {
  const { draft } = await workflows.get(workflow);
  const [singular, plural] =
    moment === 'record' ? ['delivered record', 'delivered records'] : ['ended run', 'ended runs'];
  const fields = moment === 'record' ? fieldsOfDelivered(draft) : runFields;
  const inbox = await arrivals.addInbox({ name: draft.name, singular, plural, fields });
  const relay = { inbox_id: inbox.path[0] ?? '', workflow_id: workflow, moment };
  await commits.run(async (trx) => {
    await trx.insertInto('relay').values(relay).execute();
    if (moment === 'record') await putEarlier(trx, relay);
  });
  return draftOfEvents(await placed(inbox, draft.name), `After ${draft.name}`);
}

/** A copy of a content that begins by itself: with an inbox, and an address, of its own. */
export async function withOwnInbox(services: Services, content: WorkflowContent): Promise<WorkflowContent> {
  const { db, arrivals, doors, files } = services;
  const { source } = content.start;
  if (!source || !comesByItself(content.start)) return content;
  const id = source.path[0] ?? '';
  const inbox = await db.selectFrom('inbox').selectAll().where('id', '=', id).executeTakeFirst();
  if (!inbox) return content;
  const { name, singular, plural } = inbox;
  const [asks, fields] = [AsksSchema.parse(JSON.parse(inbox.asks)), JSON.parse(inbox.fields) as Field[]];
  const { path } = await arrivals.addInbox({ name, singular, plural, asks, fields });
  const own = path[0] ?? '';
  const door = await db.selectFrom('door').select('setting').where('inbox_id', '=', id).executeTakeFirst();
  if (door) await doors.open(own, DoorSettingSchema.parse(JSON.parse(door.setting)));
  const taking = await db.selectFrom('file_start').select('setting').where('inbox_id', '=', id).executeTakeFirst();
  // Two that watch one folder would take the files from each other.
  if (taking) await files.open(own, { ...FileSettingSchema.parse(JSON.parse(taking.setting)), watch: null });
  const relay = await db.selectFrom('relay').selectAll().where('inbox_id', '=', id).executeTakeFirst();
  if (relay)
    await db
      .insertInto('relay')
      .values({ ...relay, inbox_id: own })
      .execute();
  return {
    ...content,
    start: { ...content.start, source: { ...source, path, described: { ...source.described, name: own } } },
  };
}

/** What is known of a record that a workflow delivers: the record itself, and what was written of it by each step. */
function fieldsOfDelivered({ start, steps }: WorkflowContent): Field[] {
  const under = (above: string, what: string, fields: readonly Field[]): Field[] =>
    fields.map(({ readOnly: _r, required: _q, ...field }) => ({
      ...field,
      path: `${above}${field.path}`,
      label: what === '' ? field.label : `${field.label} (${what})`,
    }));
  const written = steps.flatMap((step) => {
    if (!isPlaced(step) || step.kind !== 'write' || !step.target) return [];
    const above = formatPointer(['wrote', step.id]);
    const what = step.target.labels.at(-1) ?? '';
    const id: Field = { path: `${above}/id`, label: `id (${what})`, type: 'id' };
    return [
      id,
      ...under(
        above,
        what,
        step.target.described.fields.filter(({ path }) => path !== '/id'),
      ),
    ];
  });
  return [...under('/record', '', start.source?.described.fields ?? []), ...written];
}

/** What is known of a run that has ended. */
const runFields: readonly Field[] = [
  { path: '/run', label: 'run', type: 'text' },
  { path: '/started', label: 'started', type: 'instant' },
  { path: '/ended', label: 'ended', type: 'instant' },
  { path: '/takenIn', label: 'taken in', type: 'integer' },
  { path: '/delivered', label: 'delivered', type: 'integer' },
  { path: '/leftOut', label: 'left out', type: 'integer' },
  { path: '/needsYou', label: 'needs you', type: 'integer' },
];

interface BegunByHand {
  readonly inbox: string;
  readonly asks: readonly Ask[];
}

/** The inbox of a live workflow that a person begins, and what they are asked for; undefined where it doesn’t begin so. */
export async function begunByHand(
  { db, workflows }: Pick<Services, 'db' | 'workflows'>,
  workflowId: string,
): Promise<BegunByHand | undefined> {
  const { liveVersion, isOn } = await workflows.get(workflowId);
  if (liveVersion === null || !isOn) return undefined;
  return askedBy(db, (await workflows.version(workflowId, liveVersion)).content);
}

/** What is asked for by a workflow, live or a draft; undefined where no person begins it. */
export async function askedBy(db: Db, { start }: WorkflowContent): Promise<BegunByHand | undefined> {
  if (start.trigger.kind !== 'hand' || !start.source) return undefined;
  const [id = ''] = start.source.path;
  const inbox = await db.selectFrom('inbox').select('asks').where('id', '=', id).executeTakeFirst();
  return inbox && { inbox: id, asks: AsksSchema.parse(JSON.parse(inbox.asks)) };
}
