import { z } from 'zod';
import { ConditionSchema } from '../conditions/condition.ts';
import { FillingSchema, FormulaSchema, RefSchema } from '../mapping/filling.ts';
import { LadderSchema } from '../matching/lookup/ladder.ts';
import type { Locale } from '../values/coerce.ts';
import { RecordTypeSchema } from '../values/field.ts';
import { IdSchema } from '../values/id.ts';
import { PointerSchema } from '../values/pointer.ts';

/**
 * Where records come from or go to: one place in an app through one connection. `described` is
 * what the place looked like when it was chosen; mappings and conditions are built on it, and a
 * run compares it with what is there.
 */
export const PlaceSchema = z.object({
  connection: IdSchema,
  /** Nested choices, such as file → tab, by the ids the app gives them. */
  path: z.array(z.string()),
  /** The same choices in words. */
  labels: z.array(z.string()),
  described: RecordTypeSchema,
});
export type Place = z.infer<typeof PlaceSchema>;

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

export const StartSchema = z.object({
  source: PlaceSchema.nullable(),
  also: AlsoFromSchema.optional(),
  on: z.enum(startEvents),
  /** For `added`: a record that a condition leaves out is taken in the first time that it fits. */
  waitsToFit: z.boolean().optional(),
  /** For `becomes`: which field, and the value it has to come to. */
  becomes: z.object({ path: PointerSchema, value: z.string() }).optional(),
  everyMinutes: z.int().min(1).max(1440),
  /** At most so many records are taken in by one run; the rest come with the next. */
  mostPerRun: z.int().min(1).max(100_000).optional(),
  /** A check that brings more than so many is held until a person has looked; proposed from what came before when absent. */
  holdsAbove: z.int().min(1).max(1_000_000).optional(),
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
  /** The field that names a record where the app gives no ids (a workbook's key column). */
  identity: PointerSchema.optional(),
  note: z.string().optional(),
});
export type Start = z.infer<typeof StartSchema>;

export const ConditionStepSchema = z.object({
  id: IdSchema,
  kind: z.literal('condition'),
  /** How the person calls the sentence. */
  name: z.string().max(80).optional(),
  condition: ConditionSchema,
  /** The “for each” that it stands within. */
  within: IdSchema.optional(),
  isOff: z.boolean().optional(),
  note: z.string().optional(),
});
export type ConditionStep = z.infer<typeof ConditionStepSchema>;

/** What happens to a field of a record that is there already: always written, only where it is empty, never, or by the newer record. */
export const fieldPolicies = ['always', 'if_empty', 'never', 'newest'] as const;
export type FieldPolicy = (typeof fieldPolicies)[number];

/** Finds the matching record of another place, or fetches it by its id; later sentences know it whole. */
export const LookupStepSchema = z.object({
  id: IdSchema,
  kind: z.literal('lookup'),
  name: z.string().max(80).optional(),
  target: PlaceSchema.nullable(),
  /** Fetched by this id instead of looked for. */
  fetchId: FillingSchema.optional(),
  /** What is known of the record that is looked for; where it is to be created, what it is made of. */
  mapping: z.record(PointerSchema, FillingSchema),
  ladder: LadderSchema,
  within: IdSchema.optional(),
  isOff: z.boolean().optional(),
  note: z.string().optional(),
});
export type LookupStep = z.infer<typeof LookupStepSchema>;

export const WriteStepSchema = z.object({
  id: IdSchema,
  kind: z.literal('write'),
  name: z.string().max(80).optional(),
  target: PlaceSchema.nullable(),
  /** Append makes a record each time; create-or-update looks for one with the same key first. */
  mode: z.enum(['append', 'create_or_update']),
  /** The destination field that recognises a record, for create-or-update. */
  key: PointerSchema.optional(),
  /** For create-or-update: ways to recognise the record instead of the one key. */
  ladder: LadderSchema.optional(),
  /** By destination field, where a record is there already; always written when absent. */
  policies: z.record(PointerSchema, z.enum(fieldPolicies)).optional(),
  mapping: z.record(PointerSchema, FillingSchema),
  /** Why a filling was proposed, by destination field, for those that nobody has accepted or changed yet. */
  suggested: z.record(PointerSchema, z.string()).optional(),
  /** The “for each” that it stands within. */
  within: IdSchema.optional(),
  /** Its last choice (a tab, a file, a company) worked out for each record instead of being always the same. */
  placeBy: FormulaSchema.optional(),
  /** In a file that spreadsheet programs open: texts that begin like a formula get an apostrophe; as they are when absent. */
  formulaTexts: z.literal('harmless').optional(),
  /** What a person noted beside a field, by its path. */
  notes: z.record(PointerSchema, z.string().max(500)).optional(),
  isOff: z.boolean().optional(),
  note: z.string().optional(),
});
export type WriteStep = z.infer<typeof WriteStepSchema>;

/** Named values worked out once and used in later steps. */
export const ComputeStepSchema = z.object({
  id: IdSchema,
  kind: z.literal('compute'),
  name: z.string().max(80).optional(),
  /** In their order; each may use those above it. */
  values: z.array(FormulaSchema.extend({ name: z.string().max(60) })).max(100),
  /** The “for each” that it stands within. */
  within: IdSchema.optional(),
  isOff: z.boolean().optional(),
  note: z.string().optional(),
});
export type ComputeStep = z.infer<typeof ComputeStepSchema>;

/** The steps within it are done for every item of a list. */
export const EachStepSchema = z.object({
  id: IdSchema,
  kind: z.literal('each'),
  name: z.string().max(80).optional(),
  over: RefSchema.nullable(),
  isOff: z.boolean().optional(),
  note: z.string().optional(),
});
export type EachStep = z.infer<typeof EachStepSchema>;

export const StepSchema = z.discriminatedUnion('kind', [
  ConditionStepSchema,
  LookupStepSchema,
  WriteStepSchema,
  ComputeStepSchema,
  EachStepSchema,
]);
export type Step = z.infer<typeof StepSchema>;

/** Everything that a workflow does; the content of its draft and of each numbered version. */
export const WorkflowContentSchema = z.object({
  schema: z.literal(1),
  name: z.string().min(1, 'A workflow needs a name.').max(120, 'A name has at most 120 characters.'),
  /** Overrides the workspace's zone for dates and schedules. */
  zone: z.string().optional(),
  note: z.string().max(2000).optional(),
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
});
export type WorkflowContent = z.infer<typeof WorkflowContentSchema>;

/** A frozen content with the reading rules it was frozen with: what `advance` runs. */
export interface WorkflowVersion {
  readonly content: WorkflowContent;
  readonly locale: Locale;
}

/** A new draft: no source, no steps. Asks every five minutes (common practice). */
export function emptyContent(name: string): WorkflowContent {
  return {
    schema: 1,
    name,
    start: { source: null, on: 'added', waitsToFit: true, everyMinutes: 5, fromWhen: { kind: 'now' } },
    steps: [],
  };
}

/** The reading rules of a workflow in a workspace. */
export function localeOf(content: WorkflowContent, workspace: Locale): Locale {
  return content.zone ? { ...workspace, zone: content.zone } : workspace;
}

/** Steps that reach into a place: those that look there, and those that write. */
export type PlacedStep = WriteStep | LookupStep;

/** Whether a step has a place of its own. */
export function isPlaced(step: Step): step is PlacedStep {
  return step.kind === 'write' || step.kind === 'lookup';
}

/** The steps of a kind. */
export function writeSteps(content: WorkflowContent): WriteStep[] {
  return content.steps.filter((step) => step.kind === 'write');
}
