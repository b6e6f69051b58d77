import { type Expression, parseFormula, quoteName } from '../formula/syntax.ts';
import { type Filling, type Formula, type LinesFilling, type Ref, refNamed, type TextPart } from './filling.ts';
import { type NamedField, nameOfField } from './names.ts';
import type { Tidy } from './tidy.ts';

/** Fillings of one value: every kind but lines. */
export type ValueFilling = Exclude<Filling, LinesFilling>;

const textLiteral = (text: string): string => `"${text.replaceAll('"', '""')}"`;

/** A filling written as a formula that gives the same. */
export function asFormula(filling: ValueFilling, fields: readonly NamedField[]): Formula {
  const refs: Record<string, Ref> = {};
  const name = (ref: Ref): string => {
    const known = nameOfField(ref, fields) ?? `${ref.step}${ref.path.replaceAll('/', '.')}`;
    refs[known] = ref;
    return quoteName(known);
  };
  const text = ((): string => {
    switch (filling.kind) {
      case 'formula':
        Object.assign(refs, filling.refs);
        return filling.text;
      case 'choice':
      case 'fixed':
        return textLiteral(filling.value);
      case 'field':
        return filling.tidies.reduce(tidyCall, name(filling.ref));
      case 'text': {
        const parts = filling.parts.map((part) => {
          if (part.kind === 'words') return textLiteral(part.text);
          const { otherwise } = part;
          return otherwise === undefined ? name(part.ref) : `IFEMPTY(${name(part.ref)}; ${textLiteral(otherwise)})`;
        });
        return filling.tidies.reduce(tidyCall, parts.join('&') || '""');
      }
      case 'options': {
        const cases = filling.table.map((row) => `; ${textLiteral(row.from)}; ${textLiteral(row.to)}`).join('');
        const of = name(filling.ref);
        const rest = { problem: '', empty: '; ""', same: `; ${of}`, value: '' }[filling.otherwise.kind];
        const last = filling.otherwise.kind === 'value' ? `; ${textLiteral(filling.otherwise.value)}` : rest;
        return cases === '' ? of : `SWITCH(${of}${cases}${last})`;
      }
    }
  })();
  return { text, refs };
}

function tidyCall(inner: string, tidy: Tidy): string {
  switch (tidy.kind) {
    case 'trim':
      return `STRIP(${inner})`;
    case 'squeeze':
      return `TRIM(${inner})`;
    case 'lower':
      return `LOWER(${inner})`;
    case 'upper':
      return `UPPER(${inner})`;
    case 'title':
      return `TITLE(${inner})`;
    case 'phone':
      return tidy.country ? `PHONE(${inner}; "${tidy.country}")` : `PHONE(${inner})`;
    case 'date':
      return tidy.order ? `DATEVALUE(${inner}; "${tidy.order.replace('_', ' ')}")` : `DATEVALUE(${inner})`;
    case 'default':
      return `IFEMPTY(${inner}; ${textLiteral(tidy.value)})`;
  }
}

/** A formula as a field with tidies, when it is no more than that; undefined when work would be lost. */
export function asField(formula: Formula): Extract<Filling, { kind: 'field' }> | undefined {
  const read = readChain(formula);
  return read?.of.kind === 'name' ? fieldOf(read.of.name, formula, read.tidies) : undefined;
}

function fieldOf(name: string, formula: Formula, tidies: Tidy[]): Extract<Filling, { kind: 'field' }> | undefined {
  const ref = refNamed(formula.refs, name);
  return ref && { kind: 'field', ref, tidies };
}

/** A formula as text with fields, when it only joins texts and fields; undefined when work would be lost. */
export function asTextParts(formula: Formula): Extract<Filling, { kind: 'text' }> | undefined {
  const read = readChain(formula);
  const parts = read && joined(read.of, formula);
  return parts && { kind: 'text', parts, tidies: read.tidies };
}

function joined(expression: Expression, formula: Formula): TextPart[] | undefined {
  if (expression.kind === 'text') return [{ kind: 'words', text: expression.text }];
  if (expression.kind === 'name') {
    const ref = refNamed(formula.refs, expression.name);
    return ref && [{ kind: 'field', ref }];
  }
  if (expression.kind === 'call' && expression.name === 'IFEMPTY') {
    const [of, otherwise] = expression.args;
    const ref = of?.kind === 'name' ? refNamed(formula.refs, of.name) : undefined;
    return ref && otherwise?.kind === 'text' ? [{ kind: 'field', ref, otherwise: otherwise.text }] : undefined;
  }
  if (expression.kind !== 'binary' || expression.operator !== '&') return undefined;
  const [left, right] = [joined(expression.left, formula), joined(expression.right, formula)];
  return left && right && [...left, ...right];
}

/** Takes the calls that tidies are written as off the outside of a formula, innermost first. */
function readChain(formula: Formula): { of: Expression; tidies: Tidy[] } | undefined {
  let { expression } = parseFormula(formula.text);
  const tidies: Tidy[] = [];
  while (expression?.kind === 'call') {
    const tidy = tidyOf(expression);
    if (!tidy) return undefined;
    tidies.unshift(tidy);
    expression = expression.args[0];
  }
  return expression && { of: expression, tidies };
}

function tidyOf({ name, args }: Extract<Expression, { kind: 'call' }>): Tidy | undefined {
  const second = args[1]?.kind === 'text' ? args[1].text : undefined;
  const simple = args.length === 1 ? simpleTidies[name] : undefined;
  if (simple) return simple;
  if (args.length !== 2 || second === undefined) return undefined;
  if (name === 'PHONE' && second.length === 2) return { kind: 'phone', country: second.toUpperCase() };
  if (name === 'IFEMPTY') return { kind: 'default', value: second };
  if (name === 'DATEVALUE' && second === 'day first') return { kind: 'date', order: 'day_first' };
  if (name === 'DATEVALUE' && second === 'month first') return { kind: 'date', order: 'month_first' };
  return undefined;
}

const simpleTidies: Readonly<Record<string, Tidy>> = {
  STRIP: { kind: 'trim' },
  TRIM: { kind: 'squeeze' },
  LOWER: { kind: 'lower' },
  UPPER: { kind: 'upper' },
  TITLE: { kind: 'title' },
  PHONE: { kind: 'phone' },
  DATEVALUE: { kind: 'date' },
};
