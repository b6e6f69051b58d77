import { conceptOf } from '../mapping/concepts.ts';
import type { Filling } from '../mapping/filling.ts';
import { suggestMapping, suggestSources } from '../mapping/suggest.ts';
import { identifyingFillings, proposeLadder } from '../matching/lookup/propose.ts';
import type { LookupStep } from '../steps/lookup/schema.ts';
import { isPlaced } from '../steps/schemas.ts';
import type { Field } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
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
 */
export function proposedLookup(
  content: WorkflowContent,
  place: Place,
  records: readonly JsonRecord[],
  there: readonly JsonRecord[],
): LookupStep {
  const sources = suggestSources(records, fetchedFields(content.start), startId);
  const fields = isOfFirms(place.described.singular) ? place.described.fields.map(asFirm) : place.described.fields;
  const suggestions = identifyingFillings(place.described, suggestMapping(sources, fields, there));
  const mapping: Record<string, Filling> = Object.fromEntries(suggestions.map((one) => [one.path, one.filling]));
  const ladder = proposeLadder(place.described, (path) => mapping[path] !== undefined, rememberedBy(content, place));
  return { id: newStepId(content, 'lookup'), kind: 'lookup', target: place, mapping, ladder };
}

const isOfFirms = (singular: string): boolean => /compan|firm|organi[sz]ation|supplier|vendor/i.test(singular);

/** The name of a firm is what a person's record calls its company, not the person's own name. */
const asFirm = (field: Field): Field => (conceptOf(field.label) === 'name' ? { ...field, label: 'company' } : field);

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

/** True when a field of a step is filled with what a lookup before it finds. */
export function isLookedUp(content: WorkflowContent, filling: Filling | undefined): boolean {
  if (filling?.kind !== 'field') return false;
  const step = content.steps.find((one) => one.id === filling.ref.step);
  return step?.kind === 'lookup' && fieldOfRef(content, filling.ref)?.type === 'id';
}
