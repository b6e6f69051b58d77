import type { Filling } from '../mapping/filling.ts';
import { fillingWords } from '../mapping/filling-text.ts';
import { definitionOf } from '../steps/registry.ts';
import { isPlaced, type PlacedStep } from '../steps/schemas.ts';
import type { Locale } from '../values/coerce.ts';
import { sentenceText, startSettings, writeBrief } from './brief.ts';
import { added, type Change, changed, removed } from './change.ts';
import type { ConnectionNames } from './phrase.ts';
import { aroundWorkflow, nameOfRef } from './references.ts';
import type { WorkflowContent } from './schema.ts';

/** What changed from one version to the next, in sentences; none when they do the same. */
export function describeChanges(
  before: WorkflowContent,
  after: WorkflowContent,
  names: ConnectionNames,
  locale: Locale,
): Change[] {
  const changes: Change[] = [];
  if (before.name !== after.name) changes.push(changed(`Renamed from “${before.name}” to “${after.name}”.`));
  const [was, is] = [briefOf(before, names), briefOf(after, names)];
  const around = { before: aroundWorkflow(before), after: aroundWorkflow(after) };
  changes.push(...startChanges(before, after, names));
  for (const step of before.steps) {
    if (!after.steps.some((one) => one.id === step.id)) changes.push(removed(was.get(step.id) ?? ''));
  }
  for (const step of after.steps) {
    const old = before.steps.find((one) => one.id === step.id);
    const text = is.get(step.id) ?? '';
    if (!old) {
      changes.push(added(text));
      continue;
    }
    if (was.get(step.id) !== text) changes.push(changed(`“${was.get(step.id)}” is now “${text}”`));
    if (Boolean(old.isOff) !== Boolean(step.isOff))
      changes.push(changed(`“${text}” is switched ${step.isOff ? 'off' : 'on'}.`));
    if (old.kind === step.kind) changes.push(...definitionOf(step).changes(old, step, around, locale));
  }
  if (isMoved(before, after)) changes.push(changed('The order of the steps has changed.'));
  changes.push(...quietChanges(before, after));
  return changes;
}

/** Each setting of the start that is another now. */
function startChanges(before: WorkflowContent, after: WorkflowContent, names: ConnectionNames): Change[] {
  const [was, is] = [startSettings(before.start, names), startSettings(after.start, names)];
  const count = Math.max(was.length, is.length);
  return Array.from({ length: count }, (_, at) => [was[at] ?? '', is[at] ?? ''] as const).flatMap(([old, now]) => {
    if (old === now) return [];
    if (old === '') return [added(`The start: “${now}”.`)];
    if (now === '') return [removed(`The start: “${old}”.`)];
    return [changed(`The start: “${old}” is now “${now}”.`)];
  });
}

function briefOf(content: WorkflowContent, names: ConnectionNames): Map<string, string> {
  return new Map(writeBrief(content, names).map((sentence) => [sentence.id, sentenceText(sentence)]));
}

/** A filling in words: `first name + last name, single spaces`. */
export function fillingText(content: WorkflowContent, filling: Filling, locale: Locale): string {
  return fillingWords((ref) => nameOfRef(content, ref), filling, locale);
}

function isMoved(before: WorkflowContent, after: WorkflowContent): boolean {
  const order = (content: WorkflowContent, other: WorkflowContent): string =>
    content.steps
      .map((step) => step.id)
      .filter((id) => other.steps.some((step) => step.id === id))
      .join('\n');
  return order(before, after) !== order(after, before);
}

/** What no sentence of the brief shows. */
function quietChanges(before: WorkflowContent, after: WorkflowContent): Change[] {
  const changes: Change[] = [];
  const list = (fields: readonly string[] | undefined): string =>
    fields ? fields.map((path) => path.slice(1)).join(', ') : 'all of them';
  if (list(before.start.fields) !== list(after.start.fields))
    changes.push(
      changed(`The fields to fetch were ${list(before.start.fields)}, and are ${list(after.start.fields)}.`),
    );
  if ((before.start.identity ?? '') !== (after.start.identity ?? ''))
    changes.push(changed(`Records are now recognised by ${after.start.identity?.slice(1) ?? 'their id'}.`));
  if ((before.zone ?? '') !== (after.zone ?? ''))
    changes.push(changed(`The time zone is ${after.zone ?? 'the workspace’s'} now.`));
  const places = (content: WorkflowContent): string =>
    content.steps.flatMap((step) => (isPlaced(step) ? [canonicalFields(step)] : [])).join('\n');
  if (places(before) !== places(after)) changes.push(changed('The fields of a destination were read again.'));
  return changes;
}

const canonicalFields = (step: PlacedStep): string =>
  `${step.id} ${(step.target?.described.fields ?? []).map((field) => field.path).join(',')}`;

/** The workflow as it counts for running: without the marks on what was only proposed. */
export function withoutMarks(content: WorkflowContent): WorkflowContent {
  return {
    ...content,
    steps: content.steps.map((step) => definitionOf(step).withoutMarks?.(step) ?? step),
  };
}
