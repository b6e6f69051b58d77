import { definitionOf } from '../steps/registry.ts';
import type { Step } from '../steps/schemas.ts';
import { isSameJson } from '../values/value.ts';
import type { WorkflowContent } from './schema.ts';

/** Two drafts as one, or where both changed the same thing. */
export type Merged =
  | { readonly ok: true; readonly content: WorkflowContent }
  | { readonly ok: false; readonly clashes: readonly string[] };

type Bag = Readonly<Record<string, unknown>>;

/**
 * Joins two drafts that were made from the same one: what only one of them changed is taken. Fields
 * of a mapping, sentences and settings are told apart; both changing one of them is a clash, and
 * nothing is joined then.
 */
export function mergeDrafts(base: WorkflowContent, mine: WorkflowContent, theirs: WorkflowContent): Merged {
  const clashes: string[] = [];
  const { start: _s, steps: _t, ...baseHead } = base;
  const { start: _s2, steps: _t2, ...mineHead } = mine;
  const { start: _s3, steps: _t3, ...theirHead } = theirs;
  const head = mergeBags(baseHead, mineHead, theirHead, 'the workflow', clashes);
  const start = mergeBags(base.start, mine.start, theirs.start, 'the start', clashes);
  const steps = mergeSteps(base.steps, mine.steps, theirs.steps, clashes);
  if (clashes.length > 0) return { ok: false, clashes };
  return { ok: true, content: { ...head, start, steps } as unknown as WorkflowContent };
}

function mergeBags(base: Bag, mine: Bag, theirs: Bag, where: string, clashes: string[]): Record<string, unknown> {
  const merged: Record<string, unknown> = {};
  for (const name of new Set([...Object.keys(mine), ...Object.keys(theirs)])) {
    const value = pick(base[name], mine[name], theirs[name], `${where}: ${name}`, clashes);
    if (value !== undefined) merged[name] = value;
  }
  return merged;
}

function pick(base: unknown, mine: unknown, theirs: unknown, where: string, clashes: string[]): unknown {
  if (isSameJson(mine, theirs) || isSameJson(theirs, base)) return mine;
  if (isSameJson(mine, base)) return theirs;
  clashes.push(where);
  return mine;
}

function mergeSteps(
  base: readonly Step[],
  mine: readonly Step[],
  theirs: readonly Step[],
  clashes: string[],
): readonly Step[] {
  const at = (steps: readonly Step[], id: string): Step | undefined => steps.find((step) => step.id === id);
  const order = mergeOrder(base, mine, theirs, clashes);
  return order.flatMap((id) => {
    const [was, ours, other] = [at(base, id), at(mine, id), at(theirs, id)];
    if (!ours || !other) {
      const left = ours ?? other;
      if (!left) return [];
      if (!was) return [left];
      // Taken away by one and changed by the other.
      if (!isSameJson(left, was)) clashes.push(`the step “${id}”`);
      return [];
    }
    return [mergeStep(was, ours, other, clashes)];
  });
}

function mergeStep(base: Step | undefined, mine: Step, theirs: Step, clashes: string[]): Step {
  const where = `the step “${mine.id}”`;
  const joined: readonly string[] = definitionOf(mine).joined ?? [];
  const isOneKind = mine.kind === theirs.kind && mine.kind === base?.kind;
  if (joined.length === 0 || !isOneKind) return pick(base, mine, theirs, where, clashes) as Step;
  const [was, ours, others] = [base, mine, theirs].map((step) => step as unknown as Bag) as [Bag, Bag, Bag];
  const rest = mergeBags(without(was, joined), without(ours, joined), without(others, joined), where, clashes);
  for (const name of joined) {
    const [one, two, three] = [was, ours, others].map((bag) => (bag[name] ?? {}) as Bag) as [Bag, Bag, Bag];
    const entries = mergeBags(one, two, three, where, clashes);
    if (Object.keys(entries).length > 0 || ours[name] !== undefined) rest[name] = entries;
  }
  return rest as unknown as Step;
}

const without = (bag: Bag, names: readonly string[]): Bag =>
  Object.fromEntries(Object.entries(bag).filter(([name]) => !names.includes(name)));

/** The order of one of them when the other kept the old one; new sentences come in where they stood. */
function mergeOrder(
  base: readonly Step[],
  mine: readonly Step[],
  theirs: readonly Step[],
  clashes: string[],
): string[] {
  const ids = (steps: readonly Step[]): string[] => steps.map((step) => step.id);
  const [was, ours, others] = [ids(base), ids(mine), ids(theirs)];
  const shared = (list: string[]): string[] =>
    list.filter((id) => was.includes(id) && ours.includes(id) && others.includes(id));
  const mineMoved = !isSameJson(shared(ours), shared(was));
  const theirsMoved = !isSameJson(shared(others), shared(was));
  if (mineMoved && theirsMoved && !isSameJson(shared(ours), shared(others))) clashes.push('the order of the steps');
  const [main, other] = theirsMoved ? [others, ours] : [ours, others];
  const order = [...main];
  other.forEach((id, at) => {
    if (order.includes(id)) return;
    const before = other.slice(0, at).findLast((one) => order.includes(one));
    order.splice(before === undefined ? 0 : order.indexOf(before) + 1, 0, id);
  });
  return order;
}
