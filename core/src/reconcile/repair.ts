import { z } from 'zod';
import type { Filling } from '../mapping/filling.ts';
import { startId } from '../mapping/refs.ts';
import type { Ladder } from '../matching/lookup/ladder.ts';
import type { FieldPolicy } from '../run/overwrite.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { type Pointer, PointerSchema } from '../values/pointer.ts';
import type { Place } from '../workflow/place.ts';
import { emptyContent, type WorkflowContent } from '../workflow/schema.ts';
import { comparableFields, comparedWrite, type ReconcileSetting } from './setting.ts';

/**
 * Whose value a field gets where a pair differs: that of here, that of there, of the record that changed last, as a
 * person says each time; or both stay as they are.
 */
export const repairWays = ['from_here', 'from_there', 'newer', 'ask', 'leave'] as const;
export type RepairWay = (typeof repairWays)[number];

/** The ways in words, by what the two sides are called. */
export const repairLabels = (here: string, there: string): Readonly<Record<RepairWay, string>> => ({
  from_here: `from ${here}`,
  from_there: `from ${there}`,
  newer: 'the one changed last',
  ask: 'ask me each time',
  leave: 'leave both',
});

/** How what was found is put right. */
export const RepairPlanSchema = z.object({
  /** What is only here is made there; what is only there is made here. */
  makesThere: z.boolean(),
  makesHere: z.boolean(),
  /** By the field there. */
  fields: z.record(PointerSchema, z.enum(repairWays)),
  /** Where the value that wins is empty, the other is emptied. */
  empties: z.boolean(),
});
export type RepairPlan = z.infer<typeof RepairPlanSchema>;

/** The field here of which a field there is a plain copy, where it can be written; what is worked out leads nowhere back. */
export function fieldBack(setting: ReconcileSetting, path: Pointer): Field | undefined {
  const { write, source } = comparedWrite(setting);
  const filling = write.mapping[path];
  if (filling?.kind !== 'field' || filling.ref.step !== startId || !source.described.can.update) return undefined;
  const field = fieldAt(source.described.fields, filling.ref.path);
  return field?.readOnly ? undefined : field;
}

/** By which rule a direction writes a field of a pair. */
const policies: Readonly<Record<'there' | 'here', Readonly<Record<RepairWay, FieldPolicy>>>> = {
  there: { from_here: 'always', from_there: 'never', newer: 'newest', ask: 'ask', leave: 'never' },
  here: { from_here: 'never', from_there: 'always', newer: 'newest', ask: 'never', leave: 'never' },
};

/**
 * The workflow that brings there what is right here; undefined where the plan changes nothing there. It finds each
 * record as the comparison did, and makes none that isn't to be made.
 */
export function repairThere(setting: ReconcileSetting, plan: RepairPlan, name: string): WorkflowContent | undefined {
  const { write } = comparedWrite(setting);
  const { content } = setting;
  const { fields } = comparableFields(setting);
  const rules = rulesOf('there', plan, Object.keys(write.mapping));
  if (!plan.makesThere && !writesAny(rules)) return undefined;
  const at = content.steps.findIndex(({ id }) => id === write.id);
  const before = content.steps
    .slice(0, at)
    .filter(({ kind, isOff }) => !isOff && ['condition', 'compute', 'lookup'].includes(kind));
  const kept = plan.makesThere
    ? write.mapping
    : Object.fromEntries(Object.entries(write.mapping).filter(([path]) => isUsed(setting, rules, path)));
  const step: WriteStep = {
    ...writing(write.id, write.target as Place, kept, rules, plan, ladderFor(setting, fields, plan.makesThere)),
    ...(write.formulaTexts && { formulaTexts: write.formulaTexts }),
  };
  return asRepair(content, name, content.start, [...before, step]);
}

