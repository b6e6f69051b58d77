import { fieldOfRef, profileField, type Ref, type ValueCount } from '@golden/core';
import { useMemo } from 'react';
import { useEditor } from './context.tsx';

/** The values of a field that occur in the samples, the most frequent first. */
export function useSampleTexts(ref: Ref): readonly ValueCount[] {
  const { draft, runs } = useEditor();
  const field = fieldOfRef(draft.content, ref);
  return useMemo(() => {
    if (!field) return [];
    const records = runs.flatMap((run) => {
      const record = run.scope[ref.step];
      return record ? [record] : [];
    });
    return profileField(records, field).frequent;
  }, [field, runs, ref.step]);
}
