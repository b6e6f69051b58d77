import fc from 'fast-check';
import { oddText, oddValue } from './odd.ts';

type Json = Readonly<Record<string, unknown>>;

/** Below this, what refers to itself is left out. */
const deepest = 4;

/**
 * Values that a JSON Schema (2020-12, as in OpenAPI 3.1) describes, with texts that name what is
 * there: ids, paths, words with a meaning. Mostly right, sometimes odd.
 */
export function fromSchema(
  schema: Json,
  components: Json,
  known: fc.Arbitrary<string>,
  depth = 0,
): fc.Arbitrary<unknown> {
  const within = (inner: Json): fc.Arbitrary<unknown> => fromSchema(inner, components, known, depth + 1);
  const right = rightOnes(schema, components, known, within, depth);
  return fc.oneof({ weight: 30, arbitrary: right }, { weight: 1, arbitrary: oddValue });
}

function rightOnes(
  schema: Json,
  components: Json,
  known: fc.Arbitrary<string>,
  within: (inner: Json) => fc.Arbitrary<unknown>,
  depth: number,
): fc.Arbitrary<unknown> {
  const { $ref, anyOf, oneOf, allOf, type } = schema as Record<string, never>;
  if ($ref !== undefined) {
    const target = components[String($ref).split('/').at(-1) ?? ''] as Json | undefined;
    return target && depth < deepest * 2 ? fromSchema(target, components, known, depth + 1) : oddValue;
  }
  if ('const' in schema) return fc.constant(schema['const']);
  if (Array.isArray(schema['enum'])) return fc.constantFrom(...(schema['enum'] as unknown[]));
  const choices = (anyOf ?? oneOf ?? allOf) as readonly Json[] | undefined;
  if (choices) return depth > deepest * 2 ? oddValue : fc.oneof(...choices.map(within));
  switch (type as string | undefined) {
    case 'object':
      return objects(schema, within, known, depth);
    case 'array':
      return depth > deepest ? fc.constant([]) : fc.array(within((schema['items'] ?? {}) as Json), { maxLength: 3 });
    case 'integer':
      return fc.oneof(fc.integer({ min: 0, max: 20 }), fc.integer());
    case 'number':
      return fc.oneof(fc.double({ min: 0, max: 1, noNaN: true }), fc.integer());
    case 'boolean':
      return fc.boolean();
    case 'null':
      return fc.constant(null);
    case 'string':
      return fc.oneof({ weight: 3, arbitrary: known }, { weight: 1, arbitrary: oddText });
    default:
      return oddValue;
  }
}

function objects(
  schema: Json,
  within: (inner: Json) => fc.Arbitrary<unknown>,
  known: fc.Arbitrary<string>,
  depth: number,
): fc.Arbitrary<unknown> {
  const properties = (schema['properties'] ?? {}) as Readonly<Record<string, Json>>;
  const required = (schema['required'] ?? []) as readonly string[];
  const more = schema['additionalProperties'];
  const own = fc.record(Object.fromEntries(Object.entries(properties).map(([name, one]) => [name, within(one)])), {
    requiredKeys: required.filter((name) => Object.hasOwn(properties, name)),
  });
  if (typeof more !== 'object' || more === null || depth > deepest) return own;
  return fc
    .tuple(own, fc.dictionary(known, within(more as Json), { maxKeys: 3 }))
    .map(([one, other]) => ({ ...other, ...one }));
}
