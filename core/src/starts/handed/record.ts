import type { FieldProblem } from '../../run/outcome.ts';
import type { Field } from '../../values/field.ts';
import { type Pointer, readPointer } from '../../values/pointer.ts';
import { isEmpty, isRecord, type JsonRecord } from '../../values/value.ts';
import type { Start } from '../../workflow/schema.ts';

/** What a record that was handed over says of its way, beside its fields. */
export interface HandedMark {
  /** Known by what was done for whom: its parent, the step, and the turn. */
  readonly key: string;
  /** Values that could not be made as they were handed over: whoever takes the record in asks for them. */
  readonly asks?: readonly FieldProblem[];
}

/** What is said of a record that was handed over; undefined for any other. */
export function handedMark(record: JsonRecord | undefined): HandedMark | undefined {
  const arrival = record?.['$arrival'];
  const mark = isRecord(arrival) ? arrival['handed'] : undefined;
  return isRecord(mark) && typeof mark['key'] === 'string' ? (mark as unknown as HandedMark) : undefined;
}

/**
 * What a record lacks of what its start needs: required fields that are empty, and values that could not
 * be made of what was handed over.
 *
 * @param set - fields that a person has set since
 */
export function handedProblems(
  { source }: Pick<Start, 'source'>,
  record: JsonRecord,
  set: Readonly<Record<Pointer, unknown>>,
): FieldProblem[] {
  const asked = (handedMark(record)?.asks ?? []).filter(({ path }) => set[path] === undefined);
  const isLacking = ({ path, required }: Field): boolean =>
    required === true && isEmpty(readPointer(record, path)) && !asked.some((one) => one.path === path);
  const lacking = (source?.described.fields ?? []).filter(isLacking);
  return [
    ...asked,
    ...lacking.map(({ path, label }) => ({ path, label, message: 'Required, and nothing was handed over for it.' })),
  ];
}
