import { readCountry } from '../values/countries.ts';
import type { Field, FieldType } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
import { conceptOf, nameLikeness, nameWords, numberedBy } from './concepts.ts';
import type { Filling, Ref } from './filling.ts';
import { lineRoleOf, totalRoleOf } from './money-roles.ts';
import { type FieldProfile, isNeverFilled, profileFields, type ValueCount } from './profile.ts';
import { suggestLines } from './suggest-lines.ts';
import { firmOrPerson, joinName, namingFirms, partOfName } from './suggest-names.ts';
import { addedOn, titleOf, worthOf } from './suggest-said.ts';
import type { Sale } from './suggest-totals.ts';
import type { Suggestion, SuggestSource } from './suggestion.ts';
import type { Tidy } from './tidy.ts';

/** What a proposal has to reach. */
const enough = 0.5;

/** Types that a field takes without loss, besides its own. */
const takes: Partial<Record<FieldType, readonly FieldType[]>> = {
  text: ['email', 'phone', 'url', 'id', 'integer', 'decimal', 'choice', 'country', 'date', 'instant', 'boolean', 'any'],
  id: ['integer', 'text'],
  integer: ['id'],
  decimal: ['integer'],
  date: ['instant'],
  choice: ['text', 'country', 'boolean'],
  country: ['text', 'choice'],
};

interface Scored {
  readonly target: FieldProfile;
  readonly source: SuggestSource;
  readonly score: number;
  readonly reason: string;
}

/**
 * Proposes how destination fields are filled, from names, types and the values on both sides. Each
 * source field is proposed once, for the destination field it fits best (greedy by score); where
 * the destination wants a whole name and the source keeps its parts, they are joined.
 *
 * @param there - some records of the destination
 * @param sale - the amounts of the source, where it is a sale
 * @param singular - what a record of the source is called, for titles
 */
export function suggestMapping(
  given: readonly SuggestSource[],
  fields: readonly Field[],
  there: readonly JsonRecord[],
  sale?: Sale,
  singular?: string,
): Suggestion[] {
  const targets = profileFields(
    there,
    fields.filter((field) => !field.readOnly && !field.byPersonOnly),
  );
  const sources = namingFirms(given, targets);
  const isSale = sale !== undefined && takesSale(targets, sale);
  const scored = targets
    // The id of a record of another place is looked up there, never copied from what this app calls by a number.
    .filter(({ field }) => !(field.type === 'id' && field.idOf))
    // What an amount of a sale means counts, not what it is called.
    .filter(({ field }) => !(isSale && (isAmountOfSale(field) || isOfBuyer(field))))
    .flatMap((target) =>
      sources.filter((source) => mayGive(source, target, sources, singular)).map((source) => score(source, target)),
    )
    .filter((one) => one.score >= enough)
    .sort((one, other) => other.score - one.score);
  const { suggestions, usedSources } = byMeaning(sources, targets, isSale ? sale : undefined);
  for (const { source, target, score: value, reason } of scored) {
    const { path } = target.field;
    if (suggestions.has(path) || usedSources.has(source)) continue;
    const list = target.field.fields;
    // A list of records is filled line by line, from a list of records.
    if (list && !source.profile.field.fields) continue;
    usedSources.add(source);
    if (list) {
      const filling = suggestLines(target.field, source.profile.field, source.ref, sale?.records);
      suggestions.set(path, { path, filling, reason, score: value });
      continue;
    }
    const { tidies, why } = tidiesFor(source.profile, target, sources);
    suggestions.set(path, {
      path,
      filling: { kind: 'field', ref: source.ref, tidies },
      reason: [reason, ...why].join('; '),
      score: value,
    });
  }
  for (const target of targets) {
    const { path } = target.field;
    const more = suggestions.has(path)
      ? undefined
      : (worthOf(target.field, isSale ? undefined : sale) ??
        titleOf(target.field, singular, sources) ??
        addedOn(target.field, singular, sources));
    if (more) suggestions.set(path, { path, score: 0.7, ...more });
  }
  return targets.flatMap((target) => suggestions.get(target.field.path) ?? []);
}

/** What is proposed by what fields mean together: amounts of a sale, and names that are kept whole or in parts. */
function byMeaning(
  sources: readonly SuggestSource[],
  targets: readonly FieldProfile[],
  sale: Sale | undefined,
): { readonly suggestions: Map<string, Suggestion>; readonly usedSources: Set<SuggestSource> } {
  const usedSources = new Set<SuggestSource>();
  const suggestions = new Map<string, Suggestion>();
  for (const { field } of sale ? targets : []) {
    const amount = sale && (linesOfSale(field, sale) ?? amountOfSale(field, sale));
    if (amount) suggestions.set(field.path, { path: field.path, score: 0.9, ...amount });
  }
  // One of a few is chosen, not put together.
  const typed = targets.filter(({ field }) => !field.options);
  for (const target of typed) {
    const joined = firmOrPerson(sources, target, targets) ?? joinName(sources, target);
    if (!joined) continue;
    suggestions.set(target.field.path, joined.suggestion);
    for (const source of joined.sources) usedSources.add(source);
  }
  for (const target of typed) {
    const part = suggestions.has(target.field.path) ? undefined : partOfName(sources, target);
    if (part) suggestions.set(target.field.path, part);
  }
  return { suggestions, usedSources };
}

