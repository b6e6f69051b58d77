// Nothing arriving looks like peace: whether a workflow has taken in less by this time of the day than it ever does.

/** Weeks that are looked back at, for the same weekday. */
export const weeksBack = 8;

/** So many earlier days are needed before anything can be called usual. */
const fewestDays = 3;

/** How seldom so little may come by chance before it is told: once in a thousand such days. */
const chance = 0.001;

/** A workflow that is quieter than usual. */
export interface Quiet {
  /** How many records have come by this time of the day on that weekday, the middle of the days looked at. */
  readonly usual: number;
  readonly today: number;
  /** The time by which a person wants more than `usual`, where they have said so. */
  readonly by?: string;
}

/**
 * Whether so little would come by chance alone hardly ever, and less than on any of the earlier days.
 *
 * @param earlier records by this time of the day, on earlier days of the same weekday
 * @param today records today
 * @returns undefined where it isn't unusual, or too few days are known
 */
export function quieterThanUsual(earlier: readonly number[], today: number): Quiet | undefined {
  if (earlier.length < fewestDays) return undefined;
  const usual = middleOf(earlier);
  const least = Math.min(...earlier);
  // Days that differ more than chance has it are judged by the quietest of them.
  if (today >= least || atMost(today, usual) > chance) return undefined;
  return { usual, today };
}

function middleOf(numbers: readonly number[]): number {
  const sorted = [...numbers].sort((a, b) => a - b);
  const at = sorted.length / 2;
  const [low, high] = [sorted[Math.ceil(at) - 1] ?? 0, sorted[Math.floor(at)] ?? 0];
  return Math.round((low + high) / 2);
}

/**
 * The probability that at most so many come where so many are expected: the lower tail of the Poisson distribution, summed
 * term by term in logarithms so that large numbers don't run over.
 */
export function atMost(count: number, expected: number): number {
  if (expected <= 0) return 1;
  let term = -expected;
  let sum = Math.exp(term);
  for (let k = 1; k <= count; k++) {
    term += Math.log(expected) - Math.log(k);
    sum += Math.exp(term);
  }
  return Math.min(1, sum);
}
