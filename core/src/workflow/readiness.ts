import { arity, testsOf } from '../conditions/condition.ts';
import { checkFormula, staticTypeOf } from '../formula/check.ts';
import type { FormulaIssue } from '../formula/syntax.ts';
import { type Filling, type Formula, type LinesFilling, lineId, type Ref, refsOf } from '../mapping/filling.ts';
import { type Field, fieldAt } from '../values/field.ts';
import { splitAtList } from '../values/paths.ts';
import { pathsOfRung } from './drift.ts';
import { idProblem, standInProblem } from './ids.ts';
import { fieldOfRef, knownBefore, lookupsFor, startId } from './references.ts';
import type {
  ComputeStep,
  ConditionStep,
  EachStep,
  LookupStep,
  PlacedStep,
  Step,
  WorkflowContent,
  WriteStep,
} from './schema.ts';

/** Something that keeps a draft from running, or that its writer should know. */
export interface ReadinessProblem {
  /** The sentence it stands at: `start` or a step's id. */
  readonly sentence: string;
  /** The destination field, where it is about one. */
  readonly field?: string;
  readonly severity: 'blocks' | 'warns';
  readonly message: string;
}

/** All that is not ready in a draft. An empty list means: it can be rehearsed and made live. */
export function checkReadiness(content: WorkflowContent): readonly ReadinessProblem[] {
  const known = checked.get(content);
  if (known) return known;
  const problems = checkAll(content);
  checked.set(content, problems);
  return problems;
}

/** Contents never change; several parts of a screen ask for the same one after every key. */
const checked = new WeakMap<WorkflowContent, readonly ReadinessProblem[]>();

function checkAll(content: WorkflowContent): ReadinessProblem[] {
  return [
    ...checkStart(content),
    ...content.steps.flatMap((step) => {
      if (step.isOff) return [];
      return checkStep(content, step);
    }),
    ...checkWhole(content),
  ];
}

function checkStep(content: WorkflowContent, step: Step): ReadinessProblem[] {
  switch (step.kind) {
    case 'condition':
      return checkCondition(content, step);
    case 'write':
      return checkWrite(content, step);
    case 'lookup':
      return checkLookup(content, step);
    case 'compute':
      return checkCompute(content, step);
    case 'each':
      return checkEach(content, step);
  }
}

function checkCompute(content: WorkflowContent, step: ComputeStep): ReadinessProblem[] {
  if (step.values.length === 0) return [blocks(step.id, 'Name a value, and say how it is worked out.')];
  const isKnown = knownBefore(content, step.id);
  const above = new Set<string>();
  return step.values.flatMap((value): ReadinessProblem[] => {
    const name = value.name.trim();
    if (name === '') return [blocks(step.id, 'A value has no name yet.')];
    if (above.has(name)) return [blocks(step.id, `Two values are called “${name}”.`)];
    const missing = Object.values(value.refs).find((ref) =>
      ref.step === step.id ? !above.has(ref.path.slice(1)) : !isKnown(ref),
    );
    above.add(name);
    if (missing) {
      const why =
        missing.step === step.id ? 'a value that is worked out only after it' : 'a field that isn’t known here';
      return [blocks(step.id, `“${name}” uses ${why}.`)];
    }
    const [issue] = formulaIssues(content, value);
    return issue ? [blocks(step.id, `“${name}”: ${issue.message}`)] : [];
  });
}

function checkEach(content: WorkflowContent, step: EachStep): ReadinessProblem[] {
  if (!step.over) return [blocks(step.id, 'Choose the list whose items it is done for.')];
  if (!knownBefore(content, step.id)(step.over)) return [blocks(step.id, 'The list isn’t known here.')];
  if (fieldOfRef(content, step.over)?.type !== 'list') return [blocks(step.id, 'The field chosen is no list.')];
  const isEmpty = !content.steps.some((one) => one.kind !== 'each' && one.within === step.id);
  return isEmpty ? [warns(step.id, 'Nothing stands within it yet, so nothing is done for each.')] : [];
}

/** True when nothing stands in the way of a run. */
export function isReady(content: WorkflowContent): boolean {
  return !checkReadiness(content).some((problem) => problem.severity === 'blocks');
}

