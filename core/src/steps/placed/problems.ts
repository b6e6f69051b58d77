import { type Filling, type LinesFilling, lineId, type Ref, refsOf } from '../../mapping/filling.ts';
import type { Ladder } from '../../matching/lookup/ladder.ts';
import { type Field, fieldAt } from '../../values/field.ts';
import { idProblem, standInProblem } from '../../workflow/ids.ts';
import { blocks, type ReadinessProblem, warns } from '../../workflow/problem.ts';
import type { AroundHere } from '../definition.ts';
import { formulaIssues } from '../formula-issues.ts';
import type { PlacedStep } from '../schemas.ts';
import { fieldsToFill } from './fields.ts';
import { pathsOfRung } from './rungs.ts';

/** What is wrong with how the fields of a place are filled. */
export function mappingProblems(step: PlacedStep, around: AroundHere): ReadinessProblem[] {
  const fields = step.target?.described.fields ?? [];
  const problems: ReadinessProblem[] = [];
  const byPath = new Map(fields.map((field) => [field.path, field]));
  if (Object.keys(step.mapping).length === 0) problems.push(blocks(step.id, 'No field is filled yet.'));
  for (const field of fieldsToFill(step, fields)) {
    if (field.required && !field.readOnly && !step.mapping[field.path]) {
      problems.push({ ...blocks(step.id, `“${field.label}” is required and not filled.`), field: field.path });
    }
  }
  for (const [path, filling] of Object.entries(step.mapping)) {
    const field = byPath.get(path);
    if (!field) {
      problems.push({ ...blocks(step.id, `“${path.slice(1)}” isn’t there any more.`), field: path });
      continue;
    }
    problems.push(
      ...fillingProblems(step, around, field, filling).map((message) => ({ ...blocks(step.id, message), field: path })),
    );
    const standIn = standInProblem(field, filling);
    if (standIn) problems.push({ ...warns(step.id, standIn), field: path });
  }
  return problems;
}

/** What keeps a filling from giving a value at all, in sentences. */
export function fillingProblems(step: PlacedStep, around: AroundHere, field: Field, filling: Filling): string[] {
  const inLines = filling.kind === 'lines' ? around.lookupsFor(filling.ref).map((one) => one.id) : [];
  const unknown = refsOf(filling).filter((ref) => !around.isKnown(ref) && !inLines.includes(ref.step));
  if (unknown.length > 0) return [`“${field.label}” is filled with a field that doesn’t exist here.`];
  if (filling.kind === 'formula') {
    const [issue] = formulaIssues(around, filling);
    return issue ? [`The formula of “${field.label}”: ${issue.message}`] : [];
  }
  const wrongId = idProblem(around, step, field, filling);
  if (wrongId) return [wrongId];
  return filling.kind === 'lines' ? lineProblems(step, around, field, filling) : [];
}

function lineProblems(step: PlacedStep, around: AroundHere, list: Field, filling: LinesFilling): string[] {
  const items = around.fieldOf(filling.ref)?.fields ?? [];
  const isKnown = (ref: Ref): boolean => ref.step !== lineId || fieldAt(items, ref.path) !== undefined;
  const missing = (list.fields ?? []).filter((one) => one.required && !one.readOnly && !filling.mapping[one.path]);
  const problems = missing.map((one) => `“${list.label} · ${one.label}” is required and not filled.`);
  if (Object.keys(filling.mapping).length === 0) problems.push(`No field of “${list.label}” is filled yet.`);
  for (const [path, inner] of Object.entries(filling.mapping)) {
    const field = fieldAt(list.fields ?? [], path);
    if (!field) {
      problems.push(`“${list.label} · ${path.slice(1)}” isn’t there any more.`);
      continue;
    }
    if (innerRefs(inner).some((ref) => !isKnown(ref))) {
      problems.push(`“${list.label} · ${field.label}” is filled with a field that the lines don’t have.`);
      continue;
    }
    const wrongId = idProblem(around, step, field, inner, filling.ref);
    const [issue] = inner.kind === 'formula' ? formulaIssues(around, inner, filling.ref) : [];
    if (wrongId) problems.push(wrongId);
    else if (issue) problems.push(`The formula of “${list.label} · ${field.label}”: ${issue.message}`);
  }
  const [kept] = filling.keep ? formulaIssues(around, filling.keep, filling.ref) : [];
  if (kept) problems.push(`Which lines of “${list.label}” are kept: ${kept.message}`);
  return problems;
}

const innerRefs = (filling: Filling): Ref[] => (filling.kind === 'lines' ? [] : refsOf(filling));

/** Ways that nothing is known for, or that look at fields which are no more. */
export function ladderProblems(step: PlacedStep, ladder: Ladder): ReadinessProblem[] {
  const fields = step.target?.described.fields ?? [];
  // A document is found again by the record that it was made for.
  if (step.target?.described.document && ladder.remembers === 'start') return [];
  if (ladder.rungs.length === 0) return [blocks(step.id, 'Choose how the record is matched: add a way.')];
  return ladder.rungs.flatMap((rung, at): ReadinessProblem[] => {
    const paths = pathsOfRung(rung);
    const label = (path: string): string => fieldAt(fields, path)?.label ?? path.slice(1);
    const gone = paths.find((path) => !fieldAt(fields, path));
    if (gone) return [blocks(step.id, `Way ${at + 1} looks at “${label(gone)}”, which isn’t there any more.`)];
    const [open, ...more] = paths.filter((path) => step.mapping[path] === undefined);
    if (open === undefined) return [];
    if (rung.kind === 'exact')
      return [{ ...blocks(step.id, `Way ${at + 1}: choose the field to compare “${label(open)}” with.`), field: open }];
    if (more.length + 1 < paths.length) return [];
    return [{ ...blocks(step.id, `Way ${at + 1}: the fields it compares don’t exist here.`), field: open }];
  });
}
