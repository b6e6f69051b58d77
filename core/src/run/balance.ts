import { type ItemStateName, itemStates } from './outcome.ts';

/** The line that must add up, for a run, a rehearsal, or a workflow over a period. */
export interface Balance {
  /** Records the source gave for the time and conditions of the start. */
  readonly inSource: number;
  /** Of these, what was known already and is not sent. */
  readonly notedEarlier: number;
  /** Of these, what became items. */
  readonly takenIn: number;
  /** The items by where they stand now. */
  readonly items: Readonly<Record<ItemStateName, number>>;
}

/** No records at all. */
export const emptyBalance: Balance = {
  inSource: 0,
  notedEarlier: 0,
  takenIn: 0,
  items: Object.fromEntries(itemStates.map((name) => [name, 0])) as Record<ItemStateName, number>,
};

/** A balance with these counts of items; states that aren't named count zero. */
export function balanceOf(
  counts: { readonly inSource: number; readonly notedEarlier: number; readonly takenIn: number },
  items: Partial<Record<ItemStateName, number>>,
): Balance {
  return { ...counts, items: { ...emptyBalance.items, ...items } };
}

/**
 * Where a balance doesn't add up, in sentences; none when the books balance:
 * in the source = noted earlier + taken in, and taken in = the sum of the items by state.
 */
export function checkBalance(balance: Balance): string[] {
  const problems: string[] = [];
  const { inSource, notedEarlier, takenIn } = balance;
  if (inSource !== notedEarlier + takenIn) {
    problems.push(`${inSource} in the source, but ${notedEarlier} already known and ${takenIn} taken in.`);
  }
  const sum = itemStates.reduce((total, name) => total + balance.items[name], 0);
  if (takenIn !== sum) problems.push(`${takenIn} taken in, but ${sum} accounted for.`);
  return problems;
}

/** True when both lines add up. */
export function isBalanced(balance: Balance): boolean {
  return checkBalance(balance).length === 0;
}

/** Two balances as one, such as the runs of a day. */
export function addBalances(one: Balance, other: Balance): Balance {
  const items = Object.fromEntries(itemStates.map((name) => [name, one.items[name] + other.items[name]])) as Record<
    ItemStateName,
    number
  >;
  return {
    inSource: one.inSource + other.inSource,
    notedEarlier: one.notedEarlier + other.notedEarlier,
    takenIn: one.takenIn + other.takenIn,
    items,
  };
}
