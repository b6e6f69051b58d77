import type { UndoKind } from '@golden/core';
import { CircleHelp, CircleMinus, Hand, Hourglass, PencilLine, Send, Spline, Undo2, Unlink } from 'lucide-react';
import type { Undo } from '../api/queries.ts';
import { counted } from '../parts/formats.ts';
import type { Look } from '../parts/OutcomeMark.tsx';

/** What undoing would do with a record, by shape, word and colour. */
export const undoLooks: Readonly<Record<UndoKind, Look>> = {
  back: { icon: Undo2, word: 'goes back', several: 'go back', colour: 'text-pine' },
  used: { icon: Spline, word: 'used since', colour: 'text-brass' },
  sent: { icon: Send, word: 'sent something', colour: 'text-brass' },
  changed: { icon: PencilLine, word: 'changed since', colour: 'text-slate' },
  gone: { icon: Unlink, word: 'gone there', colour: 'text-stone' },
  only_sent: { icon: Send, word: 'only sent', colour: 'text-stone' },
  cannot: { icon: CircleHelp, word: 'can’t go back', colour: 'text-brick' },
  open: { icon: Hourglass, word: 'on its way', several: 'on their way', colour: 'text-plum' },
  nothing: { icon: CircleMinus, word: 'wrote nothing', colour: 'text-stone' },
};

/** What came of a record that was to go back. */
export const doneLooks: Readonly<Record<'done' | 'stays', Look>> = {
  done: { icon: Undo2, word: 'undone', colour: 'text-pine' },
  stays: { icon: Hand, word: 'stays', several: 'stay', colour: 'text-brass' },
};

/** What is still to be done, and what isn't part of it. */
export const leftLooks: Readonly<Record<'chosen' | 'looked', Look>> = {
  chosen: { icon: Hourglass, word: 'to be undone', colour: 'text-plum' },
  looked: { icon: CircleMinus, word: 'not undone', colour: 'text-stone' },
};

/** Why records of a kind stay, in a sentence; nothing where they go back. */
export const whyTheyStay: Partial<Readonly<Record<UndoKind, string>>> = {
  changed: 'Somebody changed them since. What people wrote is never undone.',
  gone: 'What was changed isn’t there any more, so there is nothing to give its former values to.',
  only_sent: 'All that they did was to send something to somebody. That can’t be taken back.',
  cannot: 'It isn’t known which records they wrote, or their app lets nobody remove them.',
  open: 'They are still on their way, or wait. Look again when they have come to rest.',
  nothing: 'They wrote nothing, so nothing goes back.',
};

interface Part {
  readonly place: string;
  readonly removes: number;
  readonly restores: number;
  readonly makes: number;
}

/** "290 records are removed from Ledger → Customers", "6 records in Ledger → Customers get their former values". */
export function partWords({ place, removes, restores, makes }: Part): string[] {
  return [
    ...(removes > 0 ? [`${counted(removes, 'record')} ${removes === 1 ? 'is' : 'are'} removed from ${place}`] : []),
    ...(restores > 0
      ? [`${counted(restores, 'record')} in ${place} ${restores === 1 ? 'gets its' : 'get their'} former values`]
      : []),
    ...(makes > 0 ? [`${counted(makes, 'record')} ${makes === 1 ? 'is' : 'are'} made again in ${place}`] : []),
  ];
}

/** The same of one record, where it is plain which places are meant. */
export function shortWords(parts: readonly Part[]): string {
  const of = (name: 'removes' | 'restores' | 'makes'): number => parts.reduce((sum, part) => sum + part[name], 0);
  const [removes, restores, makes] = [of('removes'), of('restores'), of('makes')];
  return [
    ...(removes > 0 ? [removes === 1 ? 'removed' : `${removes} removed`] : []),
    ...(restores > 0 ? [restores === 1 ? 'former values back' : `former values back in ${restores}`] : []),
    ...(makes > 0 ? [makes === 1 ? 'made again' : `${makes} made again`] : []),
  ].join(', ');
}

/** What would be done in each place, for the kinds that go back. */
export function partsOf({ parts }: Undo, kinds: readonly UndoKind[]): Part[] {
  const byPlace = new Map<string, Part>();
  for (const { place, removes, restores, makes, kind } of parts) {
    if (!kinds.includes(kind)) continue;
    const known = byPlace.get(place) ?? { place, removes: 0, restores: 0, makes: 0 };
    byPlace.set(place, {
      place,
      removes: known.removes + removes,
      restores: known.restores + restores,
      makes: known.makes + makes,
    });
  }
  return [...byPlace.values()];
}

/** True while an undoing is looked at or carried out, by itself or as soon as an app answers. */
export const isUnderWay = ({ state }: Pick<Undo, 'state'>): boolean =>
  ['looking', 'undoing', 'waiting'].includes(state);

/** How another record used one: "“Invoices” found it". */
export const usedWords = { wrote: 'wrote to it too', began: 'began with it', found: 'found it in a lookup' } as const;
