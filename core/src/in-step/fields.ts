import type { Filling } from '../mapping/filling.ts';
import { refsOf } from '../mapping/filling.ts';
import { startId } from '../mapping/refs.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { type Pointer, pointerLabel } from '../values/pointer.ts';
import { isConsentField } from './consents.ts';
import { isWrite, type Legs, NotAPair } from './legs.ts';
import type { FieldOwner, InStepSetting } from './setting.ts';

/** How a field of one place and fields of the other are kept in step. */
export interface FieldInStep {
  /** What it is set by: the field there, or the field here where nothing goes there. */
  readonly path: Pointer;
  readonly there?: { readonly path: Pointer; readonly label: string };
  readonly here: readonly { readonly path: Pointer; readonly label: string }[];
  /** `both`, or the only direction in which it goes. */
  readonly goes: 'both' | 'there' | 'here';
  readonly owner: FieldOwner;
  /** A consent: a no goes over from either side, and nothing turns it into a yes. */
  readonly isConsent: boolean;
  /** It comes from another step than the start, such as a lookup. */
  readonly isLookedUp: boolean;
}

/** The write of each direction. @throws NotAPair where one of them has none with a place */
export function writesOf(legs: Legs): { readonly there: WriteStep; readonly here: WriteStep } {
  const [there, here] = [legs.there, legs.here].map((content) => content.steps.find(isWrite));
  if (!there?.target || !here?.target)
    throw new NotAPair('Each direction needs a sentence that writes into the other place.');
  return { there, here };
}

const startPaths = (filling: Filling): Pointer[] =>
  refsOf(filling).flatMap(({ step, path }) => (step === startId ? [path] : []));

const isLookedUp = (filling: Filling | undefined): boolean =>
  filling !== undefined && refsOf(filling).some(({ step }) => step !== startId);

/** A field that isn't described any more. */
const anyField = (path: Pointer): Field => ({ path, label: pointerLabel(path), type: 'any' });

/** All fields that two directions write, each with whose it is. @throws NotAPair */
export function fieldsInStep(legs: Legs, setting: Pick<InStepSetting, 'owners' | 'usual'>): FieldInStep[] {
  const { there, here } = writesOf(legs);
  const named = (fields: readonly Field[], path: Pointer) => ({
    path,
    label: fieldAt(fields, path)?.label ?? pointerLabel(path),
  });
  const fieldsThere = there.target?.described.fields ?? [];
  const fieldsHere = here.target?.described.fields ?? [];
  const backOf = (path: Pointer): Pointer[] =>
    Object.entries(here.mapping).flatMap(([own, filling]) => (startPaths(filling).includes(path) ? [own] : []));
  const going = Object.entries(there.mapping).map(([path, filling]): FieldInStep => {
    const back = backOf(path);
    const from = startPaths(filling);
    const isBoth = back.length > 0;
    const isConsent = isConsentField(fieldAt(fieldsThere, path) ?? anyField(path));
    return {
      path,
      there: named(fieldsThere, path),
      here: (isBoth ? back : from).map((own) => named(fieldsHere, own)),
      goes: isBoth ? 'both' : 'there',
      owner: isBoth ? (setting.owners[path] ?? setting.usual) : 'here',
      isConsent,
      isLookedUp: isLookedUp(filling) || back.some((own) => isLookedUp(here.mapping[own])),
    };
  });
  const coming = Object.entries(here.mapping).flatMap(([own, filling]): FieldInStep[] => {
    const from = startPaths(filling);
    if (from.some((path) => there.mapping[path] !== undefined)) return [];
    return [
      {
        path: own,
        ...(from[0] !== undefined && { there: named(fieldsThere, from[0]) }),
        here: [named(fieldsHere, own)],
        goes: 'here',
        owner: 'there',
        isConsent: isConsentField(fieldAt(fieldsHere, own) ?? anyField(own)),
        isLookedUp: isLookedUp(filling),
      },
    ];
  });
  return [...going, ...coming];
}
