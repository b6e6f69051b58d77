import { plainStepId } from '../steps/turn.ts';
import type { Field } from '../values/field.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import { recordTitle } from '../values/title.ts';
import { isEmpty, type Value } from '../values/value.ts';
import type { FieldChange } from './outcome.ts';
import type { ItemState } from './state.ts';

/** What a rehearsed record can be looked for by, beside where it ended. */
export const marks = ['new', 'changed', 'same', 'removed', 'erased', 'differs', 'kept'] as const;
export type Mark = (typeof marks)[number];

/** A change that empties what is there. */
export const isErasing = ({ before, after }: FieldChange): boolean => !isEmpty(before) && isEmpty(after);

/**
 * What a record came to in any of its steps: something new, changed, the same, removed; a field emptied
 * (`erased`), one about which a person has to say (`differs`), one left as it is there (`kept`).
 */
export function marksOf({ steps }: ItemState): ReadonlySet<Mark> {
  const found = new Set<Mark>();
  for (const result of Object.values(steps)) {
    if (result.kind === 'unsettled' && result.cause === 'differs') found.add('differs');
    // What would become of what is handed over is part of what would become of it.
    for (const { marks: there } of result.kind === 'handed' ? (result.would ?? []) : [])
      for (const mark of there) found.add(mark as Mark);
    if (result.kind !== 'written') continue;
    found.add(result.outcome);
    if (result.changes.some(isErasing)) found.add('erased');
    if (result.kept?.some(({ why }) => why !== 'empty' && why !== 'same_written_otherwise')) found.add('kept');
  }
  return found;
}

/** One field of one record that would be other than it is. */
export interface PlannedChange {
  /** The step, without the number of its turn. */
  readonly step: string;
  readonly what: 'new' | 'changed' | 'emptied' | 'asked' | 'kept' | 'removed';
  readonly field: string;
  readonly before: Value;
  readonly after: Value;
}

/**
 * All that would change by one record, field by field; of a new record each value that it would have.
 *
 * @param mapped - the fields that a step fills, by the step's own id
 */
export function plannedChanges(
  { steps, values }: ItemState,
  mapped: (step: string) => readonly Pick<Field, 'path' | 'label'>[],
): PlannedChange[] {
  return Object.entries(steps).flatMap(([id, result]): PlannedChange[] => {
    const step = plainStepId(id);
    if (result.kind === 'unsettled' && result.cause === 'differs')
      return result.fields.map(({ label, given = null, there = null }) => ({
        step,
        what: 'asked',
        field: label,
        before: there,
        after: given,
      }));
    if (result.kind !== 'written') return [];
    if (result.outcome === 'new')
      return mapped(step).flatMap(({ path, label }) => {
        const after = readPointer(values[id] ?? {}, path as Pointer) ?? null;
        return isEmpty(after) ? [] : [{ step, what: 'new' as const, field: label, before: null, after }];
      });
    if (result.outcome === 'removed') {
      const before = recordTitle(result.before ?? {});
      return [{ step, what: 'removed', field: 'the whole record', before, after: null }];
    }
    return [
      ...result.changes.map((change): PlannedChange => {
        const what = isErasing(change) ? 'emptied' : 'changed';
        return { step, what, field: change.label, before: change.before, after: change.after };
      }),
      ...(result.kept ?? []).map(
        ({ label, before, after }): PlannedChange => ({ step, what: 'kept', field: label, before, after }),
      ),
    ];
  });
}
