/** The name that was most likely meant: equal but for case, one of its ends, or few slips away; undefined when none is near. */
export function nearest(written: string, names: readonly string[]): string | undefined {
  const wanted = written.toLowerCase();
  let best: { name: string; slips: number } | undefined;
  for (const name of names) {
    const slips = slipsBetween(wanted, name.toLowerCase());
    if (!best || slips < best.slips) best = { name, slips };
  }
  const most = Math.max(1, Math.floor(wanted.length / 3));
  if (best && best.slips <= most) return best.name;
  return names.find((name) => name.toLowerCase().endsWith(`.${wanted}`));
}

/** Optimal string alignment distance: letters put in, left out, changed, or two exchanged. */
function slipsBetween(one: string, other: string): number {
  if (Math.abs(one.length - other.length) > 8) return Number.POSITIVE_INFINITY;
  let [before, last] = [[] as number[], Array.from({ length: other.length + 1 }, (_, at) => at)];
  for (let i = 1; i <= one.length; i++) {
    const row = [i];
    for (let j = 1; j <= other.length; j++) {
      const cost = one[i - 1] === other[j - 1] ? 0 : 1;
      let slips = Math.min((last[j] ?? 0) + 1, (row[j - 1] ?? 0) + 1, (last[j - 1] ?? 0) + cost);
      if (i > 1 && j > 1 && one[i - 1] === other[j - 2] && one[i - 2] === other[j - 1])
        slips = Math.min(slips, (before[j - 2] ?? 0) + 1);
      row.push(slips);
    }
    [before, last] = [last, row];
  }
  return last[other.length] ?? 0;
}
