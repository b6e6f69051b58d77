import { type Field, type FieldType, formatPointer, pointerLabel } from '@golden/core';
import { NotUnderstood } from '../errors.ts';
import { type JsonSchema, schemaOf } from './schema.ts';
import { isUbl, plainUblName } from './ubl-names.ts';

/** What is known of a record type's fields besides its schemas. */
export interface FieldHints {
  readonly idPath: string;
  readonly recordType: string;
}

/** How the fields of a record are named. */
interface Naming extends FieldHints {
  readonly isUbl: boolean;
  /** True for the fields of a line, or of an article that stands in lines. */
  readonly isOfLine: boolean;
}

/**
 * The fields that a dereferenced schema describes, nested ones by their JSON Pointers. A field that
 * the input schema lacks is read-only; one that the input schema requires is required.
 */
export function fieldsOf(schema: JsonSchema, input: JsonSchema | undefined, hints: FieldHints): Field[] {
  const naming = { ...hints, isUbl: isUbl(schema), isOfLine: hints.recordType === 'items' };
  return collect(schema, input, [], naming, new Way());
}

/** More fields than this no record has; documents that repeat a part within its like can describe millions. */
const mostFields = 5000;

/** Where the walk through a schema is: a schema may lead back to itself, and be led to from many places. */
class Way {
  private left = mostFields;
  private readonly above = new Set<object>();

  /** True where the schema is one that the walk is within already. */
  isBack(schema: JsonSchema | undefined): boolean {
    return schema?.properties !== undefined && this.above.has(schema.properties);
  }

  /** @throws NotUnderstood when there are more fields than any record has */
  count(): void {
    this.left -= 1;
    if (this.left < 0) throw new NotUnderstood(`The app describes more than ${mostFields} fields of one record.`);
  }

  within<T>(schema: JsonSchema | undefined, work: () => T): T {
    const { properties } = schema ?? {};
    if (!properties) return work();
    this.above.add(properties);
    try {
      return work();
    } finally {
      this.above.delete(properties);
    }
  }
}

/** The paths of money that travels in minor units; those of list items after the list's. */
export function minorPathsOf(schema: JsonSchema | undefined, above = '', way = new Way()): string[] {
  if (way.isBack(schema)) return [];
  return way.within(schema, () =>
    Object.entries(schema?.properties ?? {}).flatMap(([name, one]) => {
      way.count();
      const property = unwrap(one);
      const path = `${above}${formatPointer([name])}`;
      if (property?.format === 'money-minor') return [path];
      return [...minorPathsOf(property, path, way), ...minorPathsOf(unwrap(property?.items), path, way)];
    }),
  );
}

function collect(
  schema: JsonSchema,
  input: JsonSchema | undefined,
  at: readonly string[],
  hints: Naming,
  way: Way,
): Field[] {
  return way.within(schema, () => collectWithin(schema, input, at, hints, way));
}

function collectWithin(
  schema: JsonSchema,
  input: JsonSchema | undefined,
  at: readonly string[],
  hints: Naming,
  way: Way,
): Field[] {
  return Object.entries(schema.properties ?? {}).flatMap(([name, one]) => {
    way.count();
    const property = unwrap(one);
    const sendable = input ? unwrap(input.properties?.[name]) : property;
    const tokens = [...at, name];
    if (property?.properties && !way.isBack(property)) {
      const inner = collect(property, sendable, tokens, hints, way);
      // What a part requires matters only when the part itself has to be there.
      return input?.required?.includes(name) ? inner : inner.map(({ required: _inner, ...field }) => field);
    }
    const path = formatPointer(tokens);
    const isId = path === hints.idPath;
    const item = unwrap(property?.items);
    const itemInput = input ? unwrap(sendable?.items) : item;
    const idOf = isId ? hints.recordType : property?.['x-id-of'];
    return [
      {
        path,
        ...namesOf(tokens, property, hints),
        type: idOf ? 'id' : typeOf(property),
        ...(idOf && { idOf }),
        ...(isId && { unique: true }),
        ...ownWords(property),
        ...(item?.properties &&
          !way.isBack(item) && { fields: collect(item, itemInput, [], { ...hints, idPath: '', isOfLine: true }, way) }),
        ...((!sendable || property?.readOnly) && { readOnly: true }),
        ...(input?.required?.includes(name) && { required: true }),
        ...(property?.maxLength && { maxLength: property.maxLength }),
        ...(property?.description && { description: property.description }),
        ...(property?.enum && {
          options: property.enum
            .filter((value) => value !== null)
            .map((value) => ({ value: String(value), label: optionLabel(String(value), property['x-labels']) })),
        }),
      },
    ];
  });
}

