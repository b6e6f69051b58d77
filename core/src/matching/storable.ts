/** What can be put aside as plain data, of which a program makes bytes, and be taken up again as it was. */
export interface Storable<Stored = unknown> {
  /** What it holds, as plain data: typed arrays, arrays, texts and numbers. It stays as it is, whatever comes. */
  stored(): Stored;
  /** Takes up what `stored` gave; what it held before is gone, and what is given is its own from now on. */
  restore(stored: Stored): void;
}
