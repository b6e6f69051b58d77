import {
  asField,
  asFormula,
  asTextParts,
  type Field,
  type Filling,
  type KnownField,
  keyText,
  type LinesFilling,
  type NamedField,
  type Scope,
  suggestLines,
  type ValueFilling,
  valuesNotIn,
} from '@golden/core';

export type FillingKind = Filling['kind'] | 'none';

/** What is at hand when one way of filling is turned into another. */
export interface TurnContext {
  readonly field: Field;
  readonly names: readonly NamedField[];
  readonly known: readonly KnownField[];
  readonly scopes: readonly Scope[];
}

/** Whether a filling can be turned so without losing work. */
export function canTurn(kind: FillingKind, filling: Filling | undefined): boolean {
  if (filling?.kind !== 'formula') return true;
  if (filling.text.trim() === '') return true;
  if (kind === 'field') return asField(filling) !== undefined;
  return kind === 'text' ? asTextParts(filling) !== undefined : true;
}

/** One way of filling turned into another that gives the same, as far as the other way can say it. */
export function turned(kind: FillingKind, filling: Filling | undefined, context: TurnContext): Filling | undefined {
  if (kind === 'none') return undefined;
  if (kind === filling?.kind) return filling;
  const value = filling?.kind === 'lines' ? undefined : filling;
  switch (kind) {
    case 'field':
      return toField(value);
    case 'text':
      return toText(value);
    case 'choice':
      return { kind, value: context.field.options?.[0]?.value ?? '' };
    case 'fixed':
      return { kind, value: value && 'value' in value ? value.value : '' };
    case 'formula':
      return value ? { kind, ...asFormula(value, context.names) } : { kind, text: '', refs: {} };
    case 'options':
      return toOptions(value, context);
    case 'lines':
      return toLines(context);
  }
}

function toField(filling: ValueFilling | undefined): Filling | undefined {
  if (filling?.kind === 'formula') return asField(filling);
  if (filling?.kind === 'options') return { kind: 'field', ref: filling.ref, tidies: [] };
  if (filling?.kind !== 'text') return undefined;
  const part = filling.parts.find((one) => one.kind === 'field');
  return part?.kind === 'field' ? { kind: 'field', ref: part.ref, tidies: filling.tidies } : undefined;
}

function toText(filling: ValueFilling | undefined): Filling {
  if (filling?.kind === 'formula') return asTextParts(filling) ?? { kind: 'text', parts: [], tidies: [] };
  if (filling?.kind === 'field' || filling?.kind === 'options') {
    const tidies = filling.kind === 'field' ? filling.tidies : [];
    return { kind: 'text', parts: [{ kind: 'field', ref: filling.ref }], tidies };
  }
  const words = filling && 'value' in filling ? filling.value : '';
  return { kind: 'text', parts: words ? [{ kind: 'words', text: words }] : [], tidies: [] };
}

/** A table with the values that occur, each beside the option that is called alike. */
function toOptions(filling: ValueFilling | undefined, { field, known, scopes }: TurnContext): Filling | undefined {
  const ref = (filling?.kind === 'field' ? filling.ref : refOfField(filling)) ?? known[0]?.ref;
  if (!ref) return undefined;
  const occurring = valuesNotIn({ ref, table: [] }, scopes).slice(0, 40);
  const table = occurring.flatMap((from) => {
    const option = field.options?.find(
      (one) => keyText(one.value) === keyText(from) || keyText(one.label) === keyText(from),
    );
    return option ? [{ from, to: option.value }] : [];
  });
  return { kind: 'options', ref, table, otherwise: { kind: 'problem' } };
}

function refOfField(filling: ValueFilling | undefined) {
  const field = toField(filling);
  return field?.kind === 'field' ? field.ref : undefined;
}

/** Lines of the list whose fields are most like the destination's. */
function toLines({ field, known }: TurnContext): LinesFilling | undefined {
  const lists = known.filter((one) => one.field.type === 'list' && !one.isInList);
  const best = lists.find((one) => one.field.fields) ?? lists[0];
  return best && suggestLines(field, best.field, best.ref);
}
