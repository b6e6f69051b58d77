import type { EvaluationContext, FieldOf } from '../mapping/evaluation-context.ts';
import { lineId, type Ref } from '../mapping/filling.ts';
import { businessId, startId, waitLinksId } from '../mapping/refs.ts';
import type { Around, AroundHere } from '../steps/definition.ts';
import { definitionOf } from '../steps/registry.ts';
import { isPlaced, type PlacedStep, type Step, withinOf } from '../steps/schemas.ts';
import { plainStepId } from '../steps/turn.ts';
import { type Field, fieldAt, type RecordType } from '../values/field.ts';
import { everyItem, splitAtList } from '../values/paths.ts';
import { pointerLabel } from '../values/pointer.ts';
import { businessFields } from './business.ts';
import type { Place } from './place.ts';
import type { Start, WorkflowContent, WorkflowVersion } from './schema.ts';
import { linksKnown } from './wait-links.ts';

export { businessId, refKey, startId, waitLinksId } from '../mapping/refs.ts';

/** A field that a sentence can refer to, with the step that makes it known. */
export interface KnownField {
  readonly ref: Ref;
  readonly field: Field;
  /** "customer in the Shop counter" or "row in Customer list". */
  readonly from: string;
  /** True for a field of a list's items: its value is the list of them all. */
  readonly isInList?: boolean;
}

/** The fields of the source that are fetched: those picked, all when none are, and the ids in any case. */
export function fetchedFields({ source, fields }: Start): Field[] {
  const all = source?.described.fields ?? [];
  if (!fields) return all;
  return all.filter((field) => fields.includes(field.path) || (field.type === 'id' && field.readOnly));
}

/**
 * The fields known before a step: the start's record, what each earlier write gave back and each
 * computation worked out, within a "for each" the fields of its item, and what the business says of itself.
 */
export function knownFields(content: WorkflowContent, before: string): KnownField[] {
  const known: KnownField[] = [];
  const source = content.start.source;
  if (source) {
    known.push(...withItems(startId, fetchedFields(content.start), `${source.described.singular} that starts it`));
  }
  const here = content.steps.find((step) => step.id === before);
  const within = here && withinOf(here);
  for (const step of content.steps) {
    if (step.id === before) break;
    // What one turn made is known to that turn alone, and so is the item it is done for.
    if (step.isOff || !isSeen(step, within)) continue;
    known.push(...fieldsGiven(content, step));
  }
  known.push(...withItems(businessId, businessFields, 'what your business says of itself'));
  const links = linksKnown(content);
  if (links) known.push(...withItems(waitLinksId, links.fields, links.from));
  return known;
}

/** The fields that a step makes known, as those after it refer to them. */
export function fieldsGiven(content: WorkflowContent, step: Step): KnownField[] {
  const given = definitionOf(step).gives(step, aroundWorkflow(content));
  return given ? withItems(step.id, given.fields, given.from) : [];
}

/** Whether what a step makes known is known within a "for each", or to the record as a whole. */
function isSeen(step: Step, within: string | undefined): boolean {
  if (definitionOf(step).over) return step.id === within;
  const own = withinOf(step);
  return own === undefined || own === within;
}

/** The lookups that are done for each item of a list, before a step: what they found is known line by line. */
export function lookupsFor(content: WorkflowContent, list: Ref, before?: string): PlacedStep[] {
  const steps: PlacedStep[] = [];
  for (const step of content.steps) {
    if (step.id === before) break;
    if (!isPlaced(step) || step.within === undefined || step.isOff) continue;
    const each = content.steps.find((one) => one.id === step.within);
    const over = each && definitionOf(each).over?.(each);
    if (over?.step === list.step && over.path === list.path) steps.push(step);
  }
  return steps;
}

/** Fields with, for each list of records, the fields of its items as lists of their own. */
function withItems(step: string, fields: readonly Field[], from: string): KnownField[] {
  return fields.flatMap((field): KnownField[] => [
    { ref: { step, path: field.path }, field, from },
    ...(field.fields ?? []).map((inner) => ({
      ref: { step, path: `${field.path}/${everyItem}${inner.path}` },
      field: { ...inner, label: `${field.label} · ${inner.label}` },
      from,
      isInList: true,
    })),
  ]);
}

