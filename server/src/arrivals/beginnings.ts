import {
  arrivalEvent,
  comesByItself,
  draftOfEvents,
  draftOfHanded,
  type Field,
  FieldSchema,
  formatPointer,
  type WorkflowContent,
} from '@golden/core';
import { z } from 'zod';
import type { WayToStart } from '../api/doors/routes.ts';
import { lookAt } from '../building/copies.ts';
import type { Db } from '../db/open.ts';
import { MailDoorSettingSchema } from '../doors/mail/setting.ts';
import { DoorSettingSchema } from '../doors/setting.ts';
import { FormSettingSchema } from '../forms/setting.ts';
import { addHandedInbox } from '../handing/start-fields.ts';
import type { Services } from '../services.ts';
import { loadSettings } from '../settings.ts';
import { type Ask, AsksSchema } from './asks.ts';
import { FileSettingSchema } from './files/setting.ts';
import { putEarlier } from './relays.ts';
import { recordOfTime, timeFields } from './told-by-time.ts';

/** A draft that begins in a way that asks no app, with an inbox of its own. */
export async function beginningOf(services: Services, way: WayToStart): Promise<WorkflowContent> {
  const { doors, mailDoors, arrivals, files } = services;
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
    case 'mail':
      return draftOfEvents(await placed(await mailDoors.add(way.name), way.name), way.name);
    case 'form':
      return draftOfEvents(await placed(await services.forms.add(way.name), way.name), way.name);
    case 'file': {
      const source = await placed(await files.add(way.name), way.name);
      return draftOfEvents(source, way.name, { kind: 'event' }, 'added_or_changed');
    }
    case 'handed':
      return draftOfHanded(
        await placed(await addHandedInbox(services, way.name, 'record', way.fields), way.name),
        way.name,
      );
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

/** How a workflow begins that asks no app: what is set of that, without its address and its secret. */
export const BeginningSchema = z.object({
  name: z.string().min(1).max(200),
  singular: z.string().min(1).max(60),
  plural: z.string().min(1).max(60),
  asks: AsksSchema,
  /** What is known of its records before any has come. */
  fields: z.array(FieldSchema).max(500),
  /** Present where its events are posted, and where it takes files. */
  door: DoorSettingSchema.optional(),
  files: FileSettingSchema.optional(),
  /** Present where mails are sent to it. */
  mail: MailDoorSettingSchema.optional(),
  /** Present where a form is filled in. */
  form: FormSettingSchema.optional(),
});
export type Beginning = z.infer<typeof BeginningSchema>;

/** How a content begins; undefined where it asks an app, or begins after another workflow of this place. */
export async function beginningIn(db: Db, { start }: WorkflowContent): Promise<Beginning | undefined> {
  if (!start.source || !comesByItself(start)) return undefined;
  const id = start.source.path[0] ?? '';
  const inbox = await db.selectFrom('inbox').selectAll().where('id', '=', id).executeTakeFirst();
  if (!inbox) return undefined;
  const door = await db.selectFrom('door').select('setting').where('inbox_id', '=', id).executeTakeFirst();
  const taking = await db.selectFrom('file_start').select('setting').where('inbox_id', '=', id).executeTakeFirst();
  const mail = await db.selectFrom('mail_door').select('setting').where('inbox_id', '=', id).executeTakeFirst();
  const form = await db.selectFrom('form').select('setting').where('inbox_id', '=', id).executeTakeFirst();
  const { name, singular, plural } = inbox;
  return {
    name,
    singular,
    plural,
    asks: AsksSchema.parse(JSON.parse(inbox.asks)),
    fields: JSON.parse(inbox.fields) as Field[],
    ...(door && { door: DoorSettingSchema.parse(JSON.parse(door.setting)) }),
    ...(mail && { mail: MailDoorSettingSchema.parse(JSON.parse(mail.setting)) }),
    ...(form && { form: FormSettingSchema.parse(JSON.parse(form.setting)) }),
    // Two that watch one folder would take the files from each other; and it is a folder of this machine.
    ...(taking && { files: { ...FileSettingSchema.parse(JSON.parse(taking.setting)), watch: null } }),
  };
}

/** A content that begins so, with an inbox, and an address, of its own. */
export async function begunSo(
  { arrivals, doors, mailDoors, forms, files }: Pick<Services, 'arrivals' | 'doors' | 'mailDoors' | 'forms' | 'files'>,
  content: WorkflowContent,
  { door, mail, form, files: taking, ...words }: Beginning,
): Promise<WorkflowContent> {
  const { source } = content.start;
  if (!source) return content;
  const { connection, path } = await arrivals.addInbox(words);
  const [own = ''] = path;
  if (door) await doors.open(own, door);
  if (mail) await mailDoors.open(own, words.name, mail);
  if (form) await forms.open(own, form);
  if (taking) await files.open(own, taking);
  const described = { ...source.described, name: own };
  return { ...content, start: { ...content.start, source: { ...source, connection, path, described } } };
}

/** A content whose app tells of its records, with an address of its own for that. */
export async function withOwnTelling(
  { doors }: Pick<Services, 'doors'>,
  content: WorkflowContent,
): Promise<WorkflowContent> {
  const { trigger, source } = content.start;
  if (trigger.kind !== 'event' || !trigger.tells) return content;
  const { path } = await doors.add(source?.labels.at(-1) ?? content.name);
  return { ...content, start: { ...content.start, trigger: { ...trigger, event: arrivalEvent(path[0] ?? '') } } };
}

/** A copy of a content that begins by itself, or is told: with an inbox, and an address, of its own. */
export async function withOwnInbox(services: Services, content: WorkflowContent): Promise<WorkflowContent> {
  const { db } = services;
  if (!comesByItself(content.start)) return withOwnTelling(services, content);
  const beginning = await beginningIn(db, content);
  if (!beginning) return content;
  const copy = await begunSo(services, content, beginning);
  const [id = ''] = content.start.source?.path ?? [];
  const relay = await db.selectFrom('relay').selectAll().where('inbox_id', '=', id).executeTakeFirst();
  if (relay)
    await db
      .insertInto('relay')
      .values({ ...relay, inbox_id: copy.start.source?.path[0] ?? '' })
      .execute();
  return copy;
}

/** Fields under another path, with what they are fields of. */
const under = (above: string, what: string, fields: readonly Field[]): Field[] =>
  fields.map(({ readOnly: _r, required: _q, ...field }) => ({
    ...field,
    path: `${above}${field.path}`,
    label: what === '' ? field.label : `${field.label} (${what})`,
  }));

/** What is known of what a workflow writes of a record, by each step. */
export function fieldsWritten({ steps }: Pick<WorkflowContent, 'steps'>): Field[] {
  return steps.flatMap((step) => {
    if (step.kind !== 'write' || !step.target) return [];
    const above = formatPointer(['wrote', step.id]);
    const what = step.target.labels.at(-1) ?? '';
    const id: Field = { path: `${above}/id`, label: `id (${what})`, type: 'id' };
    const others = step.target.described.fields.filter(({ path }) => path !== '/id');
    return [id, ...under(above, what, others)];
  });
}

/** What is known of a record that a workflow delivers: the record itself, and what was written of it by each step. */
const fieldsOfDelivered = (content: WorkflowContent): Field[] => [
  ...under('/record', '', content.start.source?.described.fields ?? []),
  ...fieldsWritten(content),
];

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
