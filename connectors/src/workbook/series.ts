// Files that are named one after the other: by a year, a month, a number.

/** The languages whose months a name may hold. */
const languages = ['en', 'de', 'fr', 'es', 'it', 'nl', 'pt', 'pl', 'sv', 'da'];

/** Months as people write them in names, long and short, with their number as two digits; longer ones first. */
const months: readonly (readonly [string, string])[] = languages
  .flatMap((language) =>
    (['long', 'short'] as const).flatMap((month) => {
      const format = new Intl.DateTimeFormat(language, { month, timeZone: 'UTC' });
      return Array.from({ length: 12 }, (_, at): readonly [string, string] => [
        format
          .format(Date.UTC(2026, at, 15))
          .replace(/\.$/, '')
          .toLowerCase(),
        String(at + 1).padStart(2, '0'),
      ]);
    }),
  )
  .filter(([name]) => name.length > 2)
  .sort(([one], [other]) => other.length - one.length);
const byName = new Map(months);
const monthPattern = new RegExp(`(?<!\\p{L})(?:${[...byName.keys()].join('|')})(?!\\p{L})`, 'giu');

/** A name with its months as numbers. */
const numbered = (name: string): string =>
  name.normalize('NFC').replace(monthPattern, (month) => byName.get(month.toLowerCase()) ?? month);

/** What names of one series have in common: all but the numbers. */
const seriesOf = (name: string): string => numbered(name).toLowerCase().replace(/\d+/g, '#');

/** A name's numbers, those of four digits first: a year before its month, however it is written. */
const numbersOf = (name: string): number[] => {
  const numbers = numbered(name).match(/\d+/g) ?? [];
  return [...numbers.filter((one) => one.length === 4), ...numbers.filter((one) => one.length !== 4)].map(Number);
};

/**
 * The last of the names that differ from a model only by numbers and months; undefined when the model isn't among
 * them and nothing like it is: "Orders 2025.xlsx", "Orders 2026.xlsx" → the second.
 */
export function lastOfSeries(names: readonly string[], model: string): string | undefined {
  const series = names.filter((name) => name === model || seriesOf(name) === seriesOf(model));
  return series.sort((one, other) => compare(numbersOf(one), numbersOf(other)) || (one < other ? -1 : 1)).at(-1);
}

function compare(one: readonly number[], other: readonly number[]): number {
  for (let at = 0; at < Math.max(one.length, other.length); at++) {
    const difference = (one[at] ?? 0) - (other[at] ?? 0);
    if (difference !== 0) return difference;
  }
  return 0;
}
