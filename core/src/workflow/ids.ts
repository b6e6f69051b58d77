import { type Filling, lineId, type Ref } from '../mapping/filling.ts';
import type { Around } from '../steps/definition.ts';
import type { PlacedStep } from '../steps/schemas.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { article } from './phrase.ts';
import type { Place } from './place.ts';

/** "a company", "an item". */
export const aRecord = (plural: string): string => {
  const singular = singularOf(plural);
  return `${article(singular)} ${singular}`;
};

/** The singular of a record type's name: `companies` → company. */
export function singularOf(plural: string): string {
  const words = plural.replaceAll('_', ' ').replaceAll('-', ' ').trim();
  if (/people$/i.test(words)) return words.replace(/people$/i, 'person');
  if (/ies$/i.test(words)) return words.replace(/ies$/i, 'y');
  return words.replace(/s$/i, '');
}

/** Whether a field holds the id of another record, not the record's own. */
export const isOfAnother = ({ type, idOf, readOnly }: Field): boolean =>
  type === 'id' && idOf !== undefined && !readOnly;

/** "needs a company’s id", for a field that holds the id of a record; undefined for others. */
export function needsId(field: Field): string | undefined {
  return field.idOf && isOfAnother(field) ? `needs ${aRecord(field.idOf)}’s id` : undefined;
}

/** The place whose records an id field names: beside the step's own, by its record type. */
export function placeOfId(target: Place, field: Field): Pick<Place, 'connection' | 'path'> | undefined {
  if (!field.idOf) return undefined;
  return { connection: target.connection, path: [...target.path.slice(0, -1), field.idOf] };
}

/**
 * What is wrong with how an id is filled: an id of another app, another company or another kind of
 * record names nobody there, or somebody else.
 */
export function idProblem(
  { fieldOf, placeOf }: Pick<Around, 'fieldOf' | 'placeOf'>,
  step: PlacedStep,
  field: Field,
  filling: Filling,
  list?: Ref,
): string | undefined {
  const wanted = field.idOf;
  if (field.type !== 'id' || !wanted || !step.target || filling.kind !== 'field') return undefined;
  const { ref } = filling;
  const isLine = ref.step === lineId;
  const given = isLine && list ? fieldAt(fieldOf(list)?.fields ?? [], ref.path) : fieldOf(ref);
  const there = placeOf(isLine && list ? list.step : ref.step);
  const label = `“${field.label}” needs ${aRecord(wanted)}’s id of this app`;
  if (!given || !there) return undefined;
  if (given.type !== 'id') return undefined;
  if (there.connection !== step.target.connection)
    return `${label}, and “${given.label}” is an id of another app. A lookup finds the right one.`;
  const [above, aboveThere] = [step.target.path.slice(0, -1).join('/'), there.path.slice(0, -1).join('/')];
  if (above !== aboveThere)
    return `${label}, and “${given.label}” is an id of another place of it. A lookup finds the right one.`;
  if (given.idOf && given.idOf !== wanted)
    return `${label}, and “${given.label}” is ${aRecord(given.idOf)}’s. A lookup finds the right one.`;
  return undefined;
}

/** Values people put into a required field just to get on (common practice). */
const standIns =
  /^(0+|1|x+|-+|\.+|\?+|n\/?a|none|null|unknown|test(ing)?|tbd|todo|dummy|asdf|abc|foo|12345?6?|9{3,}|1900-01-01|1970-01-01|01[./-]01[./-](1900|1970|2000)|test@.*|a@b\..*)$/i;

/** A fixed value that likely stands there only so that the field isn't empty, or an id that is always the same. */
export function standInProblem(field: Field, filling: Filling): string | undefined {
  const fixed =
    filling.kind === 'fixed' || filling.kind === 'choice'
      ? filling.value
      : filling.kind === 'text' && filling.parts.every((part) => part.kind === 'words')
        ? filling.parts.map((part) => (part.kind === 'words' ? part.text : '')).join('')
        : undefined;
  if (fixed === undefined || fixed.trim() === '') return undefined;
  if (field.type === 'id' && field.idOf)
    return `“${field.label}” is always “${fixed}”: every record would go to one ${singularOf(field.idOf)}. A lookup finds the right one.`;
  if (
    filling.kind !== 'choice' &&
    (field.required || field.type === 'date' || field.type === 'email') &&
    standIns.test(fixed.trim())
  )
    return `“${field.label}” is filled with “${fixed.trim()}”, which looks like a stand-in. Nobody will know later that it isn’t real.`;
  return undefined;
}
