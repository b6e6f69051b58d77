import { totalRoleOf } from '../mapping/money-roles.ts';
import { recognisingFields } from '../steps/placed/values.ts';
import { definitionOf } from '../steps/registry.ts';
import { writeSteps } from '../steps/schemas.ts';
import { type Field, fieldAt } from '../values/field.ts';
import type { WorkflowContent } from './schema.ts';

/** A proposed filling that a person has to have looked at before anything goes live. */
export interface ToAccept {
  readonly step: string;
  readonly path: string;
  readonly label: string;
  /** The destination, for people. */
  readonly place: string;
  readonly reason: string;
}

/**
 * Proposals that nobody has accepted or changed yet, for what a mistake is dear in: what recognises a
 * record, ids, and money.
 */
export function proposalsToAccept(content: WorkflowContent): ToAccept[] {
  return writeSteps(content).flatMap((step) => {
    if (step.isOff || !step.target) return [];
    const { fields } = step.target.described;
    const recognising = new Set(recognisingFields(step));
    return Object.entries(step.suggested ?? {}).flatMap(([path, reason]) => {
      const field = fieldAt(fields, path);
      if (!field || !(recognising.has(path) || isDear(field))) return [];
      return [{ step: step.id, path, label: field.label, place: step.target?.labels.at(-1) ?? '', reason }];
    });
  });
}

const isDear = (field: Field): boolean =>
  field.type === 'id' || field.type === 'money' || totalRoleOf(field) !== undefined;

/**
 * What a rehearsal shows of a draft, as one text: two drafts with the same text come to the same for every
 * record. Names, notes, marks of proposals, and when it is asked from which point on make no difference.
 */
export function rehearsedAs({
  name: _name,
  note: _note,
  start,
  steps,
  ...rest
}: WorkflowContent & { note?: string }): string {
  const { fromWhen: _from, trigger: _trigger, ...source } = start;
  const bare = steps.map((step) => {
    const plain = definitionOf(step).withoutMarks?.(step) ?? step;
    const { name: _called, note: _said, ...own } = plain as typeof step & { notes?: unknown };
    const { notes: _notes, ...done } = own as typeof own & { notes?: unknown };
    return done;
  });
  return JSON.stringify(sorted({ ...rest, start: source, steps: bare }));
}

function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, one]) => one !== undefined)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([key, one]) => [key, sorted(one)]),
  );
}
