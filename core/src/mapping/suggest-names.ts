import { companyName } from '../matching/normalise/company.ts';
import { conceptOf } from './concepts.ts';
import { type FieldProfile, isNeverFilled } from './profile.ts';
import type { Suggestion, SuggestSource } from './suggestion.ts';

// Names that are kept whole on one side and in parts on the other, and firms that stand where people may.

/** The first source that means something; the id of another record doesn't mean its name. */
const meaning =
  (sources: readonly SuggestSource[]) =>
  (concept: string): SuggestSource | undefined =>
    sources.find(({ profile: { field } }) => field.type !== 'id' && conceptOf(field.label) === concept);

/**
 * The sources with a name that is mostly firms' called so, where the destination keeps firm and person apart:
 * what a ledger calls its customers by is the firm, its contact the person.
 */
export function namingFirms(
  sources: readonly SuggestSource[],
  targets: readonly FieldProfile[],
): readonly SuggestSource[] {
  const of = meaning(sources);
  const name = of('name');
  const wantsFirm = targets.some(({ field }) => conceptOf(field.label) === 'company');
  if (!wantsFirm || !name || of('company') || !of('contact name') || !areFirms(name.profile)) return sources;
  const firm = { ...name, profile: { ...name.profile, field: { ...name.profile.field, label: 'company' } } };
  return sources.map((source) => (source === name ? firm : source));
}

/** Whether the values are names of firms rather than of people. */
const areFirms = (profile: FieldProfile): boolean => namesOf(profile).length > 0 && !isOfPeople(profile);

const namesOf = ({ frequent, examples }: FieldProfile): readonly string[] =>
  frequent.length > 0 ? frequent.map(({ value }) => value) : examples;

/** The whole name, where the source keeps it in two parts and has no whole one. */
export function joinName(
  sources: readonly SuggestSource[],
  target: FieldProfile,
): { readonly suggestion: Suggestion; readonly sources: readonly SuggestSource[] } | undefined {
  const wanted = conceptOf(target.field.label);
  if (wanted !== 'name' && wanted !== 'contact name') return undefined;
  const of = meaning(sources);
  const [whole, first, last] = [of('contact name') ?? of('name'), of('first name'), of('last name')];
  if (whole || !first || !last) return undefined;
  return {
    sources: [first, last],
    suggestion: {
      path: target.field.path,
      score: 0.9,
      reason: 'the name is kept in two parts there; extra spaces removed',
      filling: {
        kind: 'text',
        parts: [
          { kind: 'field', ref: first.ref },
          { kind: 'words', text: ' ' },
          { kind: 'field', ref: last.ref },
        ],
        tidies: [{ kind: 'squeeze' }],
      },
    },
  };
}

/**
 * What a customer is called who may be a firm or a person: the firm where there is one. So only where the
 * contact stands apart from the name and nothing else takes the firm.
 */
export function firmOrPerson(
  sources: readonly SuggestSource[],
  target: FieldProfile,
  targets: readonly FieldProfile[],
): ReturnType<typeof joinName> {
  const isThere = (concept: string): boolean => targets.some(({ field }) => conceptOf(field.label) === concept);
  if (conceptOf(target.field.label) !== 'name' || !isThere('contact name') || isThere('company')) return undefined;
  const of = meaning(sources.filter(({ profile }) => !isNeverFilled(profile)));
  const [firm, whole, first, last] = [
    of('company'),
    of('contact name') ?? of('name'),
    of('first name'),
    of('last name'),
  ];
  if (!firm || !(whole || (first && last))) return undefined;
  const nameOf = ({ ref }: SuggestSource): string =>
    (ref.path.split('/').at(-1) ?? '').replace(/[^\p{L}\p{N}_]+/gu, '_');
  const person = whole ? [whole] : [first, last].flatMap((one) => one ?? []);
  const text = person.map(nameOf).join(' & " " & ');
  return {
    sources: [firm],
    suggestion: {
      path: target.field.path,
      score: 0.9,
      reason: 'the firm’s name where there is one, else the person’s',
      filling: {
        kind: 'formula',
        text: `IFEMPTY(TRIM(${nameOf(firm)}); TRIM(${text}))`,
        refs: Object.fromEntries([firm, ...person].map((one) => [nameOf(one), one.ref])),
      },
    },
  };
}

/** A first or last name, where the source keeps the whole name in one field and no parts of it. */
export function partOfName(sources: readonly SuggestSource[], target: FieldProfile): Suggestion | undefined {
  const part = conceptOf(target.field.label);
  if (part !== 'first name' && part !== 'last name') return undefined;
  const of = meaning(sources);
  const whole = of('contact name') ?? of('name');
  if (!whole || of('first name') || of('last name') || !isOfPeople(whole.profile)) return undefined;
  const { path } = target.field;
  return {
    path,
    score: 0.8,
    reason: `the name is kept whole there; its ${part === 'first name' ? 'first' : 'last'} part`,
    filling: {
      kind: 'formula',
      text: part === 'first name' ? 'NAME.FIRST(name)' : 'NAME.LAST(name)',
      refs: { name: whole.ref },
    },
  };
}

/** Whether the values are names of people: mostly two words or more, and no legal forms of firms. */
function isOfPeople(profile: FieldProfile): boolean {
  const values = namesOf(profile);
  const firms = values.filter((value) => companyName(value).form !== '').length;
  const whole = values.filter((value) => /\S\s+\S/.test(value.trim())).length;
  return firms <= values.length / 5 && whole >= values.length / 2;
}
