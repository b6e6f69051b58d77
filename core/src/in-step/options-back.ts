interface Line {
  readonly from: string;
  readonly to: string;
}

/** A table that translates options, the other way round; undefined where two lines come to the same. */
export function distinctBack(table: readonly Line[]): Line[] | undefined {
  const back = table.map(({ from, to }) => ({ from: to, to: from }));
  return new Set(back.map(({ from }) => from)).size === back.length ? back : undefined;
}
