import { nameLikeness } from '../mapping/concepts.ts';
import type { Ref } from '../mapping/filling.ts';
import { definitionOf } from '../steps/registry.ts';
import { isPlaced } from '../steps/schemas.ts';
import { type Field, fieldAt, type RecordType } from '../values/field.ts';
import { splitAtList } from '../values/paths.ts';
import { startId } from './references.ts';
import type { WorkflowContent } from './schema.ts';

/** A field that isn't there as it was, with what it takes along. */
export interface GoneField {
  readonly path: string;
  readonly label: string;
  /** What in the workflow rests on it, in a few words each. */
  readonly affects: readonly string[];
  /** The field that is likely the same one under another name. */
  readonly proposal?: { readonly path: string; readonly label: string; readonly why: string };
}

/** How a place differs from what a workflow was built on. */
export interface Drift {
  /** The sentence whose place it is: `start` or a write's id. */
  readonly sentence: string;
  readonly gone: readonly GoneField[];
  /** Options that the workflow uses and that are no more. */
  readonly optionsGone: readonly { readonly label: string; readonly options: readonly string[] }[];
  readonly retyped: readonly { readonly label: string; readonly from: string; readonly to: string }[];
  readonly newlyRequired: readonly string[];
  readonly added: readonly Field[];
  /** True when something that the workflow uses is gone: nothing may be written until a person has looked. */
  readonly isStopping: boolean;
}

type Uses = Map<string, string[]>;

/** The fields of a sentence's place that the workflow rests on, each with what rests on it. */
function usesOf(content: WorkflowContent, sentence: string): Uses {
  const uses: Uses = new Map();
  const add = (path: string, what: string): void => {
    // A field of a list's items rests on the list.
    const at = splitAtList(path)?.list ?? path;
    const known = uses.get(at) ?? [];
    if (!known.includes(what)) uses.set(at, [...known, what]);
  };
  for (const step of content.steps) {
    if (step.isOff) continue;
    for (const { path, what } of definitionOf(step).uses(step, sentence)) add(path, what);
  }
  if (sentence !== startId) return uses;
  const { identity, becomes, on, once } = content.start;
  if (identity) add(identity, 'what identifies a record');
  if (once !== undefined) add(once, 'whom a record is about');
  if (on === 'becomes' && becomes) add(becomes.path, 'what starts it');
  return uses;
}

/**
 * What has changed in a place since the workflow was built on it. Only what the workflow uses stops
 * it; a field that came to be is told, with what it likely was called before.
 */
export function driftOf(content: WorkflowContent, sentence: string, before: RecordType, now: RecordType): Drift {
  const uses = usesOf(content, sentence);
  const added = now.fields.filter((field) => !fieldAt(before.fields, field.path));
  const open = [...added];
  const gone = before.fields.flatMap((field, at): GoneField[] => {
    if (field.mayLack || fieldAt(now.fields, field.path)) return [];
    const affects = uses.get(field.path);
    const heir = likelyHeir(field, at, open, now);
    if (heir) open.splice(open.indexOf(heir.field), 1);
    if (!affects) return [];
    const proposal = heir && { path: heir.field.path, label: heir.field.label, why: heir.why };
    return [{ path: field.path, label: field.label, affects, ...(proposal && { proposal }) }];
  });
  const kept = before.fields.flatMap((field) => {
    const there = fieldAt(now.fields, field.path);
    return there && uses.has(field.path) ? [{ field, there }] : [];
  });
  const optionsGone = kept.flatMap(({ field, there }) => {
    const options = optionsUsed(content, sentence, field.path).filter(
      (option) => there.options && !there.options.some((one) => one.value === option),
    );
    return options.length > 0 ? [{ label: field.label, options }] : [];
  });
  const retyped = kept
    .filter(({ field, there }) => isRetyped(field, there))
    .map(({ field, there }) => ({ label: field.label, from: field.type, to: there.type }));
  const step = content.steps.find((one) => one.id === sentence);
  const filled = step && isPlaced(step) ? step.mapping : {};
  const newlyRequired =
    step?.kind === 'write' || step?.kind === 'hand_over'
      ? now.fields
          .filter((one) => one.required && !one.readOnly && !filled[one.path])
          // What was required all along is no change of the place: the draft just isn't finished.
          .filter((one) => !fieldAt(before.fields, one.path)?.required)
          .map((one) => one.label)
      : [];
  const isStopping = gone.length > 0 || optionsGone.length > 0 || newlyRequired.length > 0;
  return { sentence, gone, optionsGone, retyped, newlyRequired, added, isStopping };
}

