import { isPlaced } from '../steps/schemas.ts';
import type { Place } from './place.ts';
import { startId } from './references.ts';
import type { WorkflowContent } from './schema.ts';

/** Names under which a place is remembered at the most. */
const mostFormer = 10;

/**
 * A workflow whose place of one sentence is called otherwise by now: the same place under another name, so that what is
 * known of it stays. What it was described as stays too: fields that differ are told as ever.
 */
export function withRenamedPlace(
  content: WorkflowContent,
  sentence: string,
  now: Pick<Place, 'path' | 'labels'>,
): WorkflowContent {
  const renamed = (place: Place): Place => ({
    ...place,
    path: now.path,
    labels: now.labels,
    formerly: [...(place.formerly ?? []), place.path].slice(-mostFormer),
  });
  const { source } = content.start;
  if (sentence === startId)
    return source ? { ...content, start: { ...content.start, source: renamed(source) } } : content;
  return {
    ...content,
    steps: content.steps.map((step) =>
      step.id === sentence && isPlaced(step) && step.target ? { ...step, target: renamed(step.target) } : step,
    ),
  };
}
