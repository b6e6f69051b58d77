import { z } from 'zod';
import { refsOf } from '../mapping/filling.ts';
import { startId } from '../mapping/refs.ts';
import type { Step, StepOf } from '../steps/schemas.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { IdSchema } from '../values/id.ts';
import { type Pointer, PointerSchema } from '../values/pointer.ts';
import { type WorkflowContent, WorkflowContentSchema } from '../workflow/schema.ts';
import { type Equality, equalities, proposeEquality } from './equality.ts';

/**
 * What is compared with what: the records that a workflow starts from (here) with those of the place that one of its
 * writes fills (there), each field there with what the workflow would write into it.
 */
export const ReconcileSettingSchema = z.object({
  content: WorkflowContentSchema,
  /** The write. */
  step: IdSchema,
  /** The workflow that it is about; absent where two places were chosen. */
  workflow: z.string().optional(),
  /** Whether pairs that are remembered count before all. */
  usesLinks: z.boolean(),
  /** By which fields there records are recognised, the surest first. */
  rungs: z.array(z.object({ path: PointerSchema, identifies: z.boolean() })).max(6),
  /** The fields there that are compared, and what counts as equal. */
  fields: z.record(PointerSchema, z.enum(equalities)),
});
export type ReconcileSetting = z.infer<typeof ReconcileSettingSchema>;

/** A field that a write fills and that can't be compared, with the reason. */
export interface NotCompared {
  readonly path: Pointer;
  readonly label: string;
  readonly why: string;
}

/** A comparison can't be made of this; the sentence says why. */
export class CannotCompare extends Error {
  override readonly name = 'CannotCompare';
}

/** The write that a comparison is about, with its place. @throws CannotCompare */
export function comparedWrite({ content, step }: Pick<ReconcileSetting, 'content' | 'step'>) {
  const write = content.steps.find((one) => one.id === step);
  if (write?.kind !== 'write' || !write.target)
    throw new CannotCompare('Choose which write of the workflow is compared: it has none with a place.');
  if (!content.start.source) throw new CannotCompare('Choose where the records come from first.');
  return { write, target: write.target, source: content.start.source };
}

/** Steps whose results are known without asking anybody. */
const isWorkedOut = (step: Step): boolean =>
  (step.kind === 'condition' || step.kind === 'compute') && !step.isOff && step.within === undefined;

/** The steps before a write that say which records it gets, and what is worked out for it. */
export function stepsBefore(content: WorkflowContent, writeId: string): Step[] {
  const at = content.steps.findIndex(({ id }) => id === writeId);
  return content.steps.slice(0, at).filter(isWorkedOut);
}

/** Which of the fields that a write fills can be compared, and why others can't. */
export function comparableFields(setting: Pick<ReconcileSetting, 'content' | 'step'>): {
  readonly fields: readonly Field[];
  readonly others: readonly NotCompared[];
} {
  const { write, target } = comparedWrite(setting);
  const known = new Set([startId, ...stepsBefore(setting.content, write.id).map(({ id }) => id)]);
  const fields: Field[] = [];
  const others: NotCompared[] = [];
  for (const [path, filling] of Object.entries(write.mapping)) {
    const field = fieldAt(target.described.fields, path);
    const why = !field
      ? 'it isn’t there any more'
      : field.readOnly
        ? 'the app sets it itself'
        : refsOf(filling).every(({ step }) => known.has(step))
          ? undefined
          : 'it comes from another step that looks it up';
    if (why === undefined) fields.push(field as Field);
    else others.push({ path, label: field?.label ?? path.slice(1), why });
  }
  return { fields, others };
}

/** What is proposed for a write: all comparable fields, by the ways in which it recognises its records. */
export function proposeReconcile(content: WorkflowContent, step: string, workflow?: string): ReconcileSetting {
  const { write, source } = comparedWrite({ content, step });
  const { fields } = comparableFields({ content, step });
  const isLine = write.within !== undefined;
  if (isLine) throw new CannotCompare('What is written for each line of a record can’t be compared with the records.');
  const typeOf = (path: Pointer): Field['type'] => {
    const filling = write.mapping[path];
    if (filling?.kind !== 'field' || filling.ref.step !== startId) return 'any';
    return fieldAt(source.described.fields, filling.ref.path)?.type ?? 'any';
  };
  return {
    content,
    step,
    ...(workflow !== undefined && { workflow }),
    usesLinks: true,
    rungs: proposedRungs(write, fields),
    fields: Object.fromEntries(
      fields.map((field): [string, Equality] => [field.path, proposeEquality({ type: typeOf(field.path) }, field)]),
    ),
  };
}

function proposedRungs(write: StepOf<'write'>, fields: readonly Field[]): ReconcileSetting['rungs'] {
  const isComparable = (path: Pointer): boolean => fields.some((field) => field.path === path);
  const byLadder = (write.ladder?.rungs ?? []).flatMap((rung) =>
    rung.kind === 'exact' && rung.fields.length === 1 && !rung.isAsked ? rung.fields : [],
  );
  const ways = [...(write.key === undefined ? [] : [write.key]), ...byLadder].filter(isComparable);
  if (ways.length > 0) return [...new Set(ways)].slice(0, 6).map((path) => ({ path, identifies: true }));
  const unique = fields.filter((field) => field.unique || field.type === 'email' || field.type === 'id');
  return unique.slice(0, 2).map(({ path }) => ({ path, identifies: true }));
}
