import {
  type EvaluationContext,
  type Field,
  mapField,
  type PlacedStep,
  type RowRemark,
  remarksOnRow,
} from '@golden/core';
import { useEffect, useState } from 'react';
import type { SampleOnSheet } from '../samples/sample-run.ts';

/** A pause in typing after which rows are looked at as a whole. */
const patience = 250;
const slice = 8;

/** What the samples together show of each row, by path; looked at in the pauses, so that nobody waits for it. */
export function useRemarks(
  step: PlacedStep,
  fields: readonly Field[],
  samples: readonly SampleOnSheet[],
  around: EvaluationContext,
): ReadonlyMap<string, readonly RowRemark[]> {
  const [remarks, setRemarks] = useState<ReadonlyMap<string, readonly RowRemark[]>>(new Map());
  const { mapping } = step;
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout>;
    const found = new Map<string, readonly RowRemark[]>();
    const filled = fields.filter((field) => mapping[field.path]);
    const scopes = samples.map((sample) => sample.scope);
    let at = 0;
    const work = (): void => {
      const until = performance.now() + slice;
      for (; at < filled.length && performance.now() < until; at++) {
        const field = filled[at] as Field;
        const filling = mapping[field.path];
        const cells = scopes.map((scope) => mapField(field, filling, scope, around));
        const some = remarksOnRow(field, filling, scopes, cells, around);
        if (some.length > 0) found.set(field.path, some);
      }
      if (at < filled.length) timer = setTimeout(work, 0);
      else setRemarks(found);
    };
    timer = setTimeout(work, patience);
    return () => clearTimeout(timer);
  }, [mapping, fields, samples, around]);
  return remarks;
}
