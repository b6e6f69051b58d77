import {
  type Place,
  type Suggestion,
  saleOf,
  startId,
  suggestMapping,
  suggestSources,
  type WriteStep,
} from '@golden/core';
import { useEffect, useState } from 'react';
import { usePlace } from '../../api/queries.ts';
import { useEditor } from '../draft/context.tsx';
import type { SampleOnSheet } from '../samples/sample-run.ts';

/** Samples enough to see what a field holds. */
const mostLookedAt = 60;

/** What could be proposed for fields that nobody has filled. */
export function useOpenSuggestions(step: WriteStep, target: Place, samples: readonly SampleOnSheet[]): Suggestion[] {
  const { draft } = useEditor();
  const there = usePlace(target.connection, target.path).data?.first;
  const described = draft.content.start.source?.described;
  const source = described?.fields;
  const [all, setAll] = useState<readonly Suggestion[]>([]);
  const key = samples.map((one) => one.id).join('\n');
  // After the sheet stands: what could be proposed is never what somebody waits for.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the records change only with their ids
  useEffect(() => {
    if (!described || !there) return undefined;
    const timer = setTimeout(() => {
      const records = samples.slice(0, mostLookedAt).map((one) => one.record);
      const sources = suggestSources(records, described.fields, startId);
      const sale = saleOf(described, records, startId);
      setAll(suggestMapping(sources, target.described.fields, there as never, sale));
    }, 150);
    return () => clearTimeout(timer);
  }, [source, there, target, key]);
  return all.filter((one) => !step.mapping[one.path]);
}
