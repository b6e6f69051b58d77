import { triggerDefinition } from '../starts/registry.ts';
import { definitionOf } from '../steps/registry.ts';
import { isPlaced } from '../steps/schemas.ts';
import { fieldAt } from '../values/field.ts';
import { blocks, type ReadinessProblem, warns } from './problem.ts';
import { aroundStep, startId } from './references.ts';
import type { WorkflowContent } from './schema.ts';

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
      return definitionOf(step).problems(step, aroundStep(content, step.id));
    }),
    ...checkWhole(content),
  ];
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
      blocks(startId, `Choose the field that identifies each ${described.singular}: this place gives no ids.`),
    );
  }
  if (start.identity && !fieldAt(described.fields, start.identity)) {
    problems.push(blocks(startId, 'The field that identifies the records isn’t there any more. Choose another.'));
  }
  const { trigger } = start;
  problems.push(
    ...triggerDefinition(trigger)
      .problems(trigger)
      .map((message) => blocks(startId, message)),
  );
  problems.push(...checkEvent(start));
  if (start.fromWhen.kind === 'since' && Number.isNaN(Date.parse(start.fromWhen.at))) {
    problems.push(blocks(startId, 'Choose the date to start from.'));
  }
  if (start.fromWhen.kind === 'since' && !described.created && !described.updated) {
    problems.push(
      blocks(startId, 'This place keeps no dates, so a date can’t be chosen. Choose “from now on” or “everything”.'),
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
      problems.push(blocks(startId, 'Choose the value that the field must get.'));
  }
  if (start.once !== undefined && !fieldAt(fields, start.once))
    problems.push(
      blocks(startId, 'The field that says who goes through it once isn’t there any more. Choose another.'),
    );
  if (start.on === 'removed' && start.fromWhen.kind !== 'now') {
    problems.push(blocks(startId, 'What was removed earlier can’t be listed. Choose “from now on”.'));
  }
  if (start.also?.kind === 'some' && start.also.places.length === 0)
    problems.push(warns(startId, 'No other place is chosen yet.'));
  const picked = start.fields;
  if (picked) {
    const kept = [start.identity, start.becomes?.path, start.once].filter(
      (path) => path !== undefined && !picked.includes(path),
    );
    if (kept.length > 0)
      problems.push(blocks(startId, 'The fields to fetch must include the one that the start needs.'));
  }
  return problems;
}

/** Whether a person is told of every record: a lookup that asks about each match needs no write to be of use. */
export const asksPerson = ({ steps }: Pick<WorkflowContent, 'steps'>): boolean =>
  steps.some(
    (step) =>
      step.kind === 'lookup' &&
      !step.isOff &&
      step.ladder.rungs.length > 0 &&
      step.ladder.rungs.every((rung) => rung.isAsked),
  );

function checkWhole(content: WorkflowContent): ReadinessProblem[] {
  const delivering = content.steps.filter((step) => definitionOf(step).delivers && !step.isOff);
  if (delivering.length === 0 && !asksPerson(content))
    return [blocks(startId, 'Add a step that writes the records somewhere.')];
  const source = content.start.source;
  return delivering.flatMap((step) => {
    const isSamePlace =
      isPlaced(step) &&
      source &&
      step.target?.connection === source.connection &&
      step.target.path.join('/') === source.path.join('/');
    // What puts a record away has to do so where it came from.
    if (step.kind === 'write' && step.afterAll)
      return isSamePlace
        ? []
        : [
            blocks(
              step.id,
              'The records come from another place now. Choose anew, at the start, what becomes of them afterwards.',
            ),
          ];
    // What is brought back belongs there.
    const isMeant = step.id === content.inStep?.back;
    return isSamePlace && !isMeant ? [warns(step.id, 'This writes to the place the records come from.')] : [];
  });
}
