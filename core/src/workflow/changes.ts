import type { Filling } from '../mapping/filling.ts';
import { tidyLabel } from '../mapping/tidy.ts';
import { type Ladder, ruleText } from '../matching/lookup/ladder.ts';
import type { Locale } from '../values/coerce.ts';
import { fieldAt } from '../values/field.ts';
import { canonicalText, type Value } from '../values/value.ts';
import { type ConnectionNames, sentenceText, startSettings, writeBrief } from './brief.ts';
import { nameOfRef } from './references.ts';
import { type ComputeStep, isPlaced, type PlacedStep, type Step, type WorkflowContent } from './schema.ts';

/** One thing that is otherwise in a later version, as a sentence. */
export interface Change {
  readonly kind: 'added' | 'removed' | 'changed';
  readonly text: string;
}

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
  changes.push(...startChanges(before, after, names));
  for (const step of before.steps) {
    if (!after.steps.some((one) => one.id === step.id)) changes.push({ kind: 'removed', text: was.get(step.id) ?? '' });
  }
  for (const step of after.steps) {
    const old = before.steps.find((one) => one.id === step.id);
    const text = is.get(step.id) ?? '';
    if (!old) {
      changes.push({ kind: 'added', text });
      continue;
    }
    if (was.get(step.id) !== text) changes.push(changed(`“${was.get(step.id)}” is now “${text}”`));
    if (Boolean(old.isOff) !== Boolean(step.isOff))
      changes.push(changed(`“${text}” is switched ${step.isOff ? 'off' : 'on'}.`));
    if (isPlaced(old) && isPlaced(step)) changes.push(...mappingChanges(before, old, after, step, locale));
    if (old.kind === 'compute' && step.kind === 'compute') changes.push(...computeChanges(old, step));
  }
  if (isMoved(before, after)) changes.push(changed('The sentences stand in another order.'));
  changes.push(...quietChanges(before, after));
  return changes;
}

const changed = (text: string): Change => ({ kind: 'changed', text });

/** Each setting of the start that is another now. */
function startChanges(before: WorkflowContent, after: WorkflowContent, names: ConnectionNames): Change[] {
  const [was, is] = [startSettings(before.start, names), startSettings(after.start, names)];
  const count = Math.max(was.length, is.length);
  return Array.from({ length: count }, (_, at) => [was[at] ?? '', is[at] ?? ''] as const).flatMap(([old, now]) => {
    if (old === now) return [];
    if (old === '') return [{ kind: 'added' as const, text: `The start: “${now}”.` }];
    if (now === '') return [{ kind: 'removed' as const, text: `The start: “${old}”.` }];
    return [changed(`The start: “${old}” is now “${now}”.`)];
  });
}

function briefOf(content: WorkflowContent, names: ConnectionNames): Map<string, string> {
  return new Map(writeBrief(content, names).map((sentence) => [sentence.id, sentenceText(sentence)]));
}

function mappingChanges(
  before: WorkflowContent,
  old: PlacedStep,
  after: WorkflowContent,
  step: PlacedStep,
  locale: Locale,
): Change[] {
  const label = (path: string): string =>
    fieldAt(step.target?.described.fields ?? [], path)?.label ??
    fieldAt(old.target?.described.fields ?? [], path)?.label ??
    path.slice(1);
  return [...new Set([...Object.keys(old.mapping), ...Object.keys(step.mapping)])].flatMap((path): Change[] => {
    const [was, is] = [old.mapping[path], step.mapping[path]];
    if (was && is && canonicalText(was as Value) === canonicalText(is as Value)) return [];
    if (!was && is)
      return [{ kind: 'added', text: `“${label(path)}” is filled with ${fillingText(after, is, locale)}.` }];
    if (was && !is) return [{ kind: 'removed', text: `“${label(path)}” is not filled any more.` }];
    if (!was || !is) return [];
    const text = `“${label(path)}” was filled with ${fillingText(before, was, locale)}, now with ${fillingText(after, is, locale)}.`;
    return [changed(text)];
  });
}

