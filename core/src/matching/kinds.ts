import { z } from 'zod';

/**
 * What a field says of who a record is. A kind chooses how values are normalised and compared.
 * `ignore` takes part in nothing.
 */
export const FieldKindSchema = z.enum([
  'full_name',
  'given_name',
  'family_name',
  'company',
  'email',
  'phone',
  'street',
  'postcode',
  'city',
  'country',
  'address',
  'tax_number',
  'date',
  'year',
  'month',
  'day',
  'amount',
  'code',
  'text',
  'ignore',
]);

export type FieldKind = z.infer<typeof FieldKindSchema>;

/** The words people read for a kind. */
export const kindLabels: Readonly<Record<FieldKind, string>> = {
  full_name: 'person’s name',
  given_name: 'given name',
  family_name: 'family name',
  company: 'company',
  email: 'e-mail',
  phone: 'phone',
  street: 'street',
  postcode: 'postcode',
  city: 'town',
  country: 'country',
  address: 'address in one field',
  tax_number: 'tax number',
  date: 'date',
  year: 'year of a date',
  month: 'month of a date',
  day: 'day of a date',
  amount: 'amount',
  code: 'code',
  text: 'free text',
  ignore: 'not compared',
};
