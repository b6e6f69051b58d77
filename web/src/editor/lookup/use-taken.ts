import { type EvaluationContext, mapField, type RowRemark, toText, type Value, type WriteStep } from '@golden/core';
import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { call } from '../../api/client.ts';
import type { SampleOnSheet } from '../samples/sample-run.ts';

/** A value is asked about again after this long, in milliseconds. */
const holds = 60_000;

/**
 * For a write that makes a record each time: values of fields that have to be unique, and that other
 * records of the destination have already.
 */
export function useTaken(
  step: WriteStep,
  samples: readonly SampleOnSheet[],
  around: EvaluationContext,
): ReadonlyMap<string, RowRemark> {
  const { target, mapping } = step;
  const field = target?.described.fields.find(
    (one) => one.unique && !one.readOnly && mapping[one.path] && target.described.findBy?.includes(one.path),
  );
  const values = useMemo((): Value[] => {
    if (!field || step.mode !== 'append') return [];
    const cells = samples.map((sample) => mapField(field, mapping[field.path], sample.scope, around));
    return cells.flatMap((cell) => (cell.state === 'filled' ? [cell.value] : [])).slice(0, 20);
  }, [field, mapping, samples, around, step.mode]);
  const taken = useQuery({
    queryKey: ['taken', target?.connection, target?.path, field?.path, values],
    enabled: values.length > 0,
    staleTime: holds,
    queryFn: () =>
      call('POST /api/connections/:id/taken', {
        params: { id: target?.connection ?? '' },
        body: { path: target?.path ?? [], field: field?.path ?? '', values: values.map(toText) },
      }),
  }).data?.taken;
  return useMemo(() => {
    if (!field || !taken || taken.length === 0) return none;
    const more = taken.length > 1 ? ` and ${taken.length - 1} more` : '';
    const message = `“${String(taken[0])}”${more} ${taken.length > 1 ? 'are' : 'is'} already another record’s.`;
    return new Map<string, RowRemark>([[field.path, { kind: 'number_taken', message }]]);
  }, [field, taken]);
}

const none: ReadonlyMap<string, RowRemark> = new Map();
