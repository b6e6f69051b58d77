import { AppError } from '@golden/connectors';
import {
  type Drift,
  driftOf,
  isPlaced,
  type OpenPlace,
  placesToChoose,
  type RecordType,
  startId,
  type WorkflowContent,
  withConnections,
} from '@golden/core';
import type { Services } from '../services.ts';

/** A place of a workflow that isn't what the workflow was built on. */
export interface PlaceDrift {
  readonly sentence: string;
  readonly place: string;
  readonly drift: Drift;
  readonly now: RecordType;
}

/** The places of a workflow, by the sentence that has them. */
export const placesOf = (content: WorkflowContent): OpenPlace[] => placesToChoose(content, () => true);

/** Every place that has changed since the content was built on it; a place that can't be asked now is left out. */
export async function driftsOf({ connections }: Services, content: WorkflowContent): Promise<PlaceDrift[]> {
  const drifts: PlaceDrift[] = [];
  for (const { sentence, place } of placesOf(content)) {
    try {
      const now = await (await connections.connector(place.connection)).describe(place.path);
      const drift = driftOf(content, sentence, place.described, now);
      const isChange = drift.isStopping || drift.added.length > 0 || drift.retyped.length > 0;
      if (isChange) drifts.push({ sentence, place: place.labels.join(' → '), drift, now });
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
    }
  }
  return drifts;
}

/**
 * A content with another connection in the place of one, each place described as it is there, and
 * what differs in sentences: places and fields that aren't there, rights that are missing.
 */
export async function swapConnection(
  { connections }: Services,
  content: WorkflowContent,
  from: string,
  to: string,
): Promise<{ content: WorkflowContent; differences: string[] }> {
  const [old, other] = [await connections.get(from), await connections.get(to)];
  const differences: string[] = [];
  if (old.app !== other.app) {
    const message = `“${other.name}” is another app (${other.appTitle}). Choose one of ${old.appTitle}.`;
    return { content, differences: [message] };
  }
  if (other.status !== 'working') differences.push(other.message ?? `“${other.name}” doesn’t work.`);
  let swapped = withConnections(content, { [from]: to });
  for (const { sentence, place } of placesOf(content)) {
    if (place.connection !== from) continue;
    const label = place.labels.join(' → ');
    try {
      const now = await (await connections.connector(to)).describe(place.path);
      differences.push(...differencesIn(driftOf(content, sentence, place.described, now), label));
      if (sentence !== startId && now.readOnlyBecause) differences.push(now.readOnlyBecause);
      if (sentence !== startId && other.health && !other.health.mayWrite)
        differences.push(`“${other.name}” may read, not write.`);
      swapped = described(swapped, sentence, now);
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      differences.push(`“${label}”: ${error.message}`);
    }
  }
  return { content: swapped, differences: [...new Set(differences)] };
}

/** What of a place that is used is otherwise there, in sentences. */
export function differencesIn(drift: Drift, label: string): string[] {
  const said: string[] = [];
  for (const { label: field, affects } of drift.gone)
    said.push(`“${label}” has no “${field}”, on which ${affects.join(' and ')} rests.`);
  for (const { label: field, options } of drift.optionsGone)
    said.push(`“${field}” in “${label}” has no option ${options.join(', ')}.`);
  for (const field of drift.newlyRequired) said.push(`“${label}” requires “${field}”, which is not filled.`);
  if (drift.added.length > 0)
    said.push(`“${label}” has more fields there: ${drift.added.map((field) => field.label).join(', ')}.`);
  return said;
}

/** The fields as they are there, kept only where all that is used is there too. */
function described(content: WorkflowContent, sentence: string, now: RecordType): WorkflowContent {
  const { source } = content.start;
  if (sentence === startId)
    return source ? { ...content, start: { ...content.start, source: { ...source, described: now } } } : content;
  return {
    ...content,
    steps: content.steps.map((step) =>
      step.id === sentence && isPlaced(step) && step.target
        ? { ...step, target: { ...step.target, described: now } }
        : step,
    ),
  };
}
