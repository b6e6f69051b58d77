import type { Ref } from '../../mapping/filling.ts';
import type { Suggestion } from '../../mapping/suggestion.ts';
import { type Field, fieldAt, type RecordType } from '../../values/field.ts';
import type { FieldKind } from '../kinds.ts';
import { kindOfField } from './kind-of-field.ts';
import type { Ladder, Rung } from './ladder.ts';

/** Kinds by which one record alone is recognised, the surest first (common practice). */
const telling: readonly FieldKind[] = ['tax_number', 'email', 'code', 'phone'];
/** Kinds that together make records alike. */
const alike: readonly FieldKind[] = [
  'full_name',
  'given_name',
  'family_name',
  'company',
  'phone',
  'street',
  'city',
  'postcode',
];

/**
 * The ways by which records of a place are usually recognised, from what is known of them: a tax
 * number, an e-mail address, a code, a telephone; then names and addresses by likeness. A telephone
 * alone is asked, since firms and families share one.
 *
 * @param isKnown - whether something is known for a field of the place
 */
export function proposeRungs(described: RecordType, isKnown: (path: string) => boolean): Rung[] {
  const kinds = described.fields
    .filter((field) => isKnown(field.path) && !field.fields)
    .map((field) => ({ field, kind: kindOfField(field, described.singular) }));
  const exact = telling.flatMap((wanted) => {
    const found = kinds.find(
      ({ kind, field }) => kind === wanted && (wanted !== 'code' || isTelling(field, described)),
    );
    if (!found) return [];
    return [
      {
        id: `by-${wanted.replace('_', '-')}`,
        kind: 'exact' as const,
        fields: [found.field.path],
        ...(wanted === 'phone' && { isAsked: true }),
      },
    ];
  });
  const fields = kinds.flatMap(({ field, kind }) => (alike.includes(kind) ? [{ path: field.path, kind }] : []));
  const isNamed = fields.some(({ kind }) => ['full_name', 'given_name', 'family_name', 'company'].includes(kind));
  // A name alone says too little to be looked for by likeness.
  const byLikeness: Rung[] = isNamed && fields.length > 1 ? [{ id: 'by-likeness', kind: 'alike', fields }] : [];
  // A firm is known by its name, whatever its legal form; two of one name are asked about.
  const firm = isOfFirms(described.singular) ? kinds.find(({ kind }) => kind === 'company') : undefined;
  if (firm) exact.push({ id: 'by-company', kind: 'exact', fields: [firm.field.path] });
  const hasSurer = exact.some((rung) => rung.id !== 'by-phone');
  return [...exact.filter((rung) => rung.id !== 'by-phone' || !hasSurer), ...byLikeness];
}

/** Whether records of this name are firms, never people. */
export const isOfFirms = (singular: string): boolean => /compan|firm|organi[sz]ation|supplier|vendor/i.test(singular);

/** A code that the app keeps apart, or looks records up by. */
const isTelling = (field: Field, described: RecordType): boolean =>
  Boolean(field.unique) || Boolean(described.findBy?.includes(field.path));

/** The fields of a place by which its records are recognised, with what fills them among the proposals. */
export function identifyingFillings(described: RecordType, suggestions: readonly Suggestion[]): Suggestion[] {
  return suggestions.filter(({ path }) => {
    const field = fieldAt(described.fields, path);
    const kind = field ? kindOfField(field, described.singular) : 'ignore';
    return telling.includes(kind) || alike.includes(kind) || kind === 'country';
  });
}

/** A ladder for a lookup that was just added: asks where it finds nobody, until a person says otherwise. */
export function proposeLadder(
  described: RecordType,
  isKnown: (path: string) => boolean,
  remembers: Ref | 'start' | 'nothing' = 'nothing',
): Ladder {
  return { rungs: proposeRungs(described, isKnown), atNone: 'ask', atUnclear: 'best', remembers };
}
