/** One change of a text: what stands between two places becomes another one, of a character a byte. */
export interface Splice {
  readonly from: number;
  readonly to: number;
  readonly text: string;
}

/** Bytes with changes made; they don't overlap. Those at one place stand in the order they are given. */
export function spliced(bytes: Buffer, splices: readonly Splice[]): Buffer {
  const pieces: Buffer[] = [];
  let at = 0;
  const ordered = splices
    .map((one, index) => ({ one, index }))
    .sort((a, b) => a.one.from - b.one.from || a.index - b.index);
  for (const { one } of ordered) {
    pieces.push(bytes.subarray(at, one.from), Buffer.from(one.text, 'latin1'));
    at = Math.max(at, one.to);
  }
  return Buffer.concat([...pieces, bytes.subarray(at)]);
}
