import type { Field } from '../values/field.ts';
import { conceptOf, nameWords } from './concepts.ts';
import type { Sale } from './suggest-totals.ts';
import type { Suggestion, SuggestSource } from './suggestion.ts';
import type { Tidy } from './tidy.ts';

// What is said of a whole record: its title, its worth, the day on which it came about.

/** What a deal is worth: the sale without its tax, else with it. */
export function worthOf(field: Field, sale: Sale | undefined): Pick<Suggestion, 'filling' | 'reason'> | undefined {
  if (!sale || conceptOf(field.label) !== 'worth' || !['decimal', 'money', 'any'].includes(field.type))
    return undefined;
  const net = sale.totals.has('exclusive') ? sale.total('exclusive') : undefined;
  if (net) return { filling: net.filling, reason: 'what was sold is worth its amount without tax' };
  const whole = sale.total('inclusive');
  return whole && { filling: whole.filling, reason: 'what was sold, with its tax' };
}

/** When a record came about, in the words of what it is: "Refunded on" for a refund. */
export function addedOn(
  { label, type }: Field,
  singular: string | undefined,
  sources: readonly SuggestSource[],
): Pick<Suggestion, 'filling' | 'reason'> | undefined {
  const [verb = '', on = '', ...more] = nameWords(label);
  const stem = singular === undefined ? '' : (nameWords(singular)[0] ?? '').slice(0, 5);
  const isSaid = stem.length >= 4 && verb.startsWith(stem) && ['on', 'at'].includes(on) && more.length === 0;
  const added = sources.find(({ profile }) => conceptOf(profile.field.label) === 'added');
  if (!isSaid || !added || !['date', 'instant', 'any', 'text'].includes(type)) return undefined;
  const tidies: Tidy[] = type === 'instant' || added.profile.looksLike !== 'instant' ? [] : [{ kind: 'date' }];
  return { filling: { kind: 'field', ref: added.ref, tidies }, reason: `the day on which the ${singular} was added` };
}

/** A title that has to be there and that the source doesn't have: what the record is, with its number. */
export function titleOf(
  field: Field,
  singular: string | undefined,
  sources: readonly SuggestSource[],
): Pick<Suggestion, 'filling' | 'reason'> | undefined {
  if (!field.required || singular === undefined || conceptOf(field.label) !== 'title') return undefined;
  const numbers = sources.filter(
    ({ profile }) => profile.fitness === 'fit' && conceptOf(profile.field.label) === 'number',
  );
  const number = numbers.find(({ profile }) => profile.field.type !== 'id') ?? numbers[0];
  if (!number) return undefined;
  const noun = singular.charAt(0).toUpperCase() + singular.slice(1);
  return {
    filling: {
      kind: 'text',
      parts: [
        { kind: 'words', text: `${noun} ` },
        { kind: 'field', ref: number.ref },
      ],
      tidies: [],
    },
    reason: `what it is, with its ${number.profile.field.label}`,
  };
}
