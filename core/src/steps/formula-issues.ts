import { checkFormula, staticTypeOf } from '../formula/check.ts';
import type { FormulaIssue } from '../formula/syntax.ts';
import { type Formula, lineId, type Ref } from '../mapping/filling.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { splitAtList } from '../values/paths.ts';
import type { Around } from './definition.ts';

/** What was found in a formula, for as long as the fields it was checked against are the same. */
const issuesFound = new WeakMap<
  Formula,
  { readonly basis: readonly unknown[]; readonly issues: readonly FormulaIssue[] }
>();

/**
 * What is wrong with a formula; within the mapping of a list, `list` names it. It is checked again
 * only when it or what its names stand for has changed: this is asked after every key.
 */
export function formulaIssues(around: Around, formula: Formula, list?: Ref): readonly FormulaIssue[] {
  const { content } = around;
  const others = content.steps.filter((step) => Object.values(formula.refs).some((ref) => ref.step === step.id));
  const basis = [content.start.source, content.tables, list, ...others];
  const known = issuesFound.get(formula);
  if (known && known.basis.length === basis.length && basis.every((part, at) => part === known.basis[at]))
    return known.issues;
  const issues = lookForIssues(around, formula, list);
  issuesFound.set(formula, { basis, issues });
  return issues;
}

function lookForIssues(around: Around, formula: Formula, list?: Ref): readonly FormulaIssue[] {
  const fieldOf = (ref: Ref): Field | undefined =>
    ref.step === lineId && list ? fieldAt(around.fieldOf(list)?.fields ?? [], ref.path) : around.fieldOf(ref);
  const names = Object.entries(formula.refs).map(([name, ref]) => ({
    name,
    type: splitAtList(ref.path) ? ('list' as const) : staticTypeOf(fieldOf(ref)),
  }));
  return checkFormula(
    formula.text,
    names,
    around.content.tables?.map((table) => table.name),
  ).issues;
}
