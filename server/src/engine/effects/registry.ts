import type { Answer } from '@golden/core';
import { fetchRecord } from './fetch.ts';
import { find } from './find.ts';
import { match } from './match.ts';
import { readBack } from './read-back.ts';
import type { Asker, Reading, ReadingEffect } from './reading.ts';

/** How each kind of effect that changes nothing is carried out. */
const readings: { readonly [K in ReadingEffect['kind']]: Reading<K> } = { find, match, fetch: fetchRecord, readBack };

/** Asks for what changes nothing. @throws AppError, UnknownConnection, CannotUnseal */
export function carryOut(asker: Asker, effect: ReadingEffect): Promise<Answer> {
  return (readings[effect.kind] as Reading<ReadingEffect['kind']>)(asker, effect);
}
