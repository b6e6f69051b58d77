import { type Place, WorkflowContentSchema } from '@golden/core';
import { useEffect, useRef } from 'react';
import { call } from '../../api/client.ts';
import { readAnew } from '../../api/queries.ts';
import { useEditor } from '../draft/context.tsx';
import { withStart } from '../draft/edits.ts';

/**
 * As events or files come, the draft knows their fields and has their records as samples. What one learnt anew no longer has is
 * left to the note that tells what has changed.
 */
export function useLearning(source: Place, count: number | undefined): () => Promise<void> {
  const { draft, workflow } = useEditor();
  const known = useRef(count);
  const learn = async (): Promise<void> => {
    await call('GET /api/workflows/:id/samples', { params: { id: workflow.id }, query: { anew: 'yes' } }).catch(
      () => undefined,
    );
    const { connection, path } = source;
    const { described } = await call('GET /api/connections/:id/place', {
      params: { id: connection },
      query: { path: [...path] },
    });
    draft.change((content) => {
      const now = content.start.source;
      if (!now || now.path.join('\n') !== path.join('\n')) return content;
      const isMore = now.described.fields.every((field) => described.fields.some((one) => one.path === field.path));
      if (!isMore || JSON.stringify(now.described) === JSON.stringify(described)) return content;
      return WorkflowContentSchema.parse(
        withStart({ source: { ...now, described: described as Place['described'] } })(content),
      );
    });
    for (const name of ['samples', 'profile', 'lookups', 'counts', 'drift'] as const) readAnew(name);
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a further event is a reason
  useEffect(() => {
    if (count === undefined) return;
    const isMore = known.current !== undefined && count > known.current;
    const isFirstLook =
      known.current === undefined && count > 0 && source.described.fields.every((field) => field.readOnly);
    known.current = count;
    if (isMore || isFirstLook) void learn();
  }, [count]);
  return learn;
}
