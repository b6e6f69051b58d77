import { type FieldProfile, fieldOfRef, type JsonRecord, profileField, type Ref } from '@golden/core';
import { useMemo } from 'react';
import { useEditor } from '../draft/context.tsx';
import type { SampleOnSheet } from './sample-run.ts';

/** The records that a step made known, one a sample that got so far. */
export function recordsOf(samples: readonly SampleOnSheet[], step: string): JsonRecord[] {
  return samples.flatMap((sample) => {
    const record = sample.scope[step];
    return record ? [record] : [];
  });
}

/** What the samples say of a field, such as the values that occur in it; undefined when it isn't known. */
export function useFieldProfile(ref: Ref): FieldProfile | undefined {
  const { draft, runs } = useEditor();
  const field = fieldOfRef(draft.content, ref);
  return useMemo(() => field && profileField(recordsOf(runs, ref.step), field), [field, runs, ref.step]);
}
