import { testsOf } from '../conditions/condition.ts';
import { checkFormula, staticTypeOf } from '../formula/check.ts';
import { fieldTypeOf } from '../formula/function.ts';
import { lineId, type Ref, refsOf } from '../mapping/filling.ts';
import type { FieldOf, Surroundings } from '../mapping/surroundings.ts';
import { plainStepId } from '../run/lay-out.ts';
import { type Field, type FieldType, fieldAt, type RecordType } from '../values/field.ts';
import { everyItem, splitAtList } from '../values/paths.ts';
import { formatPointer, pointerLabel } from '../values/pointer.ts';
import {
  type ComputeStep,
  type EachStep,
  isPlaced,
  type Place,
  type PlacedStep,
  type Start,
  type Step,
  type WorkflowContent,
  type WorkflowVersion,
} from './schema.ts';

/** The name under which the start's record stands in references. */
export const startId = 'start';

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
 * computation worked out, and within a "for each" the fields of its item.
 */
export function knownFields(content: WorkflowContent, before: string): KnownField[] {
  const known: KnownField[] = [];
  const source = content.start.source;
  if (source) {
    known.push(...withItems(startId, fetchedFields(content.start), `${source.described.singular} that starts it`));
  }
  const here = content.steps.find((step) => step.id === before);
  const within = here && here.kind !== 'each' ? here.within : undefined;
  for (const step of content.steps) {
    if (step.id === before) break;
    if (step.isOff) continue;
    if (step.kind === 'each') {
      if (step.id === within) known.push(...itemFields(content, step));
      continue;
    }
    // What one turn made is known to that turn alone.
    if (step.within !== undefined && step.within !== within) continue;
    if (step.kind === 'compute') known.push(...computedFields(content, step));
    if (!isPlaced(step) || !step.target) continue;
    known.push(...withItems(step.id, step.target.described.fields, fromOf(step)));
  }
  return known;
}

/** What a placed step's record is called where it is referred to. */
function fromOf(step: PlacedStep): string {
  const { described, labels } = step.target ?? { described: { singular: 'record' }, labels: [] };
  const there = step.kind === 'lookup' ? 'found in' : 'in';
  return step.name ?? `${described.singular} ${there} ${labels.at(-1) ?? 'the destination'}`;
}

/** The lookups that are done for each item of a list, before a step: what they found is known line by line. */
export function lookupsFor(content: WorkflowContent, list: Ref, before?: string): PlacedStep[] {
  const steps: PlacedStep[] = [];
  for (const step of content.steps) {
    if (step.id === before) break;
    if (!isPlaced(step) || step.within === undefined || step.isOff) continue;
    const each = content.steps.find((one) => one.id === step.within);
    if (each?.kind === 'each' && each.over?.step === list.step && each.over.path === list.path) steps.push(step);
  }
  return steps;
}

function itemFields(content: WorkflowContent, step: EachStep): KnownField[] {
  const list = step.over ? fieldOfRef(content, step.over) : undefined;
  const fields = list?.fields ?? [{ path: '/value', label: 'value', type: 'any' as const }];
  return withItems(step.id, fields, `one of ${list?.label ?? 'the list'}`);
}

/** The values that a step works out, as fields. */
export function computedFields(content: WorkflowContent, step: ComputeStep): KnownField[] {
  return step.values
    .filter((value) => value.name.trim() !== '')
    .map((value) => ({
      ref: { step: step.id, path: formatPointer([value.name]) },
      field: { path: formatPointer([value.name]), label: value.name, type: typeOfComputed(content, value) },
      from: step.name ?? 'what is worked out',
    }));
}

function typeOfComputed(content: WorkflowContent, value: ComputeStep['values'][number]): FieldType {
  const names = Object.entries(value.refs).map(([name, ref]) => {
    // A value above in the same step: its type isn't needed to know this one's well enough.
    const field = content.steps.some((step) => step.id === ref.step && step.kind === 'compute')
      ? undefined
      : fieldOfRef(content, ref);
    return { name, type: splitAtList(ref.path) ? ('list' as const) : staticTypeOf(field) };
  });
  return fieldTypeOf(checkFormula(value.text, names).type);
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
  const found = lookupsFor(content, list, before).flatMap((step) =>
    withItems(step.id, step.target?.described.fields ?? [], `${fromOf(step)}, for the line`),
  );
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
  const step = content.steps.find((one) => one.id === id);
  switch (step?.kind) {
    case 'write':
    case 'lookup':
      return step.target?.described.fields ?? [];
    case 'compute':
      return computedFields(content, step).map((one) => one.field);
    case 'each':
      return itemFields(content, step).flatMap((one) => (one.isInList ? [] : [one.field]));
    default:
      return [];
  }
}

function targetOf(content: WorkflowContent, stepId: string): Place | null {
  const step = content.steps.find((one) => one.id === stepId);
  return step && isPlaced(step) ? step.target : null;
}

/** What the place that a step writes to looks like; undefined for other steps. */
export function describedPlace(content: WorkflowContent, stepId: string): RecordType | undefined {
  return targetOf(content, plainStepId(stepId))?.described;
}

/** What filling a field may know of a workflow, the same for all its records. */
export function surroundingsOf(version: WorkflowVersion, takenAt: string): Surroundings {
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
  switch (step.kind) {
    case 'condition':
      return testsOf(step.condition).map((test) => test.ref);
    case 'write':
      return [...Object.values(step.mapping).flatMap(refsOf), ...Object.values(step.placeBy?.refs ?? {})];
    case 'lookup': {
      const { remembers } = step.ladder;
      return [
        ...Object.values(step.mapping).flatMap(refsOf),
        ...(step.fetchId ? refsOf(step.fetchId) : []),
        ...(typeof remembers === 'object' ? [remembers] : []),
      ];
    }
    case 'compute':
      return step.values.flatMap((value) => Object.values(value.refs)).filter((ref) => ref.step !== step.id);
    case 'each':
      return step.over ? [step.over] : [];
  }
}
