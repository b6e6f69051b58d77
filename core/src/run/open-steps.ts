import { isOpen, type StepResult } from '../steps/results.ts';

type Results = Readonly<Record<string, StepResult>>;

/** Which of an item's steps are open, by its results, which never change: with a thousand turns they aren't all looked at for each step. */
const known = new WeakMap<Results, readonly string[]>();

/** The steps that have to be done again once what keeps them is out of the way, in the order they were come to. */
export function openIn(results: Results): readonly string[] {
  const open = known.get(results) ?? Object.keys(results).filter((id) => isOpen(results[id]));
  known.set(results, open);
  return open;
}

/** An item's results with one more, or with another one in its place. */
export function withStep(results: Results, id: string, result: StepResult): Results {
  const all = { ...results, [id]: result };
  const open = known.get(results);
  if (open && !Object.hasOwn(results, id)) known.set(all, isOpen(result) ? [...open, id] : open);
  return all;
}
