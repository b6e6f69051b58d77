import { z } from 'zod';
import { PointerSchema } from './pointer.ts';

/**
 * What a field holds. `any` is a column that doesn't say: it takes a value with the kind that
 * the value has already.
 */
export const fieldTypes = [
  'text',
  'integer',
  'decimal',
  'money',
  'boolean',
  'date',
  'instant',
  'choice',
  'email',
  'phone',
  'url',
  'country',
  'id',
  'record',
  'list',
  'any',
] as const;
export type FieldType = (typeof fieldTypes)[number];

export const OptionSchema = z.object({ value: z.string(), label: z.string() });

/** One field of a record type, as the app describes it. */
export interface Field {
  /** Where it stands in the record, a JSON Pointer; in a list's `fields`, within one item. */
  path: string;
  /** As a person reads it. */
  label: string;
  /** What a standard calls it, where a person calls it otherwise. */
  standardName?: string | undefined;
  type: FieldType;
  required?: boolean | undefined;
  /** Set by the app itself: can be read, not written. */
  readOnly?: boolean | undefined;
  maxLength?: number | undefined;
  /** What a text has to look like: a regular expression of JSON Schema, in what RE2 understands of it. */
  pattern?: string | undefined;
  unique?: boolean | undefined;
  options?: { value: string; label: string }[] | undefined;
  /** For an id: which record type it names, such as `customers`. */
  idOf?: string | undefined;
  description?: string | undefined;
  /** For money: the currency of its amounts, or the field of the record that tells it. */
  currency?: { code: string } | { path: string } | undefined;
  /** A file that spreadsheet programs open: they take some of its texts for formulas. */
  readsFormulas?: boolean | undefined;
  /** Some records have it, others don't, and it may come and go: that it isn't described any more is no change of the place. */
  mayLack?: boolean | undefined;
  /** A text of several lines, as in a letter. */
  isLong?: boolean | undefined;
  /** Somebody reads it as it stands: gaps that empty fields leave in it are told. */
  tellsGaps?: boolean | undefined;
  /** It is printed for people: dates and amounts stand there by the custom of the country, options by their names. */
  isPrinted?: boolean | undefined;
  /** Anybody may have written it: the field that says whether it was checked. */
  provenBy?: string | undefined;
  /** A text message, sent in parts that each cost. */
  isTextMessage?: boolean | undefined;
  /** A person says what goes there: nothing that a record holds is proposed for it. */
  byPersonOnly?: boolean | undefined;
  /** Its options are files that are kept here: a person can add one. */
  takesFiles?: boolean | undefined;
  /** For a list: the fields of each item, when its items are records. */
  fields?: Field[] | undefined;
}

export const FieldSchema: z.ZodType<Field> = z.object({
  /** Where it stands in the record, a JSON Pointer. */
  path: PointerSchema,
  /** As a person reads it. */
  label: z.string(),
  standardName: z.string().optional(),
  type: z.enum(fieldTypes),
  required: z.boolean().optional(),
  /** Set by the app itself: can be read, not written. */
  readOnly: z.boolean().optional(),
  maxLength: z.int().positive().optional(),
  pattern: z.string().optional(),
  unique: z.boolean().optional(),
  options: z.array(OptionSchema).optional(),
  /** For an id: which record type it names, such as `customers`. */
  idOf: z.string().optional(),
  description: z.string().optional(),
  currency: z.union([z.object({ code: z.string() }), z.object({ path: PointerSchema })]).optional(),
  readsFormulas: z.boolean().optional(),
  mayLack: z.boolean().optional(),
  isLong: z.boolean().optional(),
  tellsGaps: z.boolean().optional(),
  isPrinted: z.boolean().optional(),
  isTextMessage: z.boolean().optional(),
  byPersonOnly: z.boolean().optional(),
  takesFiles: z.boolean().optional(),
  provenBy: PointerSchema.optional(),
  get fields() {
    return z.array(FieldSchema).optional();
  },
});

