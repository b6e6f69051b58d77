import { type Field, FieldSchema, formatPointer, type WorkflowContent } from '@golden/core';
import { z } from 'zod';
import { lookAt } from '../building/copies.ts';
import type { Services } from '../services.ts';

/** What a workflow needs of whatever is handed over to it. */
export const HandedFieldsSchema = z
  .array(FieldSchema)
  .max(100)
  .refine((fields) => fields.every(({ label }) => label.trim() !== ''), 'Each field needs a name.')
  .refine(
    (fields) => new Set(fields.map(({ label }) => label.trim().toLowerCase())).size === fields.length,
    'Two fields have the same name. Give each its own.',
  );

/**
 * Fields as an inbox keeps them: with a place in the record each. One that is only called otherwise stays where it was,
 * so that what fills it goes on filling it.
 */
export function withPaths(fields: readonly Field[]): Field[] {
  const taken = new Set(fields.map(({ path }) => path).filter((path) => path !== ''));
  return fields.map((field) => {
    if (field.path !== '') return field;
    let path = formatPointer([field.label.trim()]);
    for (let number = 2; taken.has(path); number++) path = formatPointer([`${field.label.trim()} ${number}`]);
    taken.add(path);
    return { ...field, label: field.label.trim(), path };
  });
}

/** The fields of a record as another workflow may need them, to begin with: none is required, and what only an app gives is text. */
export const neededOf = (fields: readonly Field[]): Field[] =>
  fields
    .filter(({ path }) => !path.startsWith('/$'))
    .map(({ readOnly: _r, required: _q, mayLack: _m, idOf: _i, ...field }) => field)
    .slice(0, 100);

/** Several of what a person calls one: English as it is mostly written. */
function pluralOf(singular: string): string {
  if (/person$/i.test(singular)) return singular.replace(/person$/i, 'people');
  if (/[^aeiou]y$/i.test(singular)) return singular.replace(/y$/i, 'ies');
  return /(s|x|ch|sh)$/i.test(singular) ? `${singular}es` : `${singular}s`;
}

/** An inbox for what other workflows hand over. */
export function addHandedInbox(
  { arrivals }: Pick<Services, 'arrivals'>,
  name: string,
  singular: string,
  fields: readonly Field[],
) {
  return arrivals.addInbox({ name, singular, plural: pluralOf(singular), fields: withPaths(fields) });
}

/** Changes what a workflow needs of what is handed over to it; gives its content with its start as it is then. */
export async function changeNeeded(
  services: Services,
  content: WorkflowContent,
  change: { readonly fields: readonly Field[]; readonly singular?: string | undefined },
): Promise<WorkflowContent> {
  const { source } = content.start;
  if (!source || content.start.trigger.kind !== 'handed') return content;
  const [id = ''] = source.path;
  const words = change.singular ? { singular: change.singular, plural: pluralOf(change.singular) } : {};
  await services.db
    .updateTable('inbox')
    .set({ fields: JSON.stringify(withPaths(change.fields)), ...words })
    .where('id', '=', id)
    .execute();
  const { place } = await lookAt(services, source);
  return { ...content, start: { ...content.start, source: { ...place, labels: source.labels } } };
}
