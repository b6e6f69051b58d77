import type { Filling } from '../mapping/filling.ts';
import type { SuggestSource } from '../mapping/suggestion.ts';
import type { Step } from '../steps/schemas.ts';
import type { RecordType } from '../values/field.ts';
import { startId } from './references.ts';

// What is proposed where records go out to somebody, as mails do.

/**
 * How a letter begins, with the first name where the source has one. Of several the last counts: where somebody sent a
 * mail on, who wrote it is greeted.
 */
export function greeting(sources: readonly SuggestSource[]): Extract<Filling, { kind: 'text' }> | undefined {
  const named = sources.filter(
    ({ profile }) => /\bfirst name$|^given name$|^forename$/i.test(profile.field.label) && profile.filled > 0,
  );
  const ref = named.at(-1)?.ref;
  if (!ref) return undefined;
  return {
    kind: 'text',
    parts: [
      { kind: 'words', text: 'Dear ' },
      { kind: 'field', ref, otherwise: 'customer' },
      { kind: 'words', text: ',\n\n' },
    ],
    tidies: [],
  };
}

/** Only what a person wrote is answered (RFC 3834), where the source tells that. */
export function onlyPeople({ fields }: RecordType): Step[] {
  const kind = fields.find(
    ({ options }) =>
      options?.some(({ value }) => value === 'person') && options.some(({ value }) => value === 'automatic'),
  );
  if (!kind) return [];
  return [
    {
      id: 'keep-people',
      kind: 'condition',
      condition: {
        kind: 'all',
        items: [{ kind: 'test', ref: { step: startId, path: kind.path }, operator: 'is_one_of', values: ['person'] }],
      },
    },
  ];
}
