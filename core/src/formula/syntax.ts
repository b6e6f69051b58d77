import type { SyntaxNode } from '@lezer/common';
import * as terms from './grammar/parser.terms.ts';
import { parser } from './grammar/parser.ts';

/** Where something stands in the text of a formula, counted in UTF-16 units. */
export interface Span {
  readonly from: number;
  readonly to: number;
}

export type BinaryOperator = '+' | '-' | '*' | '/' | '^' | '&' | '=' | '<>' | '<' | '<=' | '>' | '>=';

/** A formula taken apart: frozen tagged nodes, each with where it stands. */
export type Expression = Span &
  (
    | { readonly kind: 'number'; readonly text: string }
    | { readonly kind: 'text'; readonly text: string }
    | { readonly kind: 'error'; readonly code: string }
    | { readonly kind: 'name'; readonly name: string }
    | { readonly kind: 'call'; readonly name: string; readonly at: Span; readonly args: readonly Expression[] }
    | { readonly kind: 'list'; readonly items: readonly Expression[] }
    | { readonly kind: 'prefix'; readonly operator: '+' | '-'; readonly of: Expression }
    | { readonly kind: 'percent'; readonly of: Expression }
    | {
        readonly kind: 'binary';
        readonly operator: BinaryOperator;
        readonly left: Expression;
        readonly right: Expression;
      }
    /** An argument left out, as in `IF(a;;b)`. */
    | { readonly kind: 'missing' }
  );

/** Something wrong with a formula, underlined where it stands. */
export interface FormulaIssue extends Span {
  readonly severity: 'error' | 'warning';
  readonly message: string;
  /** What would put it right, to be taken with one key. */
  readonly suggestion?: string;
}

export interface ParsedFormula {
  /** Absent when the text is no formula. */
  readonly expression?: Expression;
  readonly issues: readonly FormulaIssue[];
}

/** Longer formulas are refused: nobody can read them, and nesting is bounded with it. */
const longestFormula = 8000;
const deepest = 200;

/** Takes a formula in its stored form apart (`;` between arguments). Never throws. */
export function parseFormula(text: string): ParsedFormula {
  const whole = { from: 0, to: text.length };
  if (text.length > longestFormula)
    return {
      issues: [
        problem(
          whole,
          `A formula has at most ${longestFormula} characters. Move a part of it to a “Calculate values” step.`,
        ),
      ],
    };
  if (text.replace(/^\s*=/, '').trim() === '') return { issues: [problem(whole, 'The formula is empty.')] };
  const tree = parser.parse(text);
  const issues: FormulaIssue[] = [];
  tree.iterate({
    enter: (node) => {
      if (node.type.isError && issues.length === 0) issues.push(syntaxIssue(text, node.from, node.to));
    },
  });
  if (issues.length > 0) return { issues };
  const top = firstExpression(tree.topNode);
  if (!top) return { issues: [problem(whole, 'The formula is empty.')] };
  try {
    return { expression: build(top, text, 0), issues: [] };
  } catch (error) {
    if (!(error instanceof TooDeep)) throw error;
    return {
      issues: [
        problem(
          whole,
          `The formula is nested more than ${deepest} times. Move a part of it to a “Calculate values” step.`,
        ),
      ],
    };
  }
}

class TooDeep extends Error {
  override readonly name = 'TooDeep';
}

const problem = (span: Span, message: string): FormulaIssue => ({ ...span, severity: 'error', message });