/** The fields of one item of a list, as they are known within its line. */
export function lineFields(content: WorkflowContent, list: Ref, before?: string): KnownField[] {
  const field = fieldOfRef(content, list);
  const own = (field?.fields ?? []).map((inner) => ({
    ref: { step: lineId, path: inner.path },
    field: inner,
    from: `line of ${field?.label ?? 'the list'}`,
  }));
  const around = aroundWorkflow(content);
  const found = lookupsFor(content, list, before).flatMap((step) => {
    const given = definitionOf(step).gives(step, around);
    return given ? withItems(step.id, given.fields, `${given.from}, for the line`) : [];
  });
  return [...own, ...found];
}

/** Whether a reference is made known before a step; the set is made once for all references of the step. */
export function knownBefore(content: WorkflowContent, before: string): (ref: Ref) => boolean {
  const names = new Set(knownFields(content, before).map(({ ref }) => nameOf(ref)));
  return (ref) => names.has(nameOf(ref));
}

const nameOf = (ref: Ref): string => `${ref.step}\n${ref.path}`;

/** The described field behind a reference, or undefined when nothing makes it known. */
export function fieldOfRef(content: WorkflowContent, ref: Ref): Field | undefined {
  const fields = fieldsOfStep(content, ref.step);
  const inList = splitAtList(ref.path);
  if (!inList) return fieldAt(fields, ref.path);
  const list = fieldAt(fields, inList.list);
  const item = fieldAt(list?.fields ?? [], inList.item);
  return item && list ? { ...item, label: `${list.label} · ${item.label}` } : undefined;
}

/** The fields that a step makes known. */
function fieldsOfStep(content: WorkflowContent, id: string): readonly Field[] {
  if (id === startId) return content.start.source?.described.fields ?? [];
  if (id === businessId) return businessFields;
  if (id === waitLinksId) return linksKnown(content)?.fields ?? [];
  const step = content.steps.find((one) => one.id === id);
  return (step && definitionOf(step).gives(step, aroundWorkflow(content))?.fields) ?? [];
}

/** The place that a step's record stands in. */
export function placeOfStep(content: WorkflowContent, stepId: string): Place | null {
  if (stepId === startId) return content.start.source;
  const step = content.steps.find((one) => one.id === stepId);
  if (!step) return null;
  if (isPlaced(step)) return step.target;
  const over = definitionOf(step).over?.(step);
  return over ? placeOfStep(content, over.step) : null;
}

/** What a definition may ask of a workflow. */
export function aroundWorkflow(content: WorkflowContent): Around {
  return {
    content,
    fieldOf: (ref) => fieldOfRef(content, ref),
    fieldsOf: (stepId) => fieldsOfStep(content, stepId),
    nameOf: (ref) => nameOfRef(content, ref),
    placeOf: (stepId) => placeOfStep(content, stepId),
  };
}

/** The same, seen from where a step stands. */
export function aroundStep(content: WorkflowContent, stepId: string): AroundHere {
  let isKnown: ((ref: Ref) => boolean) | undefined;
  return {
    ...aroundWorkflow(content),
    isKnown: (ref) => {
      isKnown ??= knownBefore(content, stepId);
      return isKnown(ref);
    },
    lookupsFor: (list) => lookupsFor(content, list, stepId),
  };
}

/** What the place that a step writes to looks like; undefined for other steps. */
export function describedPlace(content: WorkflowContent, stepId: string): RecordType | undefined {
  const plain = plainStepId(stepId);
  const step = content.steps.find((one) => one.id === plain);
  return step && isPlaced(step) ? step.target?.described : undefined;
}

/** What filling a field may know of a workflow, the same for all its records. */
export function evaluationContextOf(version: WorkflowVersion, takenAt: string): EvaluationContext {
  const { content, locale } = version;
  let known = fieldsByRef.get(content);
  if (!known) {
    const made = new Map<string, Field | undefined>();
    known = (ref) => {
      const name = nameOf(ref);
      if (!made.has(name)) made.set(name, fieldOfRef(content, ref));
      return made.get(name);
    };
    fieldsByRef.set(content, known);
  }
  return {
    ...locale,
    takenAt,
    tables: content.tables,
    readings: content.start.readings,
    fieldOf: known,
    foundFor: (list) => lookupsFor(content, list).map((step) => step.id),
  };
}

/** Contents never change; the fields behind their references are looked for once. */
const fieldsByRef = new WeakMap<WorkflowContent, FieldOf>();

/** How a referred field is called in sentences. */
export function nameOfRef(content: WorkflowContent, ref: Ref): string {
  return fieldOfRef(content, ref)?.label ?? pointerLabel(ref.path);
}

/** Every reference a step makes. */
export function refsOfStep(step: Step): Ref[] {
  return definitionOf(step).refs(step);
}
