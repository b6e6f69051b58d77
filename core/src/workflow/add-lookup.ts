import { conceptOf } from '../mapping/concepts.ts';
import type { Filling } from '../mapping/filling.ts';
import { suggestMapping, suggestSources } from '../mapping/suggest.ts';
import type { Suggestion, SuggestSource } from '../mapping/suggestion.ts';
import { identifyingFillings, proposeLadder } from '../matching/lookup/propose.ts';
import type { LookupStep } from '../steps/lookup/schema.ts';
import { isPlaced, type Step } from '../steps/schemas.ts';
import type { Field } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
import { fieldsOfFirms } from './firms.ts';
import { newStepId } from './moves.ts';
import type { Place } from './place.ts';
import { fetchedFields, fieldOfRef, startId } from './references.ts';
import type { WorkflowContent } from './schema.ts';

/**
 * A lookup in a place, with what the samples propose for it: what is known, the ways to recognise a
 * record by it, and whose match is remembered.
 *
 * @param records - samples of the source
 * @param there - some records of the place
 * @param beside - what earlier steps give, such as a record that was fetched
 */
export function proposedLookup(
  content: WorkflowContent,
  place: Place,
  records: readonly JsonRecord[],
  there: readonly JsonRecord[],
  beside: readonly SuggestSource[] = [],
): LookupStep {
  const sources = [...suggestSources(records, fetchedFields(content.start), startId), ...beside];
  const suggestions = identifyingFillings(place.described, suggestIdentity(place, sources, there));
  const mapping: Record<string, Filling> = Object.fromEntries(suggestions.map((one) => [one.path, one.filling]));
  const ladder = proposeLadder(place.described, (path) => mapping[path] !== undefined, rememberedBy(content, place));
  return { id: newStepId(content, 'lookup'), kind: 'lookup', target: place, mapping, ladder };
}

/** What tells whose a record of a place is; of a firm only what is the firm's, not its people's. */
function suggestIdentity(
  { described }: Place,
  sources: readonly SuggestSource[],
  there: readonly JsonRecord[],
): Suggestion[] {
  const fields = fieldsOfFirms(described, sources);
  if (fields === described.fields) return suggestMapping(sources, fields, there);
  // A person's record names its firm; its address, telephone and mail are the person's own.
  const ofTheFirm = sources.filter(({ profile }) =>
    ['company', 'tax number'].includes(conceptOf(profile.field.label) ?? ''),
  );
  return suggestMapping(ofTheFirm, fields, there);
}

/** The whole record that an id of the source names in its own app, fetched before whatever needs it. */
export function fetchOf(content: WorkflowContent, place: Place, field: Field): LookupStep {
  return {
    id: newStepId(content, 'lookup'),
    kind: 'lookup',
    target: place,
    mapping: {},
    fetchId: { kind: 'field', ref: { step: startId, path: field.path }, tidies: [] },
    ladder: { rungs: [], atNone: 'empty', atUnclear: 'best' },
  };
}

/** The field of the source with the id of the record that is looked for in its own app: `customer_id` for a customer. */
function rememberedBy(content: WorkflowContent, place: Place): LookupStep['ladder']['remembers'] {
  const { source } = content.start;
  if (!source) return 'nothing';
  const noun = place.described.singular;
  const field = source.described.fields.find(
    (one) => one.type === 'id' && !one.readOnly && one.idOf?.startsWith(noun.slice(0, 5)),
  );
  if (field) return { step: startId, path: field.path };
  return source.described.singular === noun ? 'start' : 'nothing';
}

/**
 * The workflow with a lookup before a sentence, and one of its fields filled with the id of the
 * record that the lookup finds.
 */
export function withLookupFor(
  content: WorkflowContent,
  stepId: string,
  path: string,
  lookup: LookupStep,
): WorkflowContent {
  const at = content.steps.findIndex((step) => step.id === stepId);
  const step = content.steps[at];
  if (!step || !isPlaced(step) || !lookup.target) return content;
  const id = lookup.target.described.fields.find((field) => field.type === 'id' && field.readOnly)?.path ?? '/id';
  const filled = {
    ...step,
    mapping: { ...step.mapping, [path]: { kind: 'field' as const, ref: { step: lookup.id, path: id }, tidies: [] } },
  };
  const placed: LookupStep = step.within === undefined ? lookup : { ...lookup, within: step.within };
  return { ...content, steps: [...content.steps.slice(0, at), placed, filled, ...content.steps.slice(at + 1)] };
}

/** The workflow with a step put in right before another one. */
export function withStepBefore(content: WorkflowContent, stepId: string, step: Step): WorkflowContent {
  const at = content.steps.findIndex(({ id }) => id === stepId);
  return { ...content, steps: [...content.steps.slice(0, at), step, ...content.steps.slice(at)] };
}

/** True when a field of a step is filled with what a lookup before it finds. */
export function isLookedUp(content: WorkflowContent, filling: Filling | undefined): boolean {
  if (filling?.kind !== 'field') return false;
  const step = content.steps.find((one) => one.id === filling.ref.step);
  return step?.kind === 'lookup' && fieldOfRef(content, filling.ref)?.type === 'id';
}