function score(source: SuggestSource, target: FieldProfile): Scored {
  const { field } = source.profile;
  if (isNeverFilled(source.profile) && !isCalledTheSame(field, target.field))
    return { source, target, score: 0, reason: '' };
  const name = nameScore(field, target.field);
  const type = typeScore(source.profile, target);
  const values = valueScore(source.profile, target);
  const total = Math.max(0, Math.min(1, name.score + type.score + values.score));
  const reason = [name.reason, values.reason || type.reason].filter(Boolean).join(', ');
  return { source, target, score: total, reason };
}

/**
 * Whether an id may be copied at all. The id that this app has for another record means nothing where its
 * name or number is wanted; the app's own id isn't the number that people know a record by, where there is
 * one, and numbers nothing but its own records.
 */
function mayGive(
  { profile: { field } }: SuggestSource,
  target: FieldProfile,
  sources: readonly SuggestSource[],
  singular: string | undefined,
): boolean {
  if (field.type !== 'id' || target.field.type === 'id') return true;
  if (field.idOf && !field.readOnly) return false;
  if (conceptOf(target.field.label) !== 'number') return true;
  const numbered = numberedBy(target.field.label);
  if (numbered !== '' && singular !== undefined && numbered !== nameWords(singular).join(' ')) return false;
  return !sources.some(
    ({ profile }) =>
      profile.field.type !== 'id' && profile.fitness === 'fit' && conceptOf(profile.field.label) === 'number',
  );
}

/** Whether a destination takes a sale: its lines, or at least two of its amounts. */
function takesSale(targets: readonly FieldProfile[], sale: Sale): boolean {
  if (sale.list && targets.some(({ field }) => field.fields?.some((one) => lineRoleOf(one)))) return true;
  const roles = targets.flatMap(({ field }) => totalRoleOf(field) ?? []);
  return new Set(roles).size >= 2 && roles.some((role) => sale.totals.has(role));
}

interface Part {
  readonly score: number;
  readonly reason: string;
}
const nothing: Part = { score: 0, reason: '' };

/** Two numbers: of the same thing, of one that isn't said, or of two different things. */
function numberScore(source: Field, target: Field): Part {
  const [one, other] = [numberedBy(source.label), numberedBy(target.label)];
  if (one !== '' && other !== '' && one !== other) return { score: -0.2, reason: '' };
  return { score: one === other && one !== '' ? 0.72 : 0.62, reason: 'both mean number' };
}

const isCalledTheSame = (source: Field, target: Field): boolean =>
  nameWords(source.label).join(' ') === nameWords(target.label).join(' ');

/** Concepts that stand for one another where the nearer one isn't there. */
const kin: ReadonlySet<string | undefined> = new Set(['name', 'contact name']);

function nameScore(source: Field, target: Field): Part {
  if (isCalledTheSame(source, target)) return { score: 0.75, reason: 'same name' };
  const [one, other] = [conceptOf(source.label), conceptOf(target.label)];
  if (one === 'number' && other === 'number') return numberScore(source, target);
  if (one !== undefined && one === other) {
    return { score: 0.62, reason: `both mean ${one}` };
  }
  if (kin.has(one) && kin.has(other)) return { score: 0.52, reason: 'both mean a name' };
  if (one !== undefined && other !== undefined) return { score: -0.2, reason: '' };
  const likeness = nameLikeness(source.label, target.label);
  return likeness >= 0.6 ? { score: likeness * 0.6, reason: 'names are alike' } : nothing;
}

function typeScore(source: FieldProfile, target: FieldProfile): Part {
  const [from, to] = [source.looksLike, target.looksLike];
  // A column that is empty here and there says nothing of what it takes or gives.
  if (target.field.type === 'any' && target.filled === 0) return { score: 0.05, reason: '' };
  if (['any', 'text'].includes(source.field.type) && source.filled === 0) return nothing;
  if (from === to)
    return telling.has(to) ? { score: 0.2, reason: `both ${words[to] ?? to}` } : { score: 0.1, reason: '' };
  if (takes[to]?.includes(from)) return { score: 0.05, reason: '' };
  return { score: -0.35, reason: '' };
}

