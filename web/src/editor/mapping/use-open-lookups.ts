import { type Filling, isPlaced, refsOf } from '@golden/core';
import { useCallback } from 'react';
import { useEditor } from '../draft/context.tsx';

/** Tells of a filling whether it rests on a lookup that hasn't answered yet: what it gives isn't known, and not empty. */
export function useOpenLookups(): (filling: Filling | undefined) => boolean {
  const { draft, isFirstLook } = useEditor();
  const { steps } = draft.content;
  return useCallback(
    (filling) =>
      isFirstLook &&
      filling !== undefined &&
      refsOf(filling).some(({ step }) =>
        steps.some((one) => one.id === step && isPlaced(one) && one.ladder !== undefined),
      ),
    [isFirstLook, steps],
  );
}
