import type { Storable } from '../storable.ts';

/** Whole numbers in a row that grows; far smaller than an array of numbers. */
export class GrowingInts implements Storable<Int32Array> {
  private values: Int32Array = new Int32Array(1024);
  length = 0;

  push(value: number): void {
    if (this.length === this.values.length) {
      const grown = new Int32Array(Math.max(1024, this.values.length * 2));
      grown.set(this.values);
      this.values = grown;
    }
    this.values[this.length++] = value;
  }

  at(index: number): number {
    return this.values[index] as number;
  }

  set(index: number, value: number): void {
    this.values[index] = value;
  }

  /** All of them, in no more room than they need. */
  all(): Int32Array {
    return this.values.slice(0, this.length);
  }

  stored(): Int32Array {
    return this.all();
  }

  restore(stored: Int32Array): void {
    this.values = stored;
    this.length = stored.length;
  }
}

/** Numbers of up to 53 bits in a row that grows. It is a class of its own: one for both kinds is slower where each pair is compared. */
export class GrowingFloats {
  private values = new Float64Array(1024);
  private length = 0;

  push(value: number): void {
    if (this.length === this.values.length) {
      const grown = new Float64Array(this.values.length * 2);
      grown.set(this.values);
      this.values = grown;
    }
    this.values[this.length++] = value;
  }

  /** All of them, in no more room than they need. */
  all(): Float64Array {
    return this.values.slice(0, this.length);
  }

  /** All of them where they stand; the row has to be let go afterwards. */
  take(): Float64Array {
    const all = this.values.subarray(0, this.length);
    this.values = new Float64Array(0);
    return all;
  }
}
