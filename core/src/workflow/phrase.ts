import type { Place } from './place.ts';

/** A piece of a sentence. A setting is what a person can change there. */
export interface Phrase {
  readonly kind: 'words' | 'strong' | 'setting' | 'missing';
  readonly text: string;
}

/** The names of connections, by id. */
export type ConnectionNames = Readonly<Record<string, string>>;

/** Words of a sentence that can’t be set. */
export const words = (text: string): Phrase => ({ kind: 'words', text });
/** What a sentence is about. */
export const strong = (text: string): Phrase => ({ kind: 'strong', text });
/** What can be set in a sentence. */
export const setting = (text: string): Phrase => ({ kind: 'setting', text });
/** What still has to be set. */
export const missing = (text: string): Phrase => ({ kind: 'missing', text });

/** A place in a sentence: the app, and what was chosen within it. */
export function placePhrases(place: Place, names: ConnectionNames): Phrase[] {
  const name = names[place.connection];
  const app = name ? strong(`the ${name}`) : missing('a connection that is gone');
  // The last choice of a workbook is its tab; of an app with one table, the table the record is named for.
  const inside = place.labels.filter((label) => label.toLowerCase() !== place.described.plural.toLowerCase());
  return inside.length > 0 ? [app, words(', '), setting(inside.join(' → '))] : [app];
}

/** "a customer", "an order": the article alone. */
export const article = (noun: string): string => (/^[aeiou]/i.test(noun) ? 'an' : 'a');
