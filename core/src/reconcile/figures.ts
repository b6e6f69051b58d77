import type { Reconciled, RecordGroup } from './reconciler.ts';

/** How many records of each side came to what. Of the two sides, agree and differ are the same. */
export interface ReconcileFigures {
  readonly left: number;
  readonly right: number;
  readonly agree: number;
  readonly differ: number;
  readonly onlyLeft: number;
  readonly onlyRight: number;
  /** Groups of records that are there more than once, and how many records of each side are in them. */
  readonly doubled: number;
  readonly doubledLeft: number;
  readonly doubledRight: number;
  /** Records that are probably one and the same, but a person has to say which; groups, and records of each side. */
  readonly unclear: number;
  readonly unclearLeft: number;
  readonly unclearRight: number;
}

const count = (groups: readonly RecordGroup[], side: keyof RecordGroup): number =>
  groups.reduce((sum, group) => sum + group[side].length, 0);

/** The figures of what was found. */
export function figuresOf(found: Reconciled): ReconcileFigures {
  return {
    left: found.left,
    right: found.right,
    agree: found.agree.length,
    differ: found.differ.length,
    onlyLeft: found.onlyLeft.length,
    onlyRight: found.onlyRight.length,
    doubled: found.doubled.length,
    doubledLeft: count(found.doubled, 'left'),
    doubledRight: count(found.doubled, 'right'),
    unclear: found.unclear.length,
    unclearLeft: count(found.unclear, 'left'),
    unclearRight: count(found.unclear, 'right'),
  };
}

/** Whether each record of both sides is accounted for exactly once. */
export function addsUp(figures: ReconcileFigures): boolean {
  const { left, right, agree, differ } = figures;
  return (
    left === agree + differ + figures.onlyLeft + figures.doubledLeft + figures.unclearLeft &&
    right === agree + differ + figures.onlyRight + figures.doubledRight + figures.unclearRight
  );
}