function checkStart({ start }: WorkflowContent): ReadinessProblem[] {
  if (!start.source) return [blocks(startId, 'Choose where the records come from.')];
  const { described } = start.source;
  const problems: ReadinessProblem[] = [];
  const hasIds = described.fields.some((field) => field.type === 'id' && field.readOnly);
  if (!hasIds && !start.identity) {
    problems.push(
      blocks(startId, `Choose the field that tells one ${described.singular} from another: this place gives no ids.`),
    );
  }
  if (start.identity && !fieldAt(described.fields, start.identity)) {
    problems.push(blocks(startId, 'The field that recognises a record isn’t there any more. Choose another.'));
  }
  problems.push(...checkEvent(start));
  if (start.fromWhen.kind === 'since' && Number.isNaN(Date.parse(start.fromWhen.at))) {
    problems.push(blocks(startId, 'Choose the date from which records count.'));
  }
  if (start.fromWhen.kind === 'since' && !described.created && !described.updated) {
    problems.push(
      blocks(startId, 'This place keeps no dates, so “since” can’t be told. Choose “from now on” or “everything”.'),
    );
  }
  return problems;
}

function checkEvent(start: WorkflowContent['start']): ReadinessProblem[] {
  const fields = start.source?.described.fields ?? [];
  const problems: ReadinessProblem[] = [];
  if (start.on === 'becomes') {
    if (!start.becomes?.path) problems.push(blocks(startId, 'Choose the field whose change starts it.'));
    else if (!fieldAt(fields, start.becomes.path))
      problems.push(blocks(startId, 'The field whose change starts it isn’t there any more. Choose another.'));
    else if (start.becomes.value.trim() === '')
      problems.push(blocks(startId, 'Say which value the field has to come to.'));
  }
  if (start.on === 'removed' && start.fromWhen.kind !== 'now') {
    problems.push(blocks(startId, 'What was removed earlier can’t be listed. Choose “only what comes from now on”.'));
  }
  if (start.also?.kind === 'some' && start.also.places.length === 0)
    problems.push(warns(startId, 'No further place is chosen yet.'));
  const picked = start.fields;
  if (picked) {
    const kept = [start.identity, start.becomes?.path].filter((path) => path !== undefined && !picked.includes(path));
    if (kept.length > 0)
      problems.push(blocks(startId, 'The fields to fetch leave out the one that the start itself needs.'));
  }
  return problems;
}

function checkCondition(content: WorkflowContent, step: ConditionStep): ReadinessProblem[] {
  const tests = testsOf(step.condition);
  const isKnown = knownBefore(content, step.id);
  if (tests.length === 0) return [warns(step.id, 'Nothing is asked yet, so everything is kept.')];
  return tests.flatMap((test) => {
    if (!isKnown(test.ref)) return [blocks(step.id, `The field “${test.ref.path.slice(1)}” isn’t known here.`)];
    const isUnsaid = arity(test.operator) !== 'none' && test.values.every((value) => value.trim() === '');
    return isUnsaid ? [blocks(step.id, `Say what “${fieldOfRef(content, test.ref)?.label}” is compared with.`)] : [];
  });
}

function checkWrite(content: WorkflowContent, step: WriteStep): ReadinessProblem[] {
  if (!step.target) return [blocks(step.id, 'Choose where the records go.')];
  const { described } = step.target;
  const problems: ReadinessProblem[] = [];
  if (described.readOnlyBecause) problems.push(blocks(step.id, described.readOnlyBecause));
  else if (!described.can.create)
    problems.push(blocks(step.id, `Nothing can be written to ${step.target.labels.join(' → ')}.`));
  problems.push(...checkMapping(content, step, step.target.described.fields));
  const [placeIssue] = step.placeBy ? formulaIssues(content, step.placeBy) : [];
  if (placeIssue) problems.push(blocks(step.id, `Where it is written: ${placeIssue.message}`));
  if (step.mode === 'create_or_update') problems.push(...checkKey(step));
  return problems;
}

function checkLookup(content: WorkflowContent, step: LookupStep): ReadinessProblem[] {
  if (!step.target) return [blocks(step.id, 'Choose where to look.')];
  const { described, labels } = step.target;
  const isKnown = knownBefore(content, step.id);
  if (step.fetchId) {
    if (refsOf(step.fetchId).some((ref) => !isKnown(ref)))
      return [blocks(step.id, 'The id to fetch by isn’t known here.')];
    return described.can.readBack ? [] : [blocks(step.id, `A record of ${labels.at(-1)} can’t be fetched by its id.`)];
  }
  const problems = checkLadder(step, step.ladder, (path) => step.mapping[path] !== undefined);
  const makesIt = step.ladder.atNone === 'create';
  if (makesIt && !described.can.create)
    problems.push(
      blocks(step.id, `Nothing can be created in ${labels.join(' → ')}. Choose what else happens at none.`),
    );
  if (makesIt) return [...problems, ...checkMapping(content, step, described.fields)];
  for (const [path, filling] of Object.entries(step.mapping)) {
    const field = fieldAt(described.fields, path);
    const messages = field
      ? fillingProblems(content, step, { ...field, readOnly: undefined }, filling, isKnown)
      : [`“${path.slice(1)}” isn’t there any more.`];
    problems.push(...messages.map((message) => ({ ...blocks(step.id, message), field: path })));
  }
  return problems;
}

