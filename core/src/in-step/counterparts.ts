import { refsOf } from '../mapping/filling.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import type { Pointer } from '../values/pointer.ts';
import type { Place } from '../workflow/place.ts';
import type { WorkflowContent } from '../workflow/schema.ts';

/** Fields of the other side of a pair that belong to some of one side. */
export interface Counterparts {
  /** True where the other side is the one that the record came from. */
  readonly isHere: boolean;
  readonly place: Place;
  readonly paths: readonly Pointer[];
}

/**
 * The fields of the other side that belong to what a step of a direction has written; undefined for a step that isn't
 * one of its two writes.
 */
export function counterparts(
  { inStep, steps }: WorkflowContent,
  stepId: string,
  written: readonly Pointer[],
): Counterparts | undefined {
  const stepOf = (id: string | undefined): WriteStep | undefined =>
    steps.find((step): step is WriteStep => step.id === id && step.kind === 'write');
  const [there, back] = [stepOf(inStep?.step), stepOf(inStep?.back)];
  if (!there?.target || !back?.target || (stepId !== there.id && stepId !== back.id)) return undefined;
  const refs = (path: Pointer): Pointer[] => {
    const filling = back.mapping[path];
    return filling ? refsOf(filling).flatMap((ref) => (ref.step === there.id ? [ref.path] : [])) : [];
  };
  if (stepId === there.id) {
    const paths = Object.keys(back.mapping).filter((path) => refs(path).some((ref) => written.includes(ref)));
    return { isHere: true, place: back.target, paths };
  }
  const paths = [...new Set(written.flatMap(refs))].filter((path) => there.mapping[path] !== undefined);
  return { isHere: false, place: there.target, paths };
}
