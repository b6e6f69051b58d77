import { plainStepId } from '../steps/turn.ts';
import type { JsonRecord } from '../values/value.ts';
import { describedPlace } from '../workflow/references.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { exampleWaitLinks, usesWaitLinks } from '../workflow/wait-links.ts';
import { advance, beginItem } from './advance.ts';
import { assumedRecord } from './assumed.ts';
import { type Advance, type Answer, type Effect, type ItemState, type Park, skipped } from './state.ts';

/** More than any workflow asks for one record. */
const mostAnswers = 4000;

/** Whether a step looks something up: what it found was told. */
const isLookup = ({ content }: WorkflowVersion, id: string): boolean =>
  content.steps.some((step) => step.id === plainStepId(id) && step.kind === 'lookup');

/** What lookups were told, by step. */
export type Told = Readonly<Record<string, Answer>>;

/**
 * Takes a record through a workflow as far as it can be told without asking anybody, with the same
 * `advance` that runs it. Keys are answered with "nobody", ladders and fetches with what was `told`,
 * a write with what it would send, and nothing is waited for: what a destination holds and makes of it
 * is only known in a rehearsal.
 *
 * @param until - stops before the effect that it is true of; the state with that effect is given then
 */
export function takeOnPaper(
  version: WorkflowVersion,
  record: JsonRecord,
  takenAt: string,
  told: Told,
  until: (effect: Effect) => boolean = () => false,
): { readonly state: ItemState; readonly effect?: Effect | undefined } {
  const begun = advance(version, beginItem(record, takenAt, onPaper(version)), { kind: 'begin' });
  return finishOnPaper(version, begun, told, until);
}

/** What an item on paper knows besides its record. */
export const onPaper = ({
  business,
  content,
}: WorkflowVersion): Pick<Parameters<typeof beginItem>[2] & object, 'business' | 'links'> => ({
  business,
  links: usesWaitLinks(content) ? exampleWaitLinks : undefined,
});

/** The same from anywhere on its way. */
export function finishOnPaper(
  version: WorkflowVersion,
  from: Advance,
  told: Told,
  until: (effect: Effect) => boolean = () => false,
): { readonly state: ItemState; readonly effect?: Effect | undefined } {
  let step = from;
  for (let guard = 0; !step.outcome && guard < mostAnswers; guard++) {
    const { effect } = step;
    if (effect && until(effect)) break;
    step = advance(version, step.state, effect ? answerOnPaper(version, effect, told[effect.step]) : skipped);
  }
  return step;
}

function answerOnPaper(version: WorkflowVersion, effect: Effect, told: Answer | undefined): Answer {
  switch (effect.kind) {
    case 'find':
      return told?.kind === 'found' && isLookup(version, effect.step) ? told : { kind: 'found', matches: [] };
    case 'match':
      return told?.kind === 'matched' ? told : { kind: 'matched', tries: [] };
    case 'fetch':
      return told?.kind === 'fetched' ? told : { kind: 'fetched', found: null };
    case 'write': {
      const record = assumedRecord(effect.write, describedPlace(version.content, effect.step));
      return { kind: 'written', id: effect.write.id ?? '', record: { ...effect.write.before, ...record } };
    }
    case 'readBack':
      return { kind: 'not_readable' };
    case 'handOver':
      return { kind: 'handed', count: effect.count };
    case 'handedBack':
      // What the other workflow makes of it is only known there.
      return {
        kind: 'handed_back',
        open: 0,
        unsettled: 0,
        message: '',
        counts: { delivered: 0, leftOut: 0, dropped: 0 },
      };
  }
}

/** What a record comes to wait for at a step, on paper; undefined where it doesn't come there. */
export function parkOnPaper(
  version: WorkflowVersion,
  record: JsonRecord,
  takenAt: string,
  told: Told,
  step: string,
): Park | undefined {
  let at = advance(version, beginItem(record, takenAt, onPaper(version)), { kind: 'begin' });
  for (let guard = 0; !at.outcome && guard < mostAnswers; guard++) {
    const { effect, park } = at;
    if (park?.step === step) return park;
    at = advance(version, at.state, effect ? answerOnPaper(version, effect, told[effect.step]) : skipped);
  }
  return undefined;
}
