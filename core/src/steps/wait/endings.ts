import { z } from 'zod';
import { readRef, type Scope } from '../../mapping/filling.ts';
import { businessId, type Ref, RefSchema, waitLinksId } from '../../mapping/refs.ts';
import { subscriberDigits } from '../../matching/normalise/telephone.ts';
import { type Field, fieldAt } from '../../values/field.ts';
import { IdSchema } from '../../values/id.ts';
import { type Pointer, PointerSchema, readPointer } from '../../values/pointer.ts';
import { keyText } from '../../values/text.ts';
import type { JsonRecord, Value } from '../../values/value.ts';
import { PlaceSchema } from '../../workflow/place.ts';

// What ends a wait early: a record that comes in another place and has a value in common with the one that waits, such
// as a booking with the same e-mail address.

/** So many can be said of one wait. */
export const mostEndings = 8;

/** A record elsewhere that ends a wait. */
export const EndingSchema = z.object({
  id: IdSchema,
  place: PlaceSchema.nullable(),
  /** The field there, and the one here, that have to be the same. */
  there: PointerSchema.nullable(),
  here: RefSchema.nullable(),
  /** Only records with this value count, such as orders that are paid. */
  value: z.object({ path: PointerSchema, is: z.string().max(200) }).optional(),
  /** True where one counts that was there before the waiting record was taken in. */
  countsEarlier: z.boolean().optional(),
  does: z.enum(['stops', 'goes_on']),
});
export type Ending = z.infer<typeof EndingSchema>;

/** What is watched at a place: for all that wait for the same, one watch. */
export interface EndingWatch {
  readonly connection: string;
  readonly path: readonly string[];
  readonly there: Pointer;
  /** Of a telephone number: the country by which those without one are read. */
  readonly country?: string;
  readonly value?: { readonly path: Pointer; readonly is: string };
}

/** What one waiting record would be ended by. */
export interface ParkEnding {
  readonly watch: EndingWatch;
  readonly key: string;
  readonly countsEarlier: boolean;
  readonly does: Ending['does'];
  /** "booking", "Bookings": for the sentence why it ended. */
  readonly singular: string;
  readonly place: string;
}

/** Whether an ending goes by who sends a mail that comes in: then one that answers a mail sent before ends it as well. */
export const isBySender = ({ place, there }: Pick<Ending, 'place' | 'there'>): boolean =>
  there !== null && place?.described.answers?.from === there;

/**
 * What is watched for an ending: the field that was chosen and, where that is the sender of mails that come in, also which
 * mails they answer. Somebody who answers from another address has answered. Nothing while something hasn't been chosen.
 */
export function watchesOf(ending: Ending, country: string): EndingWatch[] {
  const { place, there, value } = ending;
  if (!place || there === null) return [];
  const isPhone = fieldAt(place.described.fields, there)?.type === 'phone';
  const at = { connection: place.connection, path: place.path };
  const only = value && { value };
  const byField = { ...at, there, ...(isPhone && { country }), ...only };
  const { answers } = place.described;
  return answers && isBySender(ending) ? [byField, { ...at, there: answers.ids, ...only }] : [byField];
}

/** The text by which two values are the same: case, outer space and a telephone number's signs make no difference. */
function keyOf(value: Value | undefined, { country }: Pick<EndingWatch, 'country'>): string {
  const text = keyText(value);
  return country === undefined ? text : subscriberDigits(text, country);
}

/**
 * What ends the wait of one record; nothing for a value that is empty, since that would be the same as every other that is.
 *
 * @param country by which telephone numbers without a country are read
 * @param sent the ids of the mails that went out for the record before
 */
export function endingsFor(
  endings: readonly Ending[],
  scope: Scope,
  country: string,
  sent: readonly string[],
): ParkEnding[] {
  return endings.flatMap((ending) => {
    const { place, here, countsEarlier = false, does } = ending;
    const [byField, answered] = watchesOf(ending, country);
    if (!byField || !place || !here) return [];
    const named = { singular: place.described.singular, place: place.labels.at(-1) ?? '' };
    const endedBy = (watch: EndingWatch, value: Value | undefined): ParkEnding[] => {
      const key = keyOf(value, watch);
      return key === '' ? [] : [{ watch, key, countsEarlier, does, ...named }];
    };
    const answers = answered ? sent.flatMap((id) => endedBy(answered, id)) : [];
    return [...endedBy(byField, readRef(scope, here)), ...answers];
  });
}

/** The keys of a record of a watched place; none where it doesn't count. */
export function keysThere(watch: EndingWatch, record: JsonRecord): string[] {
  const { there, value } = watch;
  if (value && keyText(readPointer(record, value.path)) !== keyText(value.is)) return [];
  const found = readPointer(record, there);
  const all = (Array.isArray(found) ? found : [found]).map((one) => keyOf(one, watch));
  return [...new Set(all)].filter((key) => key !== '');
}

/** An id that no other ending of the wait has. */
export function newEndingId(endings: readonly Pick<Ending, 'id'>[]): string {
  const numbers = endings.map(({ id }) => Number(/^ending-(\d+)$/.exec(id)?.[1] ?? 0));
  return `ending-${Math.max(0, ...numbers) + 1}`;
}

/** Why a wait ended: "The booking “BK-0012” came in Bookings." */
export const endedBecause = ({ singular, place }: Pick<ParkEnding, 'singular' | 'place'>, title: string): string =>
  `The ${singular} “${title}” came in ${place}.`;

/** Whether a field tells one record from another: what the business says of itself, and the links, don't. */
export const isOfTheRecord = ({ step }: Pick<Ref, 'step'>): boolean => step !== businessId && step !== waitLinksId;

/**
 * The field there, and the one here, by which a record is likely meant: an address or a number, by its type or as it is
 * called; what is called alike; the id of a record of the same kind. -1 where none is.
 */
export function likelySame(fields: readonly Field[], known: readonly { readonly field: Field }[]): [number, number] {
  const alike = (one: Field, other: Field): boolean => keyText(one.label) === keyText(other.label);
  for (const type of ['email', 'phone'] as const) {
    const there = fields.findIndex((field) => field.type === type);
    const meant = fields[there];
    if (!meant) continue;
    const typed = known.findIndex(({ field }) => field.type === type);
    // What is posted may be known as text only.
    const here = typed >= 0 ? typed : known.findIndex(({ field }) => alike(field, meant));
    if (here >= 0) return [there, here];
  }
  const pairs = fields.flatMap((field, there) => known.map((one, here) => ({ field, other: one.field, there, here })));
  const found =
    pairs.find(({ field, other }) => field.type !== 'id' && other.type !== 'id' && alike(field, other)) ??
    pairs.find(({ field, other }) => field.idOf !== undefined && field.idOf === other.idOf);
  return found ? [found.there, found.here] : [-1, -1];
}