/** A column learnt from its values may come out otherwise as they change; only the app's own word counts. */
function isRetyped(before: Field, now: Field): boolean {
  const loose = new Set(['any', 'text', 'integer', 'decimal']);
  return before.type !== now.type && !(loose.has(before.type) && loose.has(now.type));
}

function optionsUsed(content: WorkflowContent, sentence: string, path: string): string[] {
  return content.steps.flatMap((step) => {
    if (!isPlaced(step) || step.id !== sentence) return [];
    const filling = step.mapping[path];
    if (filling?.kind === 'options') return filling.table.map((row) => row.to).filter((to) => to !== '');
    return filling?.kind === 'choice' ? [filling.value] : [];
  });
}

/** The new field that is likely an old one: alike by name, or standing where it stood with the same type. */
function likelyHeir(
  field: Field,
  at: number,
  open: readonly Field[],
  now: RecordType,
): { readonly field: Field; readonly why: string } | undefined {
  const scored = open.map((one) => {
    const likeness = nameLikeness(field.label, one.label);
    const isInPlace = now.fields.indexOf(one) === at;
    const isSameType = one.type === field.type;
    const why =
      likeness >= 0.5 ? (isInPlace ? 'alike by name, in the same place' : 'alike by name') : 'in the same place';
    return { field: one, why, score: likeness + (isInPlace ? 0.6 : 0) + (isSameType ? 0.1 : 0) };
  });
  const [best, second] = scored.sort((one, other) => other.score - one.score);
  if (!best || best.score < 0.55) return undefined;
  return second && best.score - second.score < 0.05 ? undefined : best;
}

/** The sentence a person reads when drift stops a place: what is gone, and what it is likely called now. */
export function driftSentence(drift: Drift, place: string): string {
  const parts = drift.gone.map(({ label, proposal }) =>
    proposal ? `“${label}” is likely “${proposal.label}” now` : `“${label}” isn’t there any more`,
  );
  parts.push(
    ...drift.optionsGone.map(
      ({ label, options }) => `“${label}” has no option ${options.map(quoted).join(', ')} any more`,
    ),
    ...drift.newlyRequired.map((label) => `“${label}” is required now and not filled`),
  );
  return `${place} has changed: ${parts.join('; ')}. Nothing was written. Look at the mapping again.`;
}

const quoted = (text: string): string => `“${text}”`;

/** Renames of a place's fields, by the old path. */
export type Renames = Readonly<Record<string, string>>;

/**
 * The workflow with a place's fields as they are now, and everything that rested on a renamed field
 * resting on its new name. What isn't renamed stays as it is, and its problems show.
 */
export function takeFields(
  content: WorkflowContent,
  sentence: string,
  now: RecordType,
  renames: Renames,
): WorkflowContent {
  const to = (path: string): string => renames[path] ?? path;
  const ref = (one: Ref): Ref => (one.step === sentence ? { ...one, path: to(one.path) } : one);
  const how = { sentence, described: now, path: to, ref };
  const steps = content.steps.map((step) => definitionOf(step).renamed(step, how));
  if (sentence !== startId || !content.start.source) return { ...content, steps };
  const { identity, becomes, fields, source, once } = content.start;
  const start = {
    ...content.start,
    source: { ...source, described: now },
    ...(identity && { identity: to(identity) }),
    ...(once !== undefined && { once: to(once) }),
    ...(becomes && { becomes: { ...becomes, path: to(becomes.path) } }),
    ...(fields && { fields: fields.map(to) }),
  };
  return { ...content, start, steps };
}
