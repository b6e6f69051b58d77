/** What can be put aside as plain data, of which a program makes bytes, and be taken up again as it was. */
export interface Storable<Stored = unknown> {
  /** What it holds, as plain data: typed arrays, arrays, texts and numbers. It is the caller's own. */
  stored(): Stored;
  /** Takes up what `stored` gave; what it held before is gone. */
  restore(stored: Stored): void;
}
