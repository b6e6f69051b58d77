import type { Scope } from '../mapping/filling.ts';
import { saysNo } from '../values/consent.ts';
import type { Field } from '../values/field.ts';
import { readPointer } from '../values/pointer.ts';
import { isRecord, type JsonRecord, toText, type Value } from '../values/value.ts';
import { contactKeys } from './contact.ts';

/** The field in which somebody said that they don't want to be contacted. */
export interface Refusal {
  readonly label: string;
  readonly value: string;
}

/**
 * Where a record says that a person must not be contacted: one that is known to a step, has this person's address, and
 * has a consent field that says no. One that says so is enough, whatever the others say.
 *
 * @param fieldsOf - the described fields of what a step made known
 * @param contact - as `contactKey` gives it
 */
export function refusalOf(
  scope: Scope,
  fieldsOf: (step: string) => readonly Field[],
  contact: string,
  country?: string,
): Refusal | undefined {
  for (const [step, record] of Object.entries(scope)) {
    const fields = fieldsOf(step);
    if (!isAbout(record, fields, contact, country)) continue;
    for (const field of fields) {
      const value = readPointer(record, field.path);
      if (value !== undefined && saysNo(field, value)) return { label: field.label, value: said(value) };
    }
  }
  return undefined;
}

const said = (value: Value): string => (typeof value === 'boolean' ? (value ? 'yes' : 'no') : toText(value));

/** Fields that may hold an address or a number. */
const contacts: ReadonlySet<Field['type']> = new Set(['email', 'phone', 'text', 'any', 'id']);

function isAbout(record: JsonRecord, fields: readonly Field[], contact: string, country: string | undefined): boolean {
  return fields.some(({ path, type }) => {
    const value = contacts.has(type) ? readPointer(record, path) : undefined;
    return value !== undefined && !isRecord(value) && contactKeys(value, country).includes(contact);
  });
}
