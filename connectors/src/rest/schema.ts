/** The part of JSON Schema (as in OpenAPI 3.1) that says what a field holds. */
export interface JsonSchema {
  readonly type?: string | readonly string[];
  readonly format?: string;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly maxLength?: number;
  readonly readOnly?: boolean;
  readonly title?: string;
  readonly description?: string;
  readonly required?: readonly string[];
  readonly properties?: Readonly<Record<string, JsonSchema>>;
  readonly anyOf?: readonly JsonSchema[];
  readonly oneOf?: readonly JsonSchema[];
  readonly items?: JsonSchema;
  readonly pattern?: string;
  /** Ours: the field of the record that says of which currency an amount is. */
  readonly 'x-currency'?: string;
  /** Ours: the record type that an id is of. */
  readonly 'x-id-of'?: string;
  /** Ours: no two records may have the same value there. */
  readonly 'x-unique'?: boolean;
  /** Ours: what the values of an enumeration mean, in words. */
  readonly 'x-labels'?: Readonly<Record<string, unknown>>;
}

const isText = (value: unknown): value is string => typeof value === 'string';
const isTexts = (value: unknown): boolean => Array.isArray(value) && value.every(isText);
const isObject = (value: unknown): boolean => typeof value === 'object' && value !== null && !Array.isArray(value);
const isObjects = (value: unknown): boolean => Array.isArray(value) && value.every(isObject);
const isYesOrNo = (value: unknown): boolean => typeof value === 'boolean';

/** What each keyword has to hold to count; a document may say anything. */
const kinds: Readonly<Record<keyof JsonSchema, (value: unknown) => boolean>> = {
  type: (value) => isText(value) || isTexts(value),
  format: isText,
  enum: (value) => Array.isArray(value) && value.length > 0,
  const: () => true,
  maxLength: (value) => Number.isSafeInteger(value) && (value as number) > 0,
  readOnly: isYesOrNo,
  title: isText,
  description: isText,
  required: isTexts,
  properties: isObject,
  anyOf: isObjects,
  oneOf: isObjects,
  items: isObject,
  pattern: isText,
  'x-currency': (value) => isText(value) && value.startsWith('/'),
  'x-id-of': isText,
  'x-unique': isYesOrNo,
  'x-labels': isObject,
};

const read = new WeakMap<object, JsonSchema>();

/**
 * A schema with only those keywords that hold what they should; what stands within it is read in its
 * turn. The same object gives the same schema, so that one which leads back to itself is known again.
 */
export function schemaOf(value: unknown): JsonSchema | undefined {
  if (!isObject(value)) return undefined;
  const given = value as object;
  const known = read.get(given);
  if (known) return known;
  const entries = Object.entries(kinds).filter(
    ([name, fits]) => Object.hasOwn(given, name) && fits((given as Record<string, unknown>)[name]),
  );
  const schema = Object.fromEntries(entries.map(([name]) => [name, (given as Record<string, unknown>)[name]]));
  read.set(given, schema);
  return schema;
}
