import { isRecord, type JsonRecord, parsePointer, toText, type Value } from '@golden/core';
import type { Schemas } from './dereferenced.ts';
import type { JsonSchema } from './schema.ts';

// The dialect of apps that keep user accounts: SCIM 2.0, RFC 7643 (schemas) and RFC 7644 (protocol). A resource is
// one flat record here. Of an attribute with several values the primary one is the field, and the others stay.

/** The media type (RFC 7644 section 8.1). */
export const scimType = 'application/scim+json';

const patchOp = 'urn:ietf:params:scim:api:messages:2.0:PatchOp';
const enterpriseUrn = 'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User';

/** The name of a core schema. */
export const scimUrn = (name: string): string => `urn:ietf:params:scim:schemas:core:2.0:${name}`;

const texts: Readonly<Record<string, JsonSchema>> = {
  string: { type: 'string' },
  boolean: { type: 'boolean' },
  integer: { type: 'integer' },
  decimal: { type: 'number' },
  datetime: { type: 'string', format: 'date-time' },
  reference: { type: 'string', format: 'uri' },
};

/** What attributes with several values hold, by their names in RFC 7643 section 4.1.2. */
const formats: Readonly<Record<string, JsonSchema>> = {
  emails: { type: 'string', format: 'email' },
  phoneNumbers: { type: 'string', format: 'phone' },
  photos: { type: 'string', format: 'uri' },
};

/** The schemas that an app describes (RFC 7643 section 7), by their names, as those of flat records. */
export function scimSchemas(listing: JsonRecord): Schemas {
  const all = recordsIn(listing['Resources']);
  const named = new Map(all.map((one) => [toText(one['id']), one]));
  const schemas: Record<string, JsonSchema> = {};
  for (const one of all) {
    const urn = toText(one['id']);
    const extension = urn === scimUrn('User') ? named.get(enterpriseUrn) : undefined;
    const properties = propertiesOf(one['attributes']);
    schemas[toText(one['name'])] = {
      type: 'object',
      required: requiredOf(one['attributes']),
      properties: {
        id: { type: 'string', readOnly: true },
        externalId: { type: 'string', readOnly: true },
        ...properties,
        ...(extension && { [enterpriseUrn]: { type: 'object', properties: propertiesOf(extension['attributes']) } }),
        meta: {
          type: 'object',
          properties: {
            created: { type: 'string', format: 'date-time', readOnly: true },
            lastModified: { type: 'string', format: 'date-time', readOnly: true },
          },
        },
      },
    };
  }
  return schemas;
}

const recordsIn = (value: Value | undefined): JsonRecord[] => (Array.isArray(value) ? value.filter(isRecord) : []);

const requiredOf = (attributes: Value | undefined): string[] =>
  recordsIn(attributes).flatMap((one) => (one['required'] === true ? [toText(one['name'])] : []));

function propertiesOf(attributes: Value | undefined): Record<string, JsonSchema> {
  return Object.fromEntries(
    recordsIn(attributes).flatMap((one): [string, JsonSchema][] => {
      const name = toText(one['name']);
      // A password is never read, and nobody copies one.
      if (name === 'password' || one['mutability'] === 'writeOnly') return [];
      const schema = propertyOf(name, one);
      return schema ? [[name, schema]] : [];
    }),
  );
}

function propertyOf(name: string, one: JsonRecord): JsonSchema | undefined {
  const readOnly = one['mutability'] === 'readOnly';
  const said = {
    ...(readOnly && { readOnly }),
    ...(one['uniqueness'] === 'server' && { 'x-unique': true }),
    ...(one['description'] && { description: toText(one['description']) }),
  };
  const isSeveral = one['multiValued'] === true;
  if (toText(one['type']) !== 'complex') {
    const single = texts[toText(one['type']).toLowerCase()];
    return single && (isSeveral ? { type: 'array', items: single, ...said } : { ...single, ...said });
  }
  const inner = propertiesOf(one['subAttributes']);
  if (!isSeveral) return { type: 'object', properties: inner, ...said };
  // Of addresses and numbers the primary one is what people mean; of what leads elsewhere all of it counts.
  if (isPlainSeveral(one)) return { ...(formats[name] ?? { type: 'string' }), ...said };
  return { type: 'array', items: { type: 'object', properties: inner }, readOnly: true, ...said };
}

/** True where each of several values stands for itself: it isn't a reference to another resource. */
function isPlainSeveral(one: JsonRecord): boolean {
  const names = recordsIn(one['subAttributes']).map((sub) => toText(sub['name']));
  return names.includes('value') && names.includes('primary');
}