/** Ways that nothing is known for, or that look at fields which are no more. */
function checkLadder(
  step: PlacedStep,
  ladder: NonNullable<WriteStep['ladder']>,
  isFilled: (path: string) => boolean,
): ReadinessProblem[] {
  const fields = step.target?.described.fields ?? [];
  if (ladder.rungs.length === 0) return [blocks(step.id, 'Say how the record is recognised: add a way.')];
  return ladder.rungs.flatMap((rung, at): ReadinessProblem[] => {
    const paths = pathsOfRung(rung);
    const label = (path: string): string => fieldAt(fields, path)?.label ?? path.slice(1);
    const gone = paths.find((path) => !fieldAt(fields, path));
    if (gone) return [blocks(step.id, `Way ${at + 1} looks at “${label(gone)}”, which isn’t there any more.`)];
    const open = paths.filter((path) => !isFilled(path));
    if (rung.kind === 'exact' && open.length > 0)
      return [
        {
          ...blocks(step.id, `Way ${at + 1}: say what “${label(open[0] ?? '')}” is for the record looked for.`),
          field: open[0] ?? '',
        },
      ];
    if (rung.kind === 'alike' && open.length === paths.length)
      return [
        { ...blocks(step.id, `Way ${at + 1}: nothing is known of the fields it compares.`), field: open[0] ?? '' },
      ];
    return [];
  });
}

function checkMapping(
  content: WorkflowContent,
  step: PlacedStep,
  fields: NonNullable<WriteStep['target']>['described']['fields'],
): ReadinessProblem[] {
  const problems: ReadinessProblem[] = [];
  const isKnown = knownBefore(content, step.id);
  const byPath = new Map(fields.map((field) => [field.path, field]));
  if (Object.keys(step.mapping).length === 0) problems.push(blocks(step.id, 'No field is filled yet.'));
  for (const field of fields) {
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
      ...fillingProblems(content, step, field, filling, isKnown).map((message) => ({
        ...blocks(step.id, message),
        field: path,
      })),
    );
    const standIn = standInProblem(field, filling);
    if (standIn) problems.push({ ...warns(step.id, standIn), field: path });
  }
  return problems;
}

/** What keeps a filling from giving a value at all, in sentences. */
function fillingProblems(
  content: WorkflowContent,
  step: PlacedStep,
  field: Field,
  filling: Filling,
  isKnown: (ref: Ref) => boolean,
): string[] {
  const inLines = filling.kind === 'lines' ? lookupsFor(content, filling.ref, step.id).map((one) => one.id) : [];
  const unknown = refsOf(filling).filter((ref) => !isKnown(ref) && !inLines.includes(ref.step));
  if (unknown.length > 0) return [`“${field.label}” is filled with a field that isn’t known here.`];
  if (filling.kind === 'formula') {
    const [issue] = formulaIssues(content, filling);
    return issue ? [`The formula of “${field.label}”: ${issue.message}`] : [];
  }
  const wrongId = idProblem(content, step, field, filling);
  if (wrongId) return [wrongId];
  return filling.kind === 'lines' ? lineProblems(content, step, field, filling) : [];
}

/** What was found in a formula, for as long as the fields it was checked against are the same. */
const issuesFound = new WeakMap<
  Formula,
  { readonly basis: readonly unknown[]; readonly issues: readonly FormulaIssue[] }
>();

/** A formula is checked again only when it or what its names stand for has changed: this is asked after every key. */
function formulaIssues(content: WorkflowContent, formula: Formula, list?: Ref): readonly FormulaIssue[] {
  const others = content.steps.filter((step) => Object.values(formula.refs).some((ref) => ref.step === step.id));
  const basis = [content.start.source, content.tables, list, ...others];
  const known = issuesFound.get(formula);
  if (known && known.basis.length === basis.length && basis.every((part, at) => part === known.basis[at]))
    return known.issues;
  const issues = lookForIssues(content, formula, list);
  issuesFound.set(formula, { basis, issues });
  return issues;
}

