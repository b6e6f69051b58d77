import type { WorkflowVersion } from '@golden/core';
import { useOutletContext } from 'react-router';
import type { Connection, Sample, Workflow } from '../api/queries.ts';
import type { Draft } from './use-draft.ts';

/** What the tabs of a workflow share. */
export interface EditorContext {
  readonly workflow: Workflow;
  readonly draft: Draft;
  readonly version: WorkflowVersion;
  readonly connections: readonly Connection[];
  readonly samples: readonly Sample[];
  readonly isLoadingSamples: boolean;
  readonly samplesProblem: string | undefined;
  readonly sourceKey: string;
  readonly zone: string;
}

export const useEditor = (): EditorContext => useOutletContext<EditorContext>();
