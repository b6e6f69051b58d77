import {
  type ItemState,
  type JsonRecord,
  recordTitle,
  resultsOf,
  type Scope,
  type StepResult,
  type Told,
  takeOnPaper,
  type WorkflowVersion,
  withinOf,
} from '@golden/core';
import { useEffect, useRef, useState } from 'react';
import type { Sample } from '../../api/queries.ts';
import { lookedAt } from '../draft/use-evaluation-context.ts';

/** What lookups found for each sample, by sample and step. */
export type Lookups = Readonly<Record<string, Told>>;

/** A sample taken through the draft as far as it can be told without asking the destination. */
export interface SampleOnSheet {
  readonly id: string;
  readonly title: string;
  readonly record: JsonRecord;
  readonly sample: Sample;
  readonly results: Readonly<Record<string, StepResult>>;
  /** The steps that the sample reaches. */
  readonly reached: ReadonlySet<string>;
  /** What is known to the sentences: the record, and what each write would have made of it. */
  readonly scope: Scope;
}

/** Takes a sample through the draft on paper, with what the server found for the saved draft. */
export function runSample(version: WorkflowVersion, sample: Sample, told: Told = nothingTold): SampleOnSheet {
  const record = sample.record as JsonRecord;
  const { state } = takeOnPaper(version, record, lookedAt, told);
  return {
    id: sample.id,
    title: recordTitle(record),
    record,
    sample,
    results: summedUp(version, state),
    reached: reachedIn(version, state),
    scope: state.values,
  };
}

const nothingTold: Told = {};

const nothingMade = { runs: [], of: undefined };

function reachedIn({ content }: WorkflowVersion, state: ItemState): ReadonlySet<string> {
  const reached = new Set<string>();
  for (const step of content.steps) {
    const results = resultsOf(state.steps, step.id);
    // A list without items passes over what stands within its "for each".
    if (results.length === 0 && withinOf(step) === undefined) break;
    if (results.length > 0) reached.add(step.id);
    if (results[0]?.kind === 'left_out' && withinOf(step) === undefined) break;
  }
  return reached;
}

/** One result a step: within a "for each" the one that needs a person, else the first turn's. */
function summedUp({ content }: WorkflowVersion, state: ItemState): Readonly<Record<string, StepResult>> {
  return Object.fromEntries(
    content.steps.flatMap((step) => {
      const results = resultsOf(state.steps, step.id);
      const shown = results.find((result) => result.kind === 'unsettled') ?? results[0];
      return shown ? [[step.id, shown]] : [];
    }),
  );
}

/** Milliseconds of computing before the browser may paint and take keys again; more while nobody can type yet. */
const slice = 6;
const firstSlice = 60;
/** A pause in typing after which the samples are taken through anew. */
const patience = 60;

/**
 * All samples taken through the draft, in slices so that typing is never kept waiting. Until a newer
 * result is whole the one before is given, with the lookups that it was made with.
 */
export function useSampleRuns(
  version: WorkflowVersion,
  samples: readonly Sample[],
  lookups: Lookups,
): { readonly runs: readonly SampleOnSheet[]; readonly of: Lookups | undefined } {
  const [made, setMade] = useState<{ runs: readonly SampleOnSheet[]; of: Lookups | undefined }>(nothingMade);
  const isFirst = useRef(true);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout>;
    const done: SampleOnSheet[] = [];
    const share = isFirst.current ? firstSlice : slice;
    const work = (): void => {
      const until = performance.now() + share;
      while (done.length < samples.length && performance.now() < until) {
        const sample = samples[done.length] as Sample;
        done.push(runSample(version, sample, lookups[sample.id]));
      }
      if (done.length < samples.length) timer = setTimeout(work, 0);
      else setMade({ runs: done, of: lookups });
    };
    // The first result is wanted at once, and another sample's as well; after an edit typing goes first.
    timer = setTimeout(work, isFirst.current ? 0 : patience);
    isFirst.current = samples.length === 0;
    return () => clearTimeout(timer);
  }, [version, samples, lookups]);
  return made;
}
