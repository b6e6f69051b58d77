import { z } from 'zod';
import type { OpenHours } from '../calendar/calendar.ts';
import { TimeOfDaySchema } from '../calendar/duration.ts';
import { TriggerSchema } from '../starts/schemas.ts';
import { StepSchema } from '../steps/schemas.ts';
import type { Locale } from '../values/coerce.ts';
import { IdSchema } from '../values/id.ts';
import { PointerSchema } from '../values/pointer.ts';
import type { JsonRecord } from '../values/value.ts';
import { PlaceSchema } from './place.ts';

/** Where in time the workflow begins. */
export const FromWhenSchema = z.discriminatedUnion('kind', [
  /** Only what comes from now on; what is there is noted, not sent. */
  z.object({ kind: z.literal('now') }),
  z.object({ kind: z.literal('since'), at: z.string() }),
  z.object({ kind: z.literal('all') }),
]);
export type FromWhen = z.infer<typeof FromWhenSchema>;

/** What happens to a record that makes it come: `becomes` is a value that turns into another. */
export const startEvents = ['added', 'added_or_changed', 'removed', 'becomes'] as const;
export type StartEvent = (typeof startEvents)[number];

/** Further places beside the source that hold the same kind of record. */
export const AlsoFromSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('some'),
    places: z.array(z.object({ path: z.array(z.string()), labels: z.array(z.string()) })),
  }),
  /** All that stand beside the source, those to come as well. */
  z.object({ kind: z.literal('all') }),
]);
export type AlsoFrom = z.infer<typeof AlsoFromSchema>;

/** What a content says that is one direction of two places that are kept in step both ways. */
export const InStepSchema = z.object({
  /** The pair of workflows; what both sides agreed on last is kept under it. */
  pair: IdSchema,
  /** The write into the other place, and the one that brings back from there what changed there. */
  step: IdSchema,
  back: IdSchema,
  /** What becomes of a field that is emptied on one side: emptied on the other as well, or filled again. */
  emptied: z.enum(['empties', 'refills']),
});
export type InStep = z.infer<typeof InStepSchema>;

export const StartSchema = z.object({
  source: PlaceSchema.nullable(),
  also: AlsoFromSchema.optional(),
  on: z.enum(startEvents),
  /** For `added`: a record that a condition leaves out is taken in the first time that it fits. */
  waitsToFit: z.boolean().optional(),
  /** For `becomes`: which field, and the value it has to come to. */
  becomes: z.object({ path: PointerSchema, value: z.string() }).optional(),
  /** When its records are looked at. */
  trigger: TriggerSchema,
  /** Everything that is there is taken in at each time, not only what is new since the last. */
  takes: z.literal('everything').optional(),
  /** What workflows of ours write there starts it too; otherwise that is only noted. */
  takesOwn: z.boolean().optional(),
  /** At most so many records are taken in by one run; the rest come with the next. */
  mostPerRun: z.int().min(1).max(100_000).optional(),
  /** A check that brings more than so many is held until a person has looked; proposed from what came before when absent. */
  holdsAbove: z.int().min(1).max(1_000_000).optional(),
  /** Told when fewer than so many have come by a time of a working day; when it is far quieter than usual when absent. */
  tellsBelow: z.object({ records: z.int().min(1).max(1_000_000), by: TimeOfDaySchema }).optional(),
  /** Gathered instead of handled as they come: until so many are there, or the first has waited so long. */
  gather: z.object({ records: z.int().min(2).max(10_000), minutes: z.int().min(1).max(1440) }).optional(),
  /** The fields to fetch; all of them when absent (common practice). */
  fields: z.array(PointerSchema).optional(),
  fromWhen: FromWhenSchema,
  /** How values of a field are to be read where they alone can't tell, by its path. */
  readings: z
    .record(
      PointerSchema,
      z.object({
        dates: z.enum(['day_first', 'month_first']).optional(),
        serial: z.boolean().optional(),
        decimal: z.enum(['point', 'comma']).optional(),
      }),
    )
    .optional(),
  /** Two records of one run that are the same person or firm: told, and treated so. */
  doubles: z
    .object({
      /** Fields that recognise them. */
      by: z.array(PointerSchema).min(1).max(6),
      treat: z.enum(['golden', 'first', 'ask']),
    })
    .optional(),
  /** The field that says whom a record is about, where each person goes through the waits and messages once at a time. */
  once: PointerSchema.optional(),
  /** At most so many messages go out in a day; the rest waits. */
  messagesADay: z.int().min(1).max(100_000).optional(),
  /** The field that names a record where the app gives no ids (a workbook's key column). */
  identity: PointerSchema.optional(),
  note: z.string().optional(),
});
export type Start = z.infer<typeof StartSchema>;

/** Everything that a workflow does; the content of its draft and of each numbered version. */
export const WorkflowContentSchema = z.object({
  schema: z.literal(1),
  name: z.string().min(1, 'A workflow needs a name.').max(120, 'A name has at most 120 characters.'),
  /** Overrides the workspace's zone for dates and schedules. */
  zone: z.string().optional(),
  note: z.string().max(2000).optional(),
  /** The ready-made one that it was made from, and which edition of it was looked at last. */
  madeFrom: z
    .object({
      ready: z.string().min(1).max(120),
      edition: z.int().min(1),
      /** What was said in its blanks, by their ids. */
      said: z.record(IdSchema, z.string().max(400)).optional(),
    })
    .optional(),
  /** Small tables that formulas look up in, such as country names to codes. */
  tables: z
    .array(
      z.object({
        name: z.string().min(1).max(60),
        rows: z.array(z.object({ from: z.string(), to: z.string() })).max(2000),
      }),
    )
    .max(50)
    .optional(),
  start: StartSchema,
  steps: z.array(StepSchema),
  /** Where it is one direction of two places that are kept in step both ways. */
  inStep: InStepSchema.optional(),
  /** Where it removes for good in one of two such places what was removed in the other: the pair. */
  removalOf: IdSchema.optional(),
});
export type WorkflowContent = z.infer<typeof WorkflowContentSchema>;

/** A frozen content with the reading rules it was frozen with: what `advance` runs. */
export interface WorkflowVersion {
  readonly content: WorkflowContent;
  readonly locale: Locale;
  /** What the business says of itself now, for what begins now; absent where nothing is begun. */
  readonly business?: JsonRecord;
  /** The working calendars as they are now, the workspace's first; absent where nothing is counted by them. */
  readonly calendars?: readonly OpenHours[];
}

/** Whether its records aren't asked for in an app but come by themselves, or are made as it begins: what came is known by its arrival. */
export const comesByItself = ({ source }: Pick<Start, 'source'>): boolean =>
  source?.described.fields.some(({ path }) => path === '/$arrival/id') === true;

/** Whether its records come in files that are dropped, or appear in a folder. */
export const takesFiles = ({ source }: Pick<Start, 'source'>): boolean =>
  source?.described.fields.some(({ path }) => path === '/$arrival/file') === true;

/** A new draft: no source, no steps. Asks every five minutes (common practice). */
export function emptyContent(name: string): WorkflowContent {
  return {
    schema: 1,
    name,
    start: {
      source: null,
      on: 'added',
      waitsToFit: true,
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'now' },
    },
    steps: [],
  };
}

/** The reading rules of a workflow in a workspace. */
export function localeOf(content: WorkflowContent, workspace: Locale): Locale {
  return content.zone ? { ...workspace, zone: content.zone } : workspace;
}
