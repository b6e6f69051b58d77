import { testsOf } from '../conditions/condition.ts';
import { type Ref, refsOf, type TypeOf } from '../mapping/filling.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { pointerLabel } from '../values/pointer.ts';
import type { Place, Start, Step, WorkflowContent } from './schema.ts';

/** The name under which the start's record stands in references. */
export const startId = 'start';

/** A field that a sentence can refer to, with the step that makes it known. */
export interface KnownField {
  readonly ref: Ref;
  readonly field: Field;
  /** "customer in the Shop counter" or "row in Customer list". */
  readonly from: string;
}

/** The fields of the source that are fetched: those picked, all when none are, and the ids in any case. */
export function fetchedFields({ source, fields }: Start): Field[] {
  const all = source?.described.fields ?? [];
  if (!fields) return all;
  return all.filter((field) => fields.includes(field.path) || (field.type === 'id' && field.readOnly));
}

/** The fields known before a step: the start's record, then what each earlier write gave back. */
export function knownFields(content: WorkflowContent, before: string): KnownField[] {
  const known: KnownField[] = [];
  const source = content.start.source;
  if (source) {
    for (const field of fetchedFields(content.start)) {
      known.push({
        ref: { step: startId, path: field.path },
        field,
        from: `${source.described.singular} that starts it`,
      });
    }
  }
  for (const step of content.steps) {
    if (step.id === before) break;
    if (step.kind !== 'write' || !step.target || step.isOff) continue;
    for (const field of step.target.described.fields) {
      known.push({
        ref: { step: step.id, path: field.path },
        field,
        from: step.name ?? `${step.target.described.singular} in ${step.target.labels.at(-1) ?? 'the destination'}`,
      });
    }
  }
  return known;
}

/** Whether a reference is made known before a step; the set is made once for all references of the step. */
export function knownBefore(content: WorkflowContent, before: string): (ref: Ref) => boolean {
  const names = new Set(knownFields(content, before).map(({ ref }) => nameOf(ref)));
  return (ref) => names.has(nameOf(ref));
}

const nameOf = (ref: Ref): string => `${ref.step}\n${ref.path}`;

/** The described field behind a reference, or undefined when nothing makes it known. */
export function fieldOfRef(content: WorkflowContent, ref: Ref): Field | undefined {
  const place = ref.step === startId ? content.start.source : targetOf(content, ref.step);
  return place ? fieldAt(place.described.fields, ref.path) : undefined;
}

function targetOf(content: WorkflowContent, stepId: string): Place | null {
  const step = content.steps.find((one) => one.id === stepId);
  return step?.kind === 'write' ? step.target : null;
}

/** The types of all fields a workflow can refer to. */
export function typesIn(content: WorkflowContent): TypeOf {
  return (ref) => fieldOfRef(content, ref)?.type;
}

/** How a referred field is called in sentences. */
export function nameOfRef(content: WorkflowContent, ref: Ref): string {
  return fieldOfRef(content, ref)?.label ?? pointerLabel(ref.path);
}

/** Every reference a step makes. */
export function refsOfStep(step: Step): Ref[] {
  if (step.kind === 'condition') return testsOf(step.condition).map((test) => test.ref);
  return Object.values(step.mapping).flatMap(refsOf);
}
