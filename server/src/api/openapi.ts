import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';

type Json = Record<string, unknown>;

/**
 * The OpenAPI 3.1 document of the routes. Its schemas are JSON Schema 2020-12, which is the dialect
 * of OpenAPI 3.1, so that Zod's own translation serves; definitions that refer to themselves go
 * among the document's components.
 */
export function describeApi(routes: Readonly<Record<string, Endpoint>>): Json {
  const schemas: Json = { Problem: problemSchema };
  const paths: Record<string, Json> = {};
  for (const [name, endpoint] of Object.entries(routes)) {
    const [method = 'GET', path = ''] = name.split(' ');
    const prefix = name.replace(/\W+/g, '_');
    const schemaOf = (schema: z.ZodType, part: string, io: 'input' | 'output'): Json =>
      hoist(schema, `${prefix}_${part}`, io, schemas);
    const at = path.replace(/:(\w+)/g, '{$1}');
    paths[at] = {
      ...paths[at],
      [method.toLowerCase()]: {
        summary: endpoint.summary,
        parameters: [
          ...pathParameters(path),
          ...queryParameters(endpoint.query && schemaOf(endpoint.query, 'query', 'input')),
        ],
        ...(endpoint.body && {
          requestBody: { required: true, content: asJson(schemaOf(endpoint.body, 'body', 'input')) },
        }),
        responses: {
          200: { description: endpoint.summary, content: asJson(schemaOf(endpoint.response, 'response', 'output')) },
          default: {
            description: 'Problem details (RFC 9457)',
            content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
          },
        },
      },
    };
  }
  return { openapi: '3.1.0', info: { title: 'Golden Relay', version: '1' }, paths, components: { schemas } };
}

const problemSchema = {
  type: 'object',
  required: ['type', 'title', 'status', 'detail'],
  properties: {
    type: { type: 'string', format: 'uri' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string' },
  },
};

const asJson = (schema: Json): Json => ({ 'application/json': { schema } });

function pathParameters(path: string): Json[] {
  return [...path.matchAll(/:(\w+)/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }));
}

function queryParameters(schema: Json | undefined): Json[] {
  const properties = (schema?.['properties'] ?? {}) as Record<string, Json>;
  const required = (schema?.['required'] ?? []) as string[];
  return Object.entries(properties).map(([name, one]) => ({
    name,
    in: 'query',
    required: required.includes(name),
    schema: one,
  }));
}

/** One schema with its inner definitions moved among the document's components, under names of their own. */
function hoist(schema: z.ZodType, name: string, io: 'input' | 'output', components: Json): Json {
  const made = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Json;
  const text = JSON.stringify(made).replaceAll('"#/$defs/', `"#/components/schemas/${name}_`);
  const { $defs, $schema: _dialect, ...rest } = JSON.parse(text) as Json & { $defs?: Json };
  for (const [inner, definition] of Object.entries($defs ?? {})) components[`${name}_${inner}`] = definition;
  return rest;
}
