import type { Step } from '../steps/schemas.ts';
import { endingsIn } from '../steps/wait/definition.ts';
import type { WorkflowContent, WorkflowVersion } from '../workflow/schema.ts';
import { advance } from './advance.ts';
import { type LaidOutStep, layOut } from './lay-out.ts';
import type { ItemState } from './state.ts';

/** What becomes of a record that waits, where another version of its workflow is to go on with it. */
export type TakenOver =
  /** Nothing that it rests on has changed: it goes on with the other version, as long as it would have waited. */
  | { readonly kind: 'goes_on' }
  /** So too, but how long it waits has changed; `until` is when it goes on then, absent where that has passed by now. */
  | { readonly kind: 'waits_anew'; readonly until?: string }
  /** It stays on the version that it began with. */
  | { readonly kind: 'stays'; readonly why: string };

/**
 * Whether another version can go on with a record that waits. It rests on where it came from and on every step up to its
 * wait: what was done by those stands as it is. The wait itself and all that comes after it may be others.
 *
 * @param now - the instant at which it is taken over, ISO 8601
 */
export function takenOver(from: WorkflowContent, to: WorkflowVersion, state: ItemState, now: string): TakenOver {
  const why = restsOnOther(from, to.content, state);
  if (why !== undefined) return { kind: 'stays', why };
  const [before, after] = [from, to.content].map((content) => waitsUpTo(content, state));
  // What a person sees is what their yes is bound to: it stays as they were asked it.
  if (placeOf(from, state).step.kind === 'ask') return { kind: 'stays', why: 'Somebody is being asked about it.' };
  if (JSON.stringify(before) === JSON.stringify(after)) return { kind: 'goes_on' };
  const anew = advance(to, state, { kind: 'woken', by: { kind: 'time' }, at: now });
  if (anew.park) return { kind: 'waits_anew', ...(anew.park.until !== undefined && { until: anew.park.until }) };
  const { id } = placeOf(to.content, state);
  const result = anew.state.steps[id];
  return result?.kind === 'unsettled' ? { kind: 'stays', why: result.message } : { kind: 'waits_anew' };
}

/** What a record rests on that is otherwise in another version; undefined where nothing is. */
function restsOnOther(from: WorkflowContent, to: WorkflowContent, state: ItemState): string | undefined {
  if (JSON.stringify(comesFrom(from)) !== JSON.stringify(comesFrom(to)))
    return 'Where its records come from has changed.';
  if (from.zone !== to.zone) return 'The time zone has changed.';
  // A table that is looked up in by what was done: what came of it isn't worked out again.
  if (from.tables?.some((table) => !sameTable(table, to))) return 'A table that values are looked up in has changed.';
  const before = layOut(from, state.values).slice(0, state.at + 1);
  const after = layOut(to, state.values).slice(0, state.at + 1);
  for (const [at, { id, step }] of before.entries()) {
    const there = after[at];
    if (there?.id !== id || there.step.kind !== step.kind)
      return to.steps.some((one) => one.id === step.id)
        ? 'The order of the steps before its wait has changed.'
        : at === state.at
          ? 'The wait that it is at was removed.'
          : 'A step before its wait was removed.';
    if (at < state.at && whatItDoes(there.step) !== whatItDoes(step)) return 'A step before its wait has changed.';
  }
  return undefined;
}

const placeOf = (content: WorkflowContent, state: ItemState): LaidOutStep =>
  layOut(content, state.values)[state.at] as LaidOutStep;

/** What says whose record it is and what counts as one. */
const comesFrom = ({ start: { source, on, becomes, identity, once, readings } }: WorkflowContent): unknown[] => [
  source?.connection,
  source?.path,
  on,
  becomes,
  identity,
  once,
  readings,
];

const sameTable = (
  { name, rows }: NonNullable<WorkflowContent['tables']>[number],
  { tables = [] }: WorkflowContent,
): boolean => JSON.stringify(tables.find((one) => one.name === name)?.rows) === JSON.stringify(rows);

/** A step without what it is called, and without how its place describes itself. A wait that is over counts by nothing but that it was there. */
function whatItDoes(step: Step): string {
  const { name: _name, note: _note, ...rest } = step;
  if (step.kind === 'wait') return JSON.stringify({ isOff: step.isOff === true });
  if (!('target' in rest) || !rest.target) return JSON.stringify(rest);
  const { described: _described, labels: _labels, ...target } = rest.target;
  return JSON.stringify({ ...rest, target });
}

/** What decides how long a record waits where it is: its wait, and what ends it that is said at the waits before. */
function waitsUpTo(content: WorkflowContent, state: ItemState): unknown {
  const { step } = placeOf(content, state);
  const upTo: readonly Step[] = content.steps.slice(0, content.steps.indexOf(step) + 1);
  const { name: _name, note: _note, ...wait } = step;
  return [wait, endingsIn(upTo)];
}