/** Types that say by themselves what a field is about. */
const telling: ReadonlySet<FieldType> = new Set(['email', 'phone', 'url', 'country']);
const words: Partial<Record<FieldType, string>> = {
  email: 'hold e-mail addresses',
  phone: 'hold telephone numbers',
  url: 'hold web addresses',
  country: 'hold countries',
};

/** Values that occur on both sides, or look alike, speak for a pair whatever its names are. */
function valueScore(source: FieldProfile, target: FieldProfile): Part {
  const options = target.field.options?.map((one) => one.value.toLowerCase());
  const given = source.frequent.map((one) => one.value.trim().toLowerCase());
  if (given.length === 0)
    return options?.length && kin.has(conceptOf(target.field.label)) ? { score: -1, reason: '' } : nothing;
  if (options && options.length > 0) {
    const fitting = given.filter((value) => options.includes(value)).length / given.length;
    if (fitting >= 0.8) return { score: 0.4, reason: 'its values are the options there' };
    // One of a few people is chosen: a name is none of them unless it says so.
    if (kin.has(conceptOf(target.field.label)) && fitting === 0) return { score: -1, reason: '' };
    // Words of their own in nearly each record, none of them an option: no table leads from them to these few.
    const isOpen = source.field.type !== 'choice' && given.length >= 3 && source.distinct > 0.5;
    return fitting === 0 && isOpen ? { score: -1, reason: '' } : nothing;
  }
  const there = new Set(target.frequent.map((one) => one.value.trim().toLowerCase()));
  if (there.size === 0) return nothing;
  const isTelling = !/^(true|false|yes|no|0|1|\d)$/.test(given[0] ?? '');
  const shared = given.filter((value) => there.has(value)).length / Math.min(given.length, there.size);
  if (isTelling && shared >= 0.5) return { score: 0.45, reason: 'the same values occur there' };
  return isTelling && shared >= 0.15 ? { score: 0.2, reason: 'some of its values occur there' } : nothing;
}

/** What the buyer calls the sale (BT-10): nothing that the seller numbers. */
const isOfBuyer = ({ label }: Field): boolean => /^(buyer|customer) reference$/.test(nameWords(label).join(' '));

const isAmountOfSale = (field: Field): boolean =>
  totalRoleOf(field) !== undefined || chargeDetailOf(field) !== undefined;

/** The category or the rate of tax of a whole document's charges. */
function chargeDetailOf({ label }: Field): 'category' | 'rate' | undefined {
  const words = nameWords(label).join(' ');
  if (!/\bcharges?\b/.test(words) || !/\b(tax|vat)\b/.test(words)) return undefined;
  return /\bcategory\b/.test(words) ? 'category' : /\b(percent|rate)\b/.test(words) ? 'rate' : undefined;
}

/** The lines of a sale, whatever the list is called on either side: what has quantities is sold. */
function linesOfSale(field: Field, sale: Sale): Pick<Suggestion, 'filling' | 'reason'> | undefined {
  const { list, records, step } = sale;
  if (!list || !field.fields?.some((one) => lineRoleOf(one) === 'quantity')) return undefined;
  const reason = sale.linesHold()
    ? 'the lines that were sold; quantity × price − discount is their net amount in the samples (BT-131)'
    : 'the lines that were sold';
  return { filling: suggestLines(field, list, { step, path: list.path }, records), reason };
}

function amountOfSale(field: Field, sale: Sale): Pick<Suggestion, 'filling' | 'reason'> | undefined {
  const role = totalRoleOf(field);
  if (role) return sale.total(role);
  const detail = chargeDetailOf(field);
  const rate = detail && sale.chargeRate();
  if (!detail || rate === undefined) return undefined;
  const reason = `charges were taxed at ${rate} % in all samples`;
  if (detail === 'rate') return { filling: { kind: 'fixed', value: rate }, reason };
  const value = rate === '0' ? 'Z' : 'S';
  return field.options?.some((one) => one.value === value) ? { filling: { kind: 'choice', value }, reason } : undefined;
}

/** The tidies that the values call for. */
function tidiesFor(
  source: FieldProfile,
  target: FieldProfile,
  sources: readonly SuggestSource[],
): { tidies: Tidy[]; why: string[] } {
  const tidies: Tidy[] = [];
  const why: string[] = [];
  const [from, to] = [source.looksLike, target.looksLike];
  const concept = conceptOf(source.field.label);
  const values = source.frequent.map((one) => one.value);
  if (from === 'instant' && (to === 'date' || (concept === 'added' && target.field.type !== 'instant'))) {
    tidies.push({ kind: 'date' });
    why.push('an instant as its date');
  }
  if (from === 'email') {
    tidies.push({ kind: 'lower' });
    why.push('in lower case, as addresses are compared');
  }
  if (from === 'phone' || source.field.type === 'phone') {
    const countryFrom = countryOf(sources);
    tidies.push({ kind: 'phone', ...(countryFrom && { countryFrom }) });
    why.push(`telephone numbers in one form${countryFrom ? ', by the country of the record' : ''}`);
  }
  const isStray = values.some((value) => /^\s|\s$|\s{2,}/.test(value));
  if (tidies.length === 0 && isStray) {
    tidies.push({ kind: 'squeeze' });
    why.push('some have extra spaces');
  }
  if (concept === 'postcode') {
    tidies.push({ kind: 'upper' });
    why.push('in capital letters');
  }
  return { tidies, why };
}

