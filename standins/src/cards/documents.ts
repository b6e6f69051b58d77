import type { KeptCard } from './store.ts';
import type { Attribute, CardType } from './types.ts';

/** A record as a JSON:API resource object (JSON:API 1.1, section 5.2). */
export function resource(type: CardType, card: KeptCard) {
  const given = Object.fromEntries(type.attributes.map(({ name }) => [name, card.attributes[name] ?? null]));
  return {
    type: type.name,
    id: String(card.id),
    attributes: {
      ...given,
      createdAt: card.created_at,
      updatedAt: card.updated_at,
      archived: card.archived,
      mergedInto: card.mergedInto,
    },
    relationships: Object.fromEntries(
      Object.entries(type.relationships).map(([name, to]) => {
        const id = card.relationships[name];
        return [name, { data: id ? { type: to, id } : null }];
      }),
    ),
  };
}

/** An error object (JSON:API 1.1, section 11). */
export interface Fault {
  readonly detail: string;
  readonly pointer?: string;
}

/** A refusal as JSON:API writes errors, one for each field. */
export const faults = (status: number, title: string, all: readonly Fault[]) => ({
  errors: all.map(({ detail, pointer }) => ({
    status: String(status),
    title,
    detail,
    ...(pointer && { source: { pointer } }),
  })),
});

const formats: Partial<Record<Attribute['kind'], string>> = {
  email: 'email',
  phone: 'phone',
  country: 'country',
  decimal: 'decimal',
  date: 'date',
};

function schemaOf({ kind, maxLength, options, isRequired }: Attribute): object {
  const nullable = (type: string): string | string[] => (isRequired ? type : [type, 'null']);
  if (kind === 'boolean') return { type: nullable('boolean') };
  if (options) return { type: nullable('string'), enum: isRequired ? options : [...options, null] };
  const format = formats[kind];
  return { type: nullable('string'), ...(format && { format }), ...(maxLength && { maxLength }) };
}

/** The OpenAPI 3.1 document, with the owner's own fields and record types in it. */
export function describe(types: readonly CardType[]): object {
  const schemas: Record<string, object> = {};
  for (const type of types) {
    const attributes = Object.fromEntries(type.attributes.map((one) => [one.name, schemaOf(one)]));
    const required = type.attributes.filter((one) => one.isRequired).map((one) => one.name);
    const relationships = Object.fromEntries(
      Object.entries(type.relationships).map(([name, to]) => [
        name,
        {
          type: 'object',
          properties: {
            data: {
              type: ['object', 'null'],
              properties: { type: { const: to }, id: { type: 'string' } },
              required: ['type', 'id'],
            },
          },
        },
      ]),
    );
    const readOnly = { readOnly: true };
    schemas[type.name] = {
      type: 'object',
      properties: {
        type: { const: type.name },
        id: { type: 'string', readOnly: true },
        attributes: {
          type: 'object',
          required,
          properties: {
            ...attributes,
            createdAt: { type: 'string', format: 'date-time', ...readOnly },
            updatedAt: { type: 'string', format: 'date-time', ...readOnly },
            archived: { type: 'boolean' },
            mergedInto: { type: ['string', 'null'], ...readOnly },
          },
        },
        relationships: { type: 'object', properties: relationships },
      },
    };
  }
  const paths = Object.fromEntries(
    types.flatMap((type) => {
      const content = { 'application/vnd.api+json': { schema: { $ref: `#/components/schemas/${type.name}` } } };
      const answer = { 200: { description: type.singular, content } };
      return [
        [`/${type.name}`, { get: { responses: answer }, post: { requestBody: { content }, responses: answer } }],
        [
          `/${type.name}/{id}`,
          {
            parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
            get: { responses: answer },
            patch: { requestBody: { content }, responses: answer },
          },
        ],
      ];
    }),
  );
  return {
    openapi: '3.1.0',
    info: {
      title: 'Card index',
      version: '1',
      description: 'Companies, people, leads and deals. Speaks JSON:API 1.1.',
    },
    paths,
    components: { schemas },
  };
}
