import { coerce, type Locale } from '../values/coerce.ts';
import { type Field, type FieldType, fieldAt } from '../values/field.ts';
import type { Pointer } from '../values/pointer.ts';
import { isEmpty, type Value } from '../values/value.ts';
import { type Filling, fill, readRef, type Scope, type TypeOf, typeOfFilling } from './filling.ts';

/** One cell of the mapping sheet: what a destination field gets from one record. */
export type Cell =
  | { readonly state: 'filled'; readonly value: Value; readonly note?: string }
  | { readonly state: 'empty' }
  | { readonly state: 'not_filled' }
  | { readonly state: 'problem'; readonly message: string; readonly given?: Value };

/** How each destination field is filled, by its path. */
export type Mapping = Readonly<Record<Pointer, Filling>>;

/** Values a person set by hand for one record, by path; they win over the mapping. */
export type Overrides = Readonly<Record<Pointer, Value>>;

/** The cell of one destination field. */
export function mapField(
  field: Field,
  filling: Filling | undefined,
  scope: Scope,
  locale: Locale,
  override?: Value,
): Cell {
  if (filling === undefined && override === undefined) {
    return field.required ? { state: 'problem', message: 'Required, and not filled.' } : { state: 'not_filled' };
  }
  const filled =
    override !== undefined || filling === undefined
      ? { ok: true as const, value: override ?? null }
      : fill(filling, scope, locale);
  if (!filled.ok) {
    const given = filling?.kind === 'field' ? readRef(scope, filling.ref) : null;
    return { state: 'problem', message: filled.message, ...(!isEmpty(given) && { given }) };
  }
  const fitted = coerce(filled.value, field, locale);
  if (!fitted.ok) return { state: 'problem', message: fitted.message, given: filled.value };
  if (isEmpty(fitted.value)) return { state: 'empty' };
  const note = [('note' in filled && filled.note) || undefined, fitted.note].filter(Boolean).join(', ');
  return note ? { state: 'filled', value: fitted.value, note } : { state: 'filled', value: fitted.value };
}

/** What a whole mapping gives for one record. */
export interface Mapped {
  /** Values to write, by path; null where the filling was empty. Fields not filled are absent. */
  readonly values: Readonly<Record<Pointer, Value>>;
  readonly types: Readonly<Record<Pointer, FieldType>>;
  readonly problems: readonly {
    readonly path: Pointer;
    readonly label: string;
    readonly message: string;
    readonly given?: Value;
  }[];
}

/**
 * Maps one record. A mapping of a field that the destination doesn't have any more is a problem,
 * so that no value can land in a wrong place.
 */
export function mapRecord(
  mapping: Mapping,
  fields: readonly Field[],
  scope: Scope,
  locale: Locale,
  typeOf: TypeOf,
  overrides: Overrides = {},
): Mapped {
  const values: Record<Pointer, Value> = {};
  const types: Record<Pointer, FieldType> = {};
  const problems: { path: Pointer; label: string; message: string; given?: Value }[] = [];
  for (const field of fields) {
    if (field.readOnly) continue;
    const filling = mapping[field.path];
    const cell = mapField(field, filling, scope, locale, overrides[field.path]);
    if (cell.state === 'problem') {
      problems.push({
        path: field.path,
        label: field.label,
        message: cell.message,
        ...(cell.given !== undefined && { given: cell.given }),
      });
    } else if (cell.state !== 'not_filled') {
      values[field.path] = cell.state === 'filled' ? cell.value : null;
      types[field.path] = field.type === 'any' && filling ? typeOfFilling(filling, typeOf) : field.type;
    }
  }
  for (const path of Object.keys(mapping)) {
    if (!fieldAt(fields, path)) {
      problems.push({ path, label: path.slice(1), message: 'This field isn’t there any more. Nothing was written.' });
    }
  }
  return { values, types, problems };
}