/** So much of a field has to be countries for it to tell them: a list has slips. */
const mostCountries = 0.8;

/** The field that tells which country a record is of, where nearly all its values are countries. */
function countryOf(sources: readonly SuggestSource[]): Ref | undefined {
  return sources.find(
    ({ profile: { field, looksLike, frequent } }) =>
      frequent.length > 0 &&
      (looksLike === 'country' || conceptOf(field.label) === 'country') &&
      counted(frequent.filter(({ value }) => readCountry(value) !== undefined)) >= counted(frequent) * mostCountries,
  )?.ref;
}

const counted = (values: readonly ValueCount[]): number => values.reduce((sum, { count }) => sum + count, 0);

/** A proposed field to recognise a record by, with the reason. */
export interface KeySuggestion {
  readonly path: string;
  readonly reason: string;
  /** True where it is empty, or the same, in several samples. */
  readonly isWeak: boolean;
}

/** The one field that a value comes from and differs by: a field, or a text with one field in it. */
function onlyRefOf(filling: Filling): Ref | undefined {
  if (filling.kind === 'field') return filling.ref;
  const refs =
    filling.kind === 'text' ? filling.parts.flatMap((part) => (part.kind === 'field' ? [part.ref] : [])) : [];
  return refs.length === 1 ? refs[0] : undefined;
}

/** In fewer samples than this everything differs: that says nothing yet. */
const fewSamples = 8;

/** What is there to tell records apart. */
const tellsApart: ReadonlySet<string> = new Set(['e-mail', 'tax number', 'number', 'article']);

/** What is never meant to, however different it happens to be: amounts, times, texts, places. */
const tellsNothing: ReadonlySet<string> = new Set(
  'note,description,status,price,total,worth,tax,rate of tax,quantity,currency,added,changed,issued,paid,due,country,region,city,street'.split(
    ',',
  ),
);

/** Whether a field that differs in all samples may be taken for what identifies them. */
function mayTellApart({ field, count, looksLike }: FieldProfile): boolean {
  const concept = conceptOf(field.label) ?? '';
  if (tellsNothing.has(concept)) return false;
  return count >= fewSamples || looksLike === 'email' || tellsApart.has(concept);
}

/**
 * The destination field that is filled with what identifies a record best: an id of the source,
 * then what is filled and different in nearly all samples. Undefined when nothing is fit.
 */
export function suggestKey(
  suggestions: readonly Suggestion[],
  sources: readonly SuggestSource[],
  fields: readonly Field[],
  findBy: readonly string[] | undefined,
): KeySuggestion | undefined {
  const rank = (profile: FieldProfile): number => {
    if (profile.field.type === 'id') return 4;
    if (!mayTellApart(profile)) return 0;
    if (profile.fitness === 'fit') return profile.looksLike === 'email' ? 3 : 2;
    return profile.fitness === 'weak' && profile.looksLike === 'email' ? 1 : 0;
  };
  const candidates = suggestions.flatMap(({ path, filling }) => {
    const ref = onlyRefOf(filling);
    if (!ref || (findBy && !findBy.includes(path))) return [];
    const source = sources.find((one) => one.ref.step === ref.step && one.ref.path === ref.path);
    return source && rank(source.profile) > 0 ? [{ path, profile: source.profile }] : [];
  });
  const [best] = candidates.sort((one, other) => rank(other.profile) - rank(one.profile));
  if (!best) return undefined;
  const label = fields.find((field) => field.path === best.path)?.label ?? best.path.slice(1);
  const { filled, distinct, field } = best.profile;
  const said =
    field.type === 'id'
      ? 'the app’s own id, which never changes'
      : `filled in ${Math.round(filled * 100)}% and different in ${Math.round(distinct * 100)}% of the samples`;
  return {
    path: best.path,
    isWeak: best.profile.fitness !== 'fit',
    reason: `“${label}” is filled with ${field.label}: ${said}`,
  };
}

/** Source fields with their profiles over the samples; what has been empty all along is left for its own name. */
export function suggestSources(
  records: readonly JsonRecord[],
  fields: readonly Field[],
  step: string,
): SuggestSource[] {
  return profileFields(records, fields)
    .filter(({ field }) => field.type !== 'record')
    .map((profile) => ({ ref: { step, path: profile.field.path }, profile }));
}
