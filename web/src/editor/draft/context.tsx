import type { WorkflowVersion } from '@golden/core';
import { useOutletContext } from 'react-router';
import type { Connection, GonePlace, PlaceDrift, Sample, Workflow } from '../../api/queries.ts';
import type { Lookups, SampleOnSheet } from '../samples/sample-run.ts';
import type { Draft } from './use-draft.ts';

/** What the tabs of a workflow share. */
export interface EditorContext {
  readonly workflow: Workflow;
  readonly draft: Draft;
  readonly version: WorkflowVersion;
  readonly connections: readonly Connection[];
  readonly samples: readonly Sample[];
  /** The samples taken through the draft. */
  readonly runs: readonly SampleOnSheet[];
  /** What lookups found for each sample, by sample and step. */
  readonly lookups: Lookups;
  readonly isLookingUp: boolean;
  /** While what stands after a lookup can't be told yet. */
  readonly isFirstLook: boolean;
  readonly lookupProblem: string | undefined;
  readonly isLoadingSamples: boolean;
  readonly samplesProblem: string | undefined;
  readonly sourceKey: string;
  /** The places that aren't what the draft was built on. */
  readonly drifts: readonly PlaceDrift[];
  /** The places that aren't there any more. */
  readonly gone: readonly GonePlace[];
  lookAgain(): void;
  readonly zone: string;
}

/** What all tabs of a workflow share. @throws outside of a workflow’s pages */
export const useEditor = (): EditorContext => useOutletContext<EditorContext>();