/** A kind of record in one place of an app, with what the app can do with it. */
export const RecordTypeSchema = z.object({
  name: z.string(),
  /** "customer" */
  singular: z.string(),
  /** "customers" */
  plural: z.string(),
  fields: z.array(FieldSchema),
  can: z.object({
    list: z.boolean(),
    find: z.boolean(),
    create: z.boolean(),
    update: z.boolean(),
    readBack: z.boolean(),
  }),
  /** The fields a record can be looked up by; absent means any of them. */
  findBy: z.array(PointerSchema).optional(),
  /** Where the app keeps the instants, when it does. */
  created: PointerSchema.optional(),
  updated: PointerSchema.optional(),
  /**
   * Mails come in here: the field that says who sent one, the ids of the mails that it answers, and the value that tells
   * that a person wrote it.
   */
  answers: z
    .object({ from: PointerSchema, ids: PointerSchema, byPerson: z.object({ path: PointerSchema, is: z.string() }) })
    .optional(),
  /** What a write usually comes to, where the place tells by an example. */
  example: z.record(z.string(), z.unknown()).optional(),
  /** Why nothing may be written here, in a sentence. */
  readOnlyBecause: z.string().optional(),
  /**
   * What is written here goes out to somebody and can't be taken back: the field that says to whom, others that say so
   * too, and the one that is read first. `back` tells of what can't be delivered: the field that says where it comes
   * back to, where it does when that isn't filled, and which of these are read.
   */
  sentTo: z
    .object({
      to: PointerSchema,
      copies: z.array(PointerSchema),
      subject: PointerSchema,
      /** The field with its text, where that may be news; absent for what only answers somebody. */
      body: PointerSchema.optional(),
      back: z.object({ from: PointerSchema, usual: z.string(), read: z.array(z.string()) }).optional(),
    })
    .optional(),
  /**
   * Each record that is written here is a document, made once: the field that says what its file is called, and those
   * that say who the business itself is, each by the fact of the business that it is filled with.
   */
  document: z.object({ name: PointerSchema, ours: z.record(PointerSchema, PointerSchema).optional() }).optional(),
  /** A new record may be a draft first, hidden, or not active yet: the field that says so, with its two values and what they are called. */
  draft: z
    .object({
      field: PointerSchema,
      draft: z.string(),
      shown: z.string(),
      means: z.string(),
      otherwise: z.string(),
      /** The public sees what is shown: a new one is a draft unless somebody says otherwise. */
      isPublic: z.boolean().optional(),
    })
    .optional(),
});
export type RecordType = z.infer<typeof RecordTypeSchema>;

/** The field at this path, or undefined. */
export function fieldAt(fields: readonly Field[], path: string): Field | undefined {
  return fields.find((field) => field.path === path);
}

const typeWords: Record<FieldType, string> = {
  text: 'text',
  integer: 'whole number',
  decimal: 'number',
  money: 'money',
  boolean: 'yes or no',
  date: 'date',
  instant: 'date and time',
  choice: 'choice',
  email: 'e-mail',
  phone: 'phone',
  url: 'web address',
  country: 'country',
  id: 'id',
  record: 'record',
  list: 'list',
  any: 'anything',
};

/** A field's name as a person calls it, with what a standard calls it: "total without tax (tax exclusive amount)". */
export function standardLabel({ label, standardName }: Field): string {
  return standardName === undefined ? label : `${label} (${standardName})`;
}

/** The type in words, with its limit: "text 60", "id of customers". */
export function typeLabel(field: Field): string {
  if (field.type === 'id' && field.idOf) return `id of ${field.idOf}`;
  // A limit that no business value comes near isn't worth a word.
  return field.maxLength && field.maxLength < 10_000
    ? `${typeWords[field.type]} ${field.maxLength}`
    : typeWords[field.type];
}
