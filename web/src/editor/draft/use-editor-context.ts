import { businessRecord, isPlaced, localeOf, type WorkflowContent } from '@golden/core';
import { useMemo } from 'react';
import {
  type Sample,
  useCalendars,
  useConnections,
  useDrift,
  useGone,
  useLookups,
  useSamples,
  useSettings,
  type Workflow,
} from '../../api/queries.ts';
import { type Lookups, useSampleRuns } from '../samples/sample-run.ts';
import type { EditorContext } from './context.tsx';
import { useDraft } from './use-draft.ts';

/** A workflow's draft with its samples, what they come to, and what has changed in its places: what all its tabs share. */
export function useEditorContext(workflow: Workflow): EditorContext {
  const draft = useDraft(workflow);
  const connections = useConnections().data ?? [];
  const settings = useSettings().data;
  const calendars = useCalendars().data?.open;
  const { source, identity, also, fields } = draft.content.start;
  const sourceKey = source
    ? `${source.connection}|${source.path.join('/')}|${JSON.stringify([identity, also, fields])}`
    : '';
  // Samples belong to the source that is saved: asked for only once it is.
  const isSaved = draft.state.kind === 'saved';
  const samples = useSamples(workflow.id, sourceKey, isSaved);
  const version = useMemo(
    () => ({
      content: draft.content,
      locale: localeOf(draft.content, settings ?? { zone: 'utc', country: 'GB' }),
      ...(settings && { business: businessRecord(settings.workspace, settings.business) }),
      ...(calendars && { calendars }),
    }),
    [draft.content, settings, calendars],
  );
  const drift = useDrift(workflow.id, placesKey(draft.content), isSaved);
  const gone = useGone(workflow.id, placesKey(draft.content), isSaved);
  const shownSamples = samples.data ?? noSamples;
  const found = useLookups(workflow.id, lookupsKey(draft.content, shownSamples), isSaved);
  const lookups = (found.data ?? noLookups) as Lookups;
  const { runs, of } = useSampleRuns(version, shownSamples, lookups);
  return {
    workflow,
    draft,
    version,
    connections,
    samples: shownSamples,
    runs,
    drifts: drift.data ?? [],
    gone: gone.data ?? [],
    lookAgain: () => void Promise.all([drift.refetch(), gone.refetch()]),
    lookups,
    isLookingUp: found.isFetching,
    // Told, but the sheet isn't worked out with it yet: no better than not told.
    isFirstLook: (found.isFetching || of !== lookups) && (of === undefined || Object.keys(of).length === 0),
    lookupProblem: found.error?.message,
    isLoadingSamples: samples.isPending,
    samplesProblem: samples.error?.message,
    sourceKey,
    zone: version.locale.zone,
  };
}

const noSamples: readonly Sample[] = [];
const noLookups: Lookups = {};

/** Changes whenever what lookups find may; empty where the draft has none. */
function lookupsKey(content: WorkflowContent, samples: readonly Sample[]): string {
  const asks = content.steps.some((step) => isPlaced(step) && step.ladder && !step.isOff && step.target);
  if (!asks || samples.length === 0) return '';
  // What the fields of a place are called matters to nobody who looks things up there.
  const steps = content.steps.map((step) =>
    isPlaced(step) ? { ...step, target: step.target && [step.target.connection, step.target.path] } : step,
  );
  return JSON.stringify([steps, content.tables, samples.map((one) => one.id)]);
}

/** Changes whenever the places of a draft, or what they were described as, do. */
function placesKey(content: WorkflowContent): string {
  const places = [content.start.source, ...content.steps.filter(isPlaced).map((step) => step.target)];
  return JSON.stringify(
    places.map((place) => place && [place.connection, place.path, place.described.fields.map((field) => field.path)]),
  );
}