/** A resource as one flat record. */
export function flattenScim(resource: JsonRecord): JsonRecord {
  const { schemas: _schemas, meta, ...rest } = resource;
  const flat = Object.entries(rest).map(([name, value]): [string, Value] => [
    name,
    isSeveral(value) ? primaryOf(value) : value,
  ]);
  return { ...Object.fromEntries(flat), ...(isRecord(meta) && { meta: timesOf(meta) }) };
}

const timesOf = ({ created = null, lastModified = null }: JsonRecord): JsonRecord => ({ created, lastModified });

/** Addresses, numbers and the like: none of them leads to another resource. */
const isSeveral = (value: Value): value is Value[] =>
  Array.isArray(value) &&
  value.length > 0 &&
  value.every(
    (one) => isRecord(one) && one['value'] !== undefined && one['$ref'] === undefined && one['display'] === undefined,
  );

/** The primary one of several values; the first where none is. */
function primaryOf(values: readonly Value[]): Value {
  const all = values.filter(isRecord);
  return (all.find((one) => one['primary'] === true) ?? all[0])?.['value'] ?? null;
}

/** Values of a flat record as the body that makes a resource. */
export function scimBody(values: JsonRecord, schema: JsonSchema, urn: string): JsonRecord {
  const schemas = [urn, ...(values[enterpriseUrn] ? [enterpriseUrn] : [])];
  const body = Object.entries(values).flatMap(([name, value]): [string, Value][] => {
    if (value === null || value === '') return [];
    return [[name, isSeveralIn(schema, name) ? [{ value, type: 'work', primary: true }] : value]];
  });
  return { schemas, ...Object.fromEntries(body) };
}

/** True for a field that stands for the primary one of several values. */
const isSeveralIn = (schema: JsonSchema, name: string): boolean => {
  const format = formats[name];
  return format !== undefined && schema.properties?.[name]?.format === format.format;
};

/** Fields of which the resource as it is now has to be known before they can be changed: the other values stay. */
export const needsResource = (paths: readonly string[], schema: JsonSchema): boolean =>
  paths.some((path) => isSeveralIn(schema, parsePointer(path)[0] ?? ''));

/**
 * Changed values as a patch (RFC 7644 section 3.5.2).
 *
 * @param now - the resource as it is, where it has to be known
 */
export function scimPatch(
  values: Readonly<Record<string, Value>>,
  schema: JsonSchema,
  now: JsonRecord | undefined,
): JsonRecord {
  const Operations = Object.entries(values).map(([pointer, value]): JsonRecord => {
    const tokens = parsePointer(pointer);
    const [name = ''] = tokens;
    const isEmpty = value === null || value === '';
    if (isSeveralIn(schema, name)) {
      const before = recordsIn(now?.[name]);
      const primary = before.find((one) => one['primary'] === true) ?? before[0];
      const others = before.filter((one) => one !== primary);
      const next = isEmpty ? others : [{ ...(primary ?? { type: 'work', primary: true }), value }, ...others];
      return next.length > 0 ? { op: 'replace', path: name, value: next } : { op: 'remove', path: name };
    }
    // RFC 7644 section 3.10: an attribute of an extension stands after its URN and a colon.
    const path = name.startsWith('urn:') ? `${name}:${tokens.slice(1).join('.')}` : tokens.join('.');
    return isEmpty ? { op: 'remove', path } : { op: 'replace', path, value };
  });
  return { schemas: [patchOp], Operations };
}

/** A filter that finds by one attribute (RFC 7644 section 3.4.2.2): a text in it is written as JSON has it. */
export const scimFilter = (attribute: string, value: string, op: 'eq' | 'ge' = 'eq'): string =>
  `${attribute} ${op} ${JSON.stringify(value)}`;

/** Where the next page of a listing begins, counted from 1; null at its end (RFC 7644 section 3.4.2.4). */
export function nextStart(listing: JsonRecord): string | null {
  const [start, total] = [Number(listing['startIndex'] ?? 1), Number(listing['totalResults'] ?? 0)];
  const shown = recordsIn(listing['Resources']).length;
  return shown > 0 && start + shown <= total ? String(start + shown) : null;
}

/** A patch that puts an account into a group. */
export const joinPatch = (member: string): JsonRecord => ({
  schemas: [patchOp],
  Operations: [{ op: 'add', path: 'members', value: [{ value: member }] }],
});

/** A patch that takes an account out of a group. */
export const leavePatch = (member: string): JsonRecord => ({
  schemas: [patchOp],
  Operations: [{ op: 'remove', path: `members[${scimFilter('value', member)}]` }],
});