/** A value as a person reads it, with the code behind it: “standard rate (S)”. */
const optionLabel = (value: string, labels: JsonSchema['x-labels']): string => {
  const words = labels && Object.hasOwn(labels, value) ? labels[value] : undefined;
  return typeof words === 'string' && words !== '' ? `${words} (${value})` : value;
};

/** What a schema says beyond its type: whether values are unique, their currency, the pattern of a text. */
function ownWords(schema: JsonSchema | undefined): Partial<Field> {
  return {
    ...(schema?.['x-unique'] && { unique: true }),
    ...(schema?.['x-currency'] && { currency: { path: schema['x-currency'] } }),
    ...(schema?.pattern && !schema.enum && !isMoney(schema) && { pattern: schema.pattern }),
  };
}

/** A title longer than this explains, and doesn't name. */
const longestTitle = 60;

/** What a person calls a field, with the standard's name of it where that is another; else its title, or its own name. */
function namesOf(
  tokens: readonly string[],
  schema: JsonSchema | undefined,
  { isUbl, isOfLine }: Naming,
): Pick<Field, 'label' | 'standardName'> {
  const plain = tokens.map((name) => (isUbl ? plainUblName(name, isOfLine) : undefined));
  const title = schema?.title?.trim() ?? '';
  const own = plain.at(-1) === undefined && title !== '' && title.length <= longestTitle ? title : undefined;
  const names = tokens.map((name, at) => (at === tokens.length - 1 ? own : undefined) ?? plain[at] ?? name);
  const label = spaced(pointerLabel(formatPointer(names)));
  return plain.at(-1) === undefined ? { label } : { label, standardName: spaced(tokens.at(-1) ?? '') };
}

/** `streetName` as a person reads it: “street name”. */
const spaced = (label: string): string =>
  label.replace(/([a-z\d])([A-Z])/g, (_, before: string, after: string) => `${before} ${after.toLowerCase()}`);

/** The schema behind "this or null". */
function unwrap(given: JsonSchema | undefined): JsonSchema | undefined {
  const schema = schemaOf(given);
  const choices = schema?.anyOf ?? schema?.oneOf;
  const only = choices?.filter((one) => one.type !== 'null');
  return only?.length === 1 ? { ...schema, ...schemaOf(only[0]) } : schema;
}

function typeOf(schema: JsonSchema | undefined): FieldType {
  if (!schema) return 'text';
  if (schema.enum) return 'choice';
  if (schema.format === 'money-minor') return 'money';
  const types = [schema.type ?? 'string'].flat().filter((type) => type !== 'null');
  switch (types[0]) {
    case 'integer':
      return 'integer';
    case 'number':
      return 'decimal';
    case 'boolean':
      return 'boolean';
    case 'array':
      return 'list';
    case 'object':
      return 'record';
    default:
      return formats[schema.format ?? ''] ?? 'text';
  }
}

/** Formats of the JSON Schema and OpenAPI registries, and two of common use. */
const formats: Readonly<Record<string, FieldType>> = {
  email: 'email',
  date: 'date',
  'date-time': 'instant',
  uri: 'url',
  phone: 'phone',
  country: 'country',
  decimal: 'decimal',
  money: 'money',
};

const isMoney = (schema: JsonSchema | undefined): boolean =>
  schema?.format === 'money' || schema?.format === 'money-minor' || schema?.format === 'decimal';