/** Values that are worked out otherwise. */
function computeChanges(old: ComputeStep, step: ComputeStep): Change[] {
  return step.values.flatMap((value) => {
    const was = old.values.find((one) => one.name === value.name);
    return was && was.text !== value.text
      ? [changed(`“${value.name}” was worked out as ${was.text}, now as ${value.text}.`)]
      : [];
  });
}

/** A filling in words: `first name + last name, squeeze spaces`. */
export function fillingText(content: WorkflowContent, filling: Filling, locale: Locale): string {
  if (filling.kind === 'choice' || filling.kind === 'fixed') return `“${filling.value}”`;
  if (filling.kind === 'formula') return `the formula ${filling.text.replace(/^=/, '')}`;
  if (filling.kind === 'options') return `${nameOfRef(content, filling.ref)} by a table of ${filling.table.length}`;
  if (filling.kind === 'lines')
    return `a line for each of ${nameOfRef(content, filling.ref)}, ${Object.keys(filling.mapping).length} fields each`;
  const parts =
    filling.kind === 'field'
      ? [nameOfRef(content, filling.ref)]
      : filling.parts.map((part) => (part.kind === 'field' ? nameOfRef(content, part.ref) : `“${part.text}”`));
  const tidies = filling.tidies.map((tidy) => tidyLabel(tidy, locale));
  return [parts.join(' + '), ...tidies].join(', ');
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
    changes.push(changed(`A record is recognised by ${after.start.identity?.slice(1) ?? 'its id'} now.`));
  if ((before.zone ?? '') !== (after.zone ?? ''))
    changes.push(changed(`The time zone is ${after.zone ?? 'the workspace’s'} now.`));
  changes.push(
    ...after.steps.flatMap((step) =>
      matchChanges(
        before.steps.find((one) => one.id === step.id),
        step,
      ),
    ),
  );
  const places = (content: WorkflowContent): string =>
    content.steps.flatMap((step) => (isPlaced(step) ? [canonicalFields(step)] : [])).join('\n');
  if (places(before) !== places(after)) changes.push(changed('The fields of a destination were taken anew.'));
  return changes;
}

/** How records are recognised and overwritten, as far as the brief doesn't show it. */
function matchChanges(old: Step | undefined, step: Step): Change[] {
  if (!old || !isPlaced(old) || !isPlaced(step)) return [];
  const name = step.name ?? step.target?.described.plural ?? 'records';
  const changes: Change[] = [];
  const same = (one: unknown, other: unknown): boolean =>
    canonicalText((one ?? null) as Value) === canonicalText((other ?? null) as Value);
  const [was, is] = [ladderIn(old), ladderIn(step)];
  const rules = (ladder: Ladder | undefined): string[] => (ladder?.rules ?? []).map(ruleText);
  for (const rule of rules(is))
    if (!rules(was).includes(rule)) changes.push({ kind: 'added', text: `A rule for ${name}: ${rule}.` });
  for (const rule of rules(was))
    if (!rules(is).includes(rule)) changes.push({ kind: 'removed', text: `A rule for ${name}: ${rule}.` });
  if (was && is && (!same(was.rungs, is.rungs) || !same(was.remembers, is.remembers) || was.atUnclear !== is.atUnclear))
    changes.push(changed(`How ${name} are recognised has changed.`));
  const policies = (one: PlacedStep): unknown => (one.kind === 'write' ? one.policies : undefined);
  if (!same(policies(old), policies(step)))
    changes.push(changed(`Which fields of ${name} are overwritten has changed.`));
  return changes;
}

const ladderIn = (step: PlacedStep): Ladder | undefined => step.ladder;

const canonicalFields = (step: PlacedStep): string =>
  `${step.id} ${(step.target?.described.fields ?? []).map((field) => field.path).join(',')}`;

/** The workflow as it counts for running: without the marks on what was only proposed. */
export function withoutMarks(content: WorkflowContent): WorkflowContent {
  return {
    ...content,
    steps: content.steps.map((step) => {
      if (step.kind !== 'write') return step;
      const { suggested: _suggested, ...rest } = step;
      return rest;
    }),
  };
}
