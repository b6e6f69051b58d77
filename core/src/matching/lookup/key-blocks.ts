import type { Storable } from '../storable.ts';

/** Blocks put aside: keys in rising order, and the rows of each from `starts[at]` to `starts[at + 1]`. */
export interface StoredBlocks {
  readonly keys: Float64Array;
  readonly starts: Int32Array;
  readonly rows: Int32Array;
  readonly goneKeys: Float64Array;
  readonly goneCounts: Int32Array;
}

/** So many new entries are packed at once; more where much is packed already, so that all packing together stays linear. */
const leastPacked = 1 << 16;

/**
 * Which rows share a key. Nearly all lie packed in typed arrays, sorted by key, which take a small part of the room of a
 * map of arrays, know no most number of keys, and are stored as they are; what came since lies in a map beside them.
 */
export class KeyBlocks implements Storable<StoredBlocks> {
  private keys: Float64Array = new Float64Array(0);
  private starts: Int32Array = new Int32Array(1);
  private rows: Int32Array = new Int32Array(0);
  /** Most keys are of one row: no array is made for it. */
  private added = new Map<number, number | number[]>();
  private entries = 0;
  /** How many rows of a key are no more. */
  private gone = new Map<number, number>();

  /** @param most - of a key with more rows than these only that it has too many is kept */
  constructor(private readonly most = Number.POSITIVE_INFINITY) {}

  add(key: number, row: number): void {
    const block = this.added.get(key);
    if (block === undefined) this.added.set(key, row);
    else if (typeof block === 'number') this.added.set(key, [block, row]);
    else block.push(row);
    this.entries += 1;
    if (this.entries >= Math.max(leastPacked, this.rows.length)) this.pack();
  }

  /** One row of this key is no more: it is not counted, and whoever asks for rows leaves it out. */
  drop(key: number): void {
    this.gone.set(key, (this.gone.get(key) ?? 0) + 1);
  }

  /** The rows of a key, those that are no more among them; undefined where it has more than `most`. */
  of(key: number): number[] | undefined {
    const at = this.find(key);
    const packed = at < 0 ? [] : this.rows.subarray(this.starts[at], this.starts[at + 1]);
    const added = this.addedOf(key);
    return packed.length + added.length > this.most ? undefined : [...packed, ...added];
  }

  /** How many rows of a key there are, without those that are no more. */
  count(key: number): number {
    return this.countAt(this.find(key), key);
  }

  /** @param at - where the key lies among those that are packed, or -1 */
  private countAt(at: number, key: number): number {
    const packed = at < 0 ? 0 : (this.starts[at + 1] as number) - (this.starts[at] as number);
    const added = this.added.size > 0 ? this.addedOf(key).length : 0;
    return packed + added - (this.gone.get(key) ?? 0);
  }

  /** The count of each key. */
  eachCount(heard: (count: number) => void): void {
    for (let at = 0; at < this.keys.length; at++) heard(this.countAt(at, this.keys[at] as number));
    for (const key of this.added.keys()) if (this.find(key) < 0) heard(this.countAt(-1, key));
  }

  private addedOf(key: number): readonly number[] {
    const block = this.added.get(key);
    return block === undefined ? [] : typeof block === 'number' ? [block] : block;
  }

  private find(key: number): number {
    let [low, high] = [0, this.keys.length - 1];
    while (low <= high) {
      const middle = (low + high) >>> 1;
      const there = this.keys[middle] as number;
      if (there === key) return middle;
      if (there < key) low = middle + 1;
      else high = middle - 1;
    }
    return -1;
  }

  /** Lays what came since among what is packed. */
  private pack(): void {
    const news = Float64Array.from(this.added.keys()).sort();
    const keys = new Float64Array(this.keys.length + news.length);
    const starts = new Int32Array(keys.length + 1);
    const rows = new Int32Array(this.rows.length + this.entries);
    let [length, kept, old] = [0, 0, 0];
    const take = (key: number, from: Int32Array, more: readonly number[]): void => {
      keys[length] = key;
      const room = Math.min(from.length, this.most + 1);
      rows.set(room < from.length ? from.subarray(0, room) : from, kept);
      const left = Math.min(more.length, this.most + 1 - room);
      for (let at = 0; at < left; at++) rows[kept + room + at] = more[at] as number;
      kept += room + left;
      length += 1;
      starts[length] = kept;
    };
    const packed = (): Int32Array => this.rows.subarray(this.starts[old], this.starts[old + 1]);
    for (const key of news) {
      for (; old < this.keys.length && (this.keys[old] as number) < key; old++)
        take(this.keys[old] as number, packed(), []);
      const isKnown = this.keys[old] === key;
      take(key, isKnown ? packed() : nothing, this.addedOf(key));
      if (isKnown) old += 1;
    }
    for (; old < this.keys.length; old++) take(this.keys[old] as number, packed(), []);
    this.keys = keys.slice(0, length);
    this.starts = starts.slice(0, length + 1);
    this.rows = rows.slice(0, kept);
    this.added = new Map();
    this.entries = 0;
  }

  stored(): StoredBlocks {
    this.pack();
    return {
      keys: this.keys,
      starts: this.starts,
      rows: this.rows,
      goneKeys: Float64Array.from(this.gone.keys()),
      goneCounts: Int32Array.from(this.gone.values()),
    };
  }

  restore({ keys, starts, rows, goneKeys, goneCounts }: StoredBlocks): void {
    this.keys = keys;
    this.starts = starts;
    this.rows = rows;
    this.added = new Map();
    this.entries = 0;
    this.gone = new Map([...goneKeys].map((key, at) => [key, goneCounts[at] as number]));
  }
}

const nothing = new Int32Array(0);
