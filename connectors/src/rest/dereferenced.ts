import type { JsonRecord } from '@golden/core';
import type { JsonSchema } from './schema.ts';

/** The schemas of an OpenAPI document by name, with what they refer to in its place. */
export type Schemas = Readonly<Record<string, JsonSchema>>;

/** Documents whose schemas are kept; the one that was read longest ago makes room. */
const mostKept = 24;
const kept = new Map<string, Promise<Schemas>>();

/**
 * The schemas of an OpenAPI document. An app's document is asked for every few seconds and is hardly ever another
 * one: the same text gives the same schemas, without the work of following its references once more.
 *
 * @throws whatever the parser says of a document that refers to what isn't there
 */
export async function dereferenced(document: JsonRecord): Promise<Schemas> {
  const text = JSON.stringify(document);
  const schemas = kept.get(text) ?? follow(document);
  kept.delete(text);
  kept.set(text, schemas);
  const [oldest] = kept.keys();
  if (kept.size > mostKept && oldest !== undefined) kept.delete(oldest);
  schemas.catch(() => kept.delete(text));
  return schemas;
}

async function follow(document: JsonRecord): Promise<Schemas> {
  const { dereference } = await import('@readme/openapi-parser');
  // Only what stands in the document itself is followed: no file of this machine, no other address.
  const api = await dereference(document as never, { resolve: { external: false } } as never);
  const { schemas } = (api as { components?: { schemas?: unknown } }).components ?? {};
  return typeof schemas === 'object' && schemas !== null ? (schemas as Schemas) : {};
}
