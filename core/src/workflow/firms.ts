import { conceptOf } from '../mapping/concepts.ts';
import type { SuggestSource } from '../mapping/suggestion.ts';
import { isOfFirms } from '../matching/lookup/propose.ts';
import type { Field, RecordType } from '../values/field.ts';

/** Whether a source has something that means this, and ever fills it. */
export const hasConcept = (sources: readonly SuggestSource[], concept: string): boolean =>
  sources.some(({ profile }) => conceptOf(profile.field.label) === concept && profile.filled > 0);

/** The fields of a place; the name of a firm is what another record calls its company, where it says so. */
export function fieldsOfFirms(
  { fields, singular }: Pick<RecordType, 'fields' | 'singular'>,
  sources: readonly SuggestSource[],
): readonly Field[] {
  if (!isOfFirms(singular) || !hasConcept(sources, 'company')) return fields;
  return fields.map((field) => (conceptOf(field.label) === 'name' ? { ...field, label: 'company' } : field));
}
