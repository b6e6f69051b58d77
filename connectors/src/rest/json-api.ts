import { isRecord, type JsonRecord, type Value } from '@golden/core';
import { type JsonSchema, schemaOf } from './schema.ts';

/** The media type of JSON:API (1.1, section 3). */
export const jsonApiType = 'application/vnd.api+json';

/**
 * A resource object as one flat record: its id, its attributes, and for each to-one relationship the
 * id of the record it leads to (JSON:API 1.1, section 5.2).
 */
export function flatten(resource: JsonRecord): JsonRecord {
  const attributes = isRecord(resource['attributes']) ? resource['attributes'] : {};
  const relationships = isRecord(resource['relationships']) ? resource['relationships'] : {};
  const ids = Object.entries(relationships).map(([name, one]): [string, Value] => {
    const data = isRecord(one) ? one['data'] : null;
    return [name, isRecord(data) ? (data['id'] ?? null) : null];
  });
  return { id: resource['id'] ?? null, ...attributes, ...Object.fromEntries(ids) };
}

/** The record type that a relationship leads to, by its schema. */
function leadsTo(schema: JsonSchema): string | undefined {
  const data = schemaOf(schemaOf(schema)?.properties?.['data']);
  const type = schemaOf(data?.properties?.['type']);
  const only = type?.const ?? type?.enum?.[0];
  return typeof only === 'string' ? only : undefined;
}

/** The schema of a resource object as that of the flat record. */
export function flattenSchema(schema: JsonSchema): JsonSchema {
  const attributes = schemaOf(schema.properties?.['attributes']);
  const relationships = schemaOf(schema.properties?.['relationships'])?.properties ?? {};
  const ids = Object.entries(relationships).map(([name, one]) => {
    const to = leadsTo(one);
    return [name, { type: ['string', 'null'], ...(to && { 'x-id-of': to }) } satisfies JsonSchema] as const;
  });
  return {
    type: 'object',
    required: [...(attributes?.required ?? [])],
    properties: { id: { type: 'string', readOnly: true }, ...attributes?.properties, ...Object.fromEntries(ids) },
  };
}

/** What may be sent of the flat record: all that isn't set by the app itself. */
export function sendable(schema: JsonSchema): JsonSchema {
  const properties = Object.entries(schema.properties ?? {}).filter(([, property]) => !schemaOf(property)?.readOnly);
  return { ...schema, properties: Object.fromEntries(properties) };
}

/** Values of a flat record as the body that makes or changes it. */
export function wrap(type: string, id: string | undefined, values: JsonRecord, schema: JsonSchema): JsonRecord {
  const attributes: Record<string, Value> = {};
  const relationships: Record<string, Value> = {};
  for (const [name, value] of Object.entries(values)) {
    const to = schemaOf(schema.properties?.[name])?.['x-id-of'];
    if (to) relationships[name] = { data: value === null || value === '' ? null : { type: to, id: String(value) } };
    else attributes[name] = value;
  }
  return {
    data: {
      type,
      ...(id !== undefined && { id }),
      attributes,
      ...(Object.keys(relationships).length > 0 && { relationships }),
    },
  };
}
