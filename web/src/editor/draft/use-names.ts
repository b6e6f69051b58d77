import { type NamedField, namedFields, type Ref } from '@golden/core';
import { useMemo } from 'react';
import { useEditor } from './context.tsx';

/** The fields that can be used before a step, or within the lines of a list, with their names in formulas. */
export function useNames(before: string, list?: Ref): readonly NamedField[] {
  const { content } = useEditor().draft;
  const { start, steps } = content;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is known changes with the start and the steps only
  return useMemo(() => namedFields(content, { before, list }), [start, steps, before, list?.step, list?.path]);
}