function lookForIssues(content: WorkflowContent, formula: Formula, list?: Ref): readonly FormulaIssue[] {
  const fieldOf = (ref: Ref): Field | undefined =>
    ref.step === lineId && list ? fieldAt(fieldOfRef(content, list)?.fields ?? [], ref.path) : fieldOfRef(content, ref);
  const names = Object.entries(formula.refs).map(([name, ref]) => ({
    name,
    type: splitAtList(ref.path) ? ('list' as const) : staticTypeOf(fieldOf(ref)),
  }));
  return checkFormula(
    formula.text,
    names,
    content.tables?.map((table) => table.name),
  ).issues;
}

function lineProblems(content: WorkflowContent, step: PlacedStep, list: Field, filling: LinesFilling): string[] {
  const items = fieldOfRef(content, filling.ref)?.fields ?? [];
  const isKnown = (ref: Ref): boolean => ref.step !== lineId || fieldAt(items, ref.path) !== undefined;
  const missing = (list.fields ?? []).filter((one) => one.required && !one.readOnly && !filling.mapping[one.path]);
  const problems = missing.map((one) => `“${list.label} · ${one.label}” is required and not filled.`);
  if (Object.keys(filling.mapping).length === 0) problems.push(`No field of “${list.label}” is filled yet.`);
  for (const [path, inner] of Object.entries(filling.mapping)) {
    const field = fieldAt(list.fields ?? [], path);
    if (!field) problems.push(`“${list.label} · ${path.slice(1)}” isn’t there any more.`);
    else if (innerRefs(inner).some((ref) => !isKnown(ref)))
      problems.push(`“${list.label} · ${field.label}” is filled with a field that the lines don’t have.`);
    else if (idProblem(content, step, field, inner, filling.ref))
      problems.push(idProblem(content, step, field, inner, filling.ref) as string);
    else if (inner.kind === 'formula') {
      const [issue] = formulaIssues(content, inner, filling.ref);
      if (issue) problems.push(`The formula of “${list.label} · ${field.label}”: ${issue.message}`);
    }
  }
  const [kept] = filling.keep ? formulaIssues(content, filling.keep, filling.ref) : [];
  if (kept) problems.push(`Which lines of “${list.label}” are kept: ${kept.message}`);
  return problems;
}

const innerRefs = (filling: Filling): Ref[] => (filling.kind === 'lines' ? [] : refsOf(filling));

function checkKey(step: WriteStep): ReadinessProblem[] {
  const described = step.target?.described;
  if (!described) return [];
  if (step.ladder) {
    if (!described.can.update)
      return [blocks(step.id, `Records can’t be changed in ${step.target?.labels.at(-1)}. Choose “append”.`)];
    return checkLadder(step, step.ladder, (path) => step.mapping[path] !== undefined);
  }
  if (!described.can.find || !described.can.update) {
    return [
      blocks(step.id, `Records can’t be looked up and changed in ${step.target?.labels.at(-1)}. Choose “append”.`),
    ];
  }
  if (step.key && described.findBy && !described.findBy.includes(step.key)) {
    return [{ ...blocks(step.id, 'The app can’t look a record up by this field. Choose another.'), field: step.key }];
  }
  if (!step.key) return [blocks(step.id, 'Choose the field that recognises a record that is there already.')];
  if (!step.mapping[step.key]) {
    return [{ ...blocks(step.id, 'The field that recognises a record must be filled.'), field: step.key }];
  }
  return [];
}

function checkWhole(content: WorkflowContent): ReadinessProblem[] {
  const writes = content.steps.filter((step) => step.kind === 'write' && !step.isOff);
  if (writes.length === 0) return [blocks(startId, 'Add a sentence that writes the records somewhere.')];
  const source = content.start.source;
  return writes.flatMap((step) => {
    const isSamePlace =
      step.kind === 'write' &&
      source &&
      step.target?.connection === source.connection &&
      step.target.path.join('/') === source.path.join('/');
    return isSamePlace ? [warns(step.id, 'This writes to the place the records come from.')] : [];
  });
}

const blocks = (sentence: string, message: string): ReadinessProblem => ({ sentence, severity: 'blocks', message });
const warns = (sentence: string, message: string): ReadinessProblem => ({ sentence, severity: 'warns', message });