/** A sentence for what the parser stumbled over. */
function syntaxIssue(text: string, from: number, to: number): FormulaIssue {
  const before = text.slice(0, from);
  const opened = before.split('(').length - before.split(')').length;
  const quotes = text.split('"').length - 1;
  const found = text.slice(from, Math.max(to, from + 1)).trim();
  const at = {
    from: Math.max(0, from === text.length ? from - 1 : from),
    to: Math.max(to, Math.min(from + 1, text.length)),
  };
  if (quotes % 2 === 1)
    return problem({ from: text.lastIndexOf('"'), to: text.length }, 'This text has no closing quotation mark.');
  if (found === '' && opened > 0) return problem(at, 'A closing bracket is missing here.');
  if (found === '') return problem(at, 'Something is missing here: a field, a number or a text.');
  if (found.startsWith(')')) return problem(at, 'There is no opening bracket for this one.');
  if (/^['‘“”«]/.test(found)) return problem(at, 'Texts stand between straight double quotation marks, "like this".');
  return problem(at, `“${found}” can’t be used here.`);
}

const expressionTerms: ReadonlySet<number> = new Set([
  terms.Number,
  terms.Text,
  terms.ErrorName,
  terms.Reference,
  terms.Call,
  terms.List,
  terms.Group,
  terms.Prefix,
  terms.Percent,
  terms.Power,
  terms.Product,
  terms.Sum,
  terms.Join,
  terms.Comparison,
]);

const isExpression = (node: SyntaxNode): boolean => expressionTerms.has(node.type.id);

function firstExpression(node: SyntaxNode): SyntaxNode | undefined {
  return children(node).find(isExpression);
}

function children(node: SyntaxNode): SyntaxNode[] {
  const all: SyntaxNode[] = [];
  for (let child = node.firstChild; child; child = child.nextSibling) all.push(child);
  return all;
}

function build(node: SyntaxNode, text: string, depth: number): Expression {
  if (depth > deepest) throw new TooDeep();
  const span = { from: node.from, to: node.to };
  const source = text.slice(node.from, node.to);
  const inner = (): Expression[] =>
    children(node)
      .filter(isExpression)
      .map((child) => build(child, text, depth + 1));
  switch (node.type.id) {
    case terms.Number:
      return { ...span, kind: 'number', text: source };
    case terms.Text:
      return { ...span, kind: 'text', text: source.slice(1, -1).replaceAll('""', '"') };
    case terms.ErrorName:
      return { ...span, kind: 'error', code: source };
    case terms.Reference:
      return { ...span, kind: 'name', name: unquoteName(source) };
    case terms.List:
      return { ...span, kind: 'list', items: inner() };
    case terms.Group: {
      const [of] = inner();
      return { ...(of as Expression), ...span };
    }
    case terms.Prefix: {
      const [of] = inner();
      return { ...span, kind: 'prefix', operator: source.startsWith('-') ? '-' : '+', of: of as Expression };
    }
    case terms.Percent: {
      const [of] = inner();
      return { ...span, kind: 'percent', of: of as Expression };
    }
    case terms.Call:
      return buildCall(node, text, depth);
    default: {
      const [left, right] = inner() as [Expression, Expression];
      const sign = children(node).find((child) => !isExpression(child));
      const operator = sign
        ? text.slice(sign.from, sign.to)
        : (/[&^]/.exec(text.slice(left.to, right.from))?.[0] ?? '&');
      return { ...span, kind: 'binary', operator: operator as BinaryOperator, left, right };
    }
  }
}

function buildCall(node: SyntaxNode, text: string, depth: number): Expression {
  const name = node.firstChild as SyntaxNode;
  const list = node.lastChild as SyntaxNode;
  const args: Expression[] = [];
  let isOpen = true;
  let hasSeparator = false;
  for (const child of children(list)) {
    if (isExpression(child)) {
      args.push(build(child, text, depth + 1));
      isOpen = false;
    } else if (child.type.id === terms.Separator) {
      if (isOpen) args.push({ kind: 'missing', from: child.from, to: child.from });
      isOpen = true;
      hasSeparator = true;
    }
  }
  if (isOpen && hasSeparator) args.push({ kind: 'missing', from: list.to - 1, to: list.to - 1 });
  return {
    from: node.from,
    to: node.to,
    kind: 'call',
    name: text.slice(name.from, name.to).toUpperCase(),
    at: { from: name.from, to: name.to },
    args,
  };
}

/** The name behind `$$'quoted name'`, or the name itself. */
export function unquoteName(source: string): string {
  return source.startsWith("$$'") ? source.slice(3, -1).replaceAll("''", "'") : source;
}

const plainName =
  /^[A-Za-z_\u00aa\u00b5\u00ba\u00c0-\u167f\u1681-\u1fff\u2030-\u205e\u2060-\u2fff\u3001-\ud7ff][\w.\u00aa\u00b5\u00ba\u00c0-\u167f\u1681-\u1fff\u2030-\u205e\u2060-\u2fff\u3001-\ud7ff]*$/u;

/** A name as it is written in a formula: as it is, or quoted as the standard quotes names. */
export function quoteName(name: string): string {
  const isPlain = plainName.test(name) && !/^(true|false)$/i.test(name);
  return isPlain ? name : `$$'${name.replaceAll("'", "''")}'`;
}

/** Every node of an expression, outermost first. */
export function* nodesOf(expression: Expression): Generator<Expression> {
  yield expression;
  switch (expression.kind) {
    case 'call':
      for (const arg of expression.args) yield* nodesOf(arg);
      break;
    case 'list':
      for (const item of expression.items) yield* nodesOf(item);
      break;
    case 'prefix':
    case 'percent':
      yield* nodesOf(expression.of);
      break;
    case 'binary':
      yield* nodesOf(expression.left);
      yield* nodesOf(expression.right);
      break;
  }
}

/** The names of fields that a formula reads, each once, in their order; also of one that is not finished yet. */
export function namesIn(text: string): string[] {
  const names: string[] = [];
  parser.parse(text.slice(0, longestFormula)).iterate({
    enter: (node) => {
      if (node.type.id === terms.Reference) names.push(unquoteName(text.slice(node.from, node.to)));
    },
  });
  return [...new Set(names)].filter((name) => !/^(true|false)$/i.test(name));
}

/** A piece of a formula with what it is, for showing it in colours. */
export interface FormulaToken extends Span {
  readonly kind: 'function' | 'name' | 'text' | 'number' | 'operator';
}

const tokenKinds: Readonly<Record<number, FormulaToken['kind']>> = {
  [terms.Number]: 'number',
  [terms.Text]: 'text',
  [terms.Reference]: 'name',
  [terms.PlusMinus]: 'operator',
  [terms.TimesOver]: 'operator',
  [terms.CompareSign]: 'operator',
};

/** The pieces of a stored formula in their order, also of one that is not finished yet. */
export function tokensOf(text: string): FormulaToken[] {
  const tokens: FormulaToken[] = [];
  parser.parse(text.slice(0, longestFormula)).iterate({
    enter: (node) => {
      const isFunction = node.type.id === terms.Name && node.node.parent?.type.id === terms.Call;
      const kind = isFunction ? 'function' : tokenKinds[node.type.id];
      if (kind) tokens.push({ from: node.from, to: node.to, kind });
    },
  });
  return tokens;
}

/** The innermost call around a place in a formula, and which of its arguments stands there. */
export function callAt(text: string, at: number): { readonly name: string; readonly argument: number } | undefined {
  let node: SyntaxNode | null = parser.parse(text.slice(0, longestFormula)).resolveInner(at, -1);
  for (; node; node = node.parent) {
    if (node.type.id !== terms.Call) continue;
    const name = node.firstChild;
    const list = node.lastChild;
    if (!name || !list || list.type.id !== terms.ArgList) continue;
    const before = children(list).filter((child) => child.type.id === terms.Separator && child.to <= at);
    return { name: text.slice(name.from, name.to).toUpperCase(), argument: at <= name.to ? 0 : before.length };
  }
  return undefined;
}