/** The workflow that brings here what is right there; undefined where the plan changes nothing here. */
export function repairHere(setting: ReconcileSetting, plan: RepairPlan, name: string): WorkflowContent | undefined {
  const { write, source, target } = comparedWrite(setting);
  const back = Object.keys(write.mapping).flatMap((path) => {
    const field = fieldBack(setting, path);
    return field ? [{ path, field }] : [];
  });
  const byField = Object.fromEntries(back.map(({ path, field }) => [field.path, plan.fields[path] ?? 'leave']));
  const rules = rulesOf('here', { ...plan, fields: byField }, Object.keys(byField));
  if (!plan.makesHere && !writesAny(rules)) return undefined;
  const mapping = Object.fromEntries(
    back.map(({ path, field }): [Pointer, Filling] => [
      field.path,
      { kind: 'field', ref: { step: startId, path }, tidies: [] },
    ]),
  );
  const rungs = setting.rungs.flatMap(({ path }) => back.filter((one) => one.path === path));
  const ladder = ladderBy(
    rungs.map(({ field }) => field.path),
    plan.makesHere,
    source.described.findBy,
  );
  const start = { ...emptyContent(name).start, source: target };
  return asRepair({ ...emptyContent(name), ...zoneOf(setting.content) }, name, start, [
    writing('repair', source, mapping, rules, plan, ladder),
  ]);
}

const zoneOf = ({ zone }: WorkflowContent) => (zone === undefined ? {} : { zone });

const writesAny = (rules: Readonly<Record<Pointer, FieldPolicy>>): boolean =>
  Object.values(rules).some((policy) => policy !== 'never');

/** A field that is written, or by which the record is found. */
const isUsed = ({ rungs }: ReconcileSetting, rules: Readonly<Record<Pointer, FieldPolicy>>, path: Pointer): boolean =>
  rules[path] !== 'never' || rungs.some((rung) => rung.path === path);

function rulesOf(
  direction: 'there' | 'here',
  plan: Pick<RepairPlan, 'fields'>,
  paths: readonly Pointer[],
): Record<Pointer, FieldPolicy> {
  return Object.fromEntries(paths.map((path) => [path, policies[direction][plan.fields[path] ?? 'leave']]));
}

function ladderFor(setting: ReconcileSetting, fields: readonly Field[], makes: boolean): Ladder {
  const { target } = comparedWrite(setting);
  const paths = setting.rungs.flatMap(({ path }) => (fieldAt(fields, path) ? [path] : []));
  return ladderBy(paths, makes, target.described.findBy);
}

/** A pair that is remembered is followed before all; what may not be made is left out where nobody is found. */
function ladderBy(paths: readonly Pointer[], makes: boolean, findBy: readonly Pointer[] | undefined): Ladder {
  return {
    rungs: paths
      .filter((path) => !findBy || findBy.includes(path))
      .map((path, at) => ({ id: `by-${at + 1}`, kind: 'exact' as const, fields: [path] })),
    atNone: makes ? 'create' : 'leave_out',
    // Whoever repairs says so: it should be there.
    ...(makes && { atGone: 'create' as const }),
    atUnclear: 'ask',
    remembers: 'start',
  };
}

function writing(
  id: string,
  target: Place,
  mapping: WriteStep['mapping'],
  rules: Readonly<Record<Pointer, FieldPolicy>>,
  plan: RepairPlan,
  ladder: Ladder,
): WriteStep {
  return {
    id,
    kind: 'write',
    target,
    mode: 'create_or_update',
    ladder,
    policies: Object.fromEntries(Object.entries(rules).filter(([path]) => mapping[path] !== undefined)),
    firstDifference: 'source',
    ...(plan.empties && { empties: 'all' as const }),
    mapping,
  };
}

/** Only by hand, and only for the records that it is given. */
function asRepair(
  content: WorkflowContent,
  name: string,
  start: WorkflowContent['start'],
  steps: WorkflowContent['steps'],
): WorkflowContent {
  const { source, identity, also, readings, fields } = start;
  return {
    schema: 1,
    name: name.slice(0, 120),
    ...zoneOf(content),
    ...(content.tables && { tables: content.tables }),
    start: {
      source,
      on: 'added_or_changed',
      trigger: { kind: 'hand' },
      fromWhen: { kind: 'now' },
      takesOwn: true,
      ...(identity !== undefined && { identity }),
      ...(also && { also }),
      ...(readings && { readings }),
      ...(fields && { fields }),
    },
    steps,
  };
}
