import { conceptOf } from '../../mapping/concepts.ts';
import type { Field } from '../../values/field.ts';
import type { FieldKind } from '../kinds.ts';

const byConcept: Readonly<Record<string, FieldKind>> = {
  'e-mail': 'email',
  phone: 'phone',
  'first name': 'given_name',
  'last name': 'family_name',
  company: 'company',
  street: 'street',
  city: 'city',
  postcode: 'postcode',
  country: 'country',
  'tax number': 'tax_number',
  number: 'code',
  article: 'code',
  birthday: 'date',
};

/** Records that are people by their name; others may be firms as well. */
const people = /person|people|contact|lead|subscriber|employee|member/i;

/**
 * What a field of a place says of who a record is, by its type and its name.
 *
 * @param singular - what a record is called there: a person's `name` is a person's, a customer's may be a firm's
 */
export function kindOfField(field: Field, singular: string): FieldKind {
  const last = field.label.split(' · ').at(-1) ?? field.label;
  if (field.type === 'email') return 'email';
  if (field.type === 'phone') return 'phone';
  if (field.type === 'country') return 'country';
  if (field.type === 'date') return 'date';
  const concept = conceptOf(last);
  // A customer's "company id" is a tax number in UBL's words; an id of another record is no sign of who it is.
  if (field.type === 'id') return 'ignore';
  if (concept === 'name') return people.test(singular) ? 'full_name' : 'company';
  // Whom one speaks to at a firm says little of which firm it is.
  if (concept === 'contact name') return people.test(singular) ? 'full_name' : 'text';
  const known = concept === undefined ? undefined : byConcept[concept];
  if (known) return known;
  if (field.type === 'integer' || field.type === 'decimal' || field.type === 'money') return 'amount';
  return ['text', 'any', 'url'].includes(field.type) ? 'text' : 'ignore';
}
