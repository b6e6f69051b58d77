import { hashText, joinHashes, type KeyParts } from './compare/column.ts';
import { GrowingFloats } from './compare/growing.ts';
import type { MatchTable } from './table.ts';

/** One way to find pairs: records that share a key are compared. */
export interface BlockingPass {
  readonly name: string;
  /** Keys of one record. */
  readonly keys: (parts: KeyParts) => number[];
  /** Records that may share one key; a commoner key says too little, other passes have it together with more. */
  readonly most: number;
}

function cross(name: string, most: number, left: (parts: KeyParts) => number[], right: (parts: KeyParts) => number[]) {
  const salt = hashText(name);
  const keys = (parts: KeyParts): number[] => {
    const all: number[] = [];
    for (const one of left(parts)) for (const other of right(parts)) all.push(joinHashes(salt ^ one, other));
    return all;
  };
  return { name, keys, most };
}

/** Two different words of a name, whichever is given and whichever family. */
function wordPairs(parts: KeyParts): number[] {
  const { names } = parts;
  const all: number[] = [];
  for (let i = 0; i < names.length; i++)
    for (let j = i + 1; j < names.length; j++) {
      const [low, high] = [names[i] as number, names[j] as number].sort((a, b) => a - b) as [number, number];
      all.push(joinHashes(low, high));
    }
  return all;
}

/** A piece of one word of a name with a piece of another: slips spoil one of a word's two pieces. */
function piecePairs(parts: KeyParts): number[] {
  const { pieces } = parts;
  const all: number[] = [];
  for (let i = 0; i < pieces.length; i++)
    for (let j = (i | 1) + 1; j < pieces.length; j++) {
      const [one, other] = [pieces[i] as number, pieces[j] as number];
      all.push(one < other ? joinHashes(one, other) : joinHashes(other, one));
    }
  return all;
}

/**
 * The passes that a table can use: one key alone where it is telling, two together where each alone
 * is common.
 */
export function passesFor(): readonly BlockingPass[] {
  return [
    { name: 'e-mail', keys: (parts) => parts.email, most: 40 },
    { name: 'e-mail before the @', keys: (parts) => parts.local, most: 20 },
    { name: 'phone', keys: (parts) => parts.phone, most: 30 },
    { name: 'tax number', keys: (parts) => parts.tax, most: 30 },
    { name: 'code', keys: (parts) => parts.code, most: 20 },
    { name: 'date', keys: (parts) => parts.date, most: 40 },
    { name: 'both names', keys: wordPairs, most: 20 },
    { name: 'pieces of both names', keys: piecePairs, most: 10 },
    { name: 'rare name', keys: (parts) => parts.spelt, most: 10 },
    { name: 'rare word of the firm', keys: (parts) => parts.firm, most: 10 },
    { name: 'rare words', keys: (parts) => parts.text, most: 16 },
    cross(
      'name and firm',
      20,
      (parts) => parts.names,
      (parts) => parts.firm,
    ),
    cross(
      'name and street',
      30,
      (parts) => parts.names,
      (parts) => parts.street,
    ),
    cross(
      'name and postcode',
      30,
      (parts) => parts.names,
      (parts) => parts.postcode,
    ),
    cross(
      'name and domain',
      20,
      (parts) => parts.names,
      (parts) => parts.domain,
    ),
    cross(
      'street and postcode',
      20,
      (parts) => parts.street,
      (parts) => parts.postcode,
    ),
    cross(
      'street and town',
      20,
      (parts) => parts.street,
      (parts) => parts.city,
    ),
    cross(
      'firm and town',
      8,
      (parts) => parts.firm,
      (parts) => parts.city,
    ),
    cross(
      'firm and postcode',
      16,
      (parts) => parts.firm,
      (parts) => parts.postcode,
    ),
    cross(
      'piece of a name and postcode',
      16,
      (parts) => parts.pieces,
      (parts) => parts.postcode,
    ),
    cross(
      'piece of a name and street',
      12,
      (parts) => parts.pieces,
      (parts) => parts.street,
    ),
    cross(
      'piece of a name and firm',
      8,
      (parts) => parts.pieces,
      (parts) => parts.firm,
    ),
    cross(
      'piece of a name and day',
      12,
      (parts) => parts.pieces,
      (parts) => parts.monthDay,
    ),
    cross(
      'piece of a name and month',
      10,
      (parts) => parts.pieces,
      (parts) => parts.yearMonth,
    ),
    cross(
      'name, month and day',
      30,
      (parts) => parts.names,
      (parts) => parts.monthDay,
    ),
    cross(
      'name and year with month or day',
      30,
      (parts) => parts.names,
      (parts) => parts.yearMonth,
    ),
  ];
}

/** What one pass came to. */
export interface PassFigures {
  readonly name: string;
  readonly keys: number;
  /** Pairs that it holds, also those that other passes hold. */
  readonly pairs: number;
  /** Records whose keys were all too common for it. */
  readonly skippedKeys: number;
}

/** Records by key of one pass: who shares which key, packed into typed arrays. */
interface Blocks {
  readonly pass: BlockingPass;
  /** Records, those of one block beside each other. */
  readonly members: Int32Array;
  /** Where each block begins in `members`, and one more for the end. */
  readonly starts: Int32Array;
  /** The blocks of each record, from `ofRecord[record]` to `ofRecord[record + 1]`. */
  readonly blocks: Int32Array;
  readonly ofRecord: Int32Array;
}

/** Most records a table may have: keys and record numbers share 53 bits while they are sorted. */
export const mostRecords = 2 ** 22;
const keyBits = 2 ** 31;

function block(pass: BlockingPass, entries: Float64Array, records: number): Blocks & { figures: PassFigures } {
  entries.sort();
  const members = new Int32Array(entries.length);
  const starts: number[] = [];
  const perRecord = new Int32Array(records + 1);
  let length = 0;
  let pairs = 0;
  let skipped = 0;
  let keys = 0;
  for (let from = 0; from < entries.length; ) {
    const key = Math.floor((entries[from] as number) / mostRecords);
    let to = from;
    const begin = length;
    let last = -1;
    for (; to < entries.length && Math.floor((entries[to] as number) / mostRecords) === key; to++) {
      const record = (entries[to] as number) % mostRecords;
      // A record that gives one key twice stands in its block once.
      if (record !== last) members[length++] = record;
      last = record;
    }
    const size = length - begin;
    keys += 1;
    if (size < 2 || size > pass.most) {
      if (size > pass.most) skipped += size;
      length = begin;
    } else {
      starts.push(begin);
      pairs += (size * (size - 1)) / 2;
      for (let at = begin; at < length; at++) {
        const record = members[at] as number;
        perRecord[record + 1] = (perRecord[record + 1] as number) + 1;
      }
    }
    from = to;
  }
  starts.push(length);
  for (let record = 0; record < records; record++)
    perRecord[record + 1] = (perRecord[record + 1] as number) + (perRecord[record] as number);
  const blocks = new Int32Array(length);
  const filled = perRecord.slice(0, records);
  for (let one = 0; one + 1 < starts.length; one++)
    for (let at = starts[one] as number; at < (starts[one + 1] as number); at++) {
      const record = members[at] as number;
      const seat = filled[record] as number;
      blocks[seat] = one;
      filled[record] = seat + 1;
    }
  return {
    pass,
    members: members.slice(0, length),
    starts: Int32Array.from(starts),
    blocks,
    ofRecord: perRecord,
    figures: { name: pass.name, keys, pairs, skippedKeys: skipped },
  };
}

/** From so many records on the keys of only a few passes are held at the same time: they are most of what is held then. */
const large = 200_000;
const passesAtOnce = 3;

function blockedBy(table: MatchTable, passes: readonly BlockingPass[]): ReturnType<typeof block>[] {
  const entries = passes.map(() => new GrowingFloats());
  for (let record = 0; record < table.size; record++) {
    const parts = table.partsOf(record);
    for (let pass = 0; pass < passes.length; pass++)
      for (const key of (passes[pass] as BlockingPass).keys(parts))
        (entries[pass] as GrowingFloats).push((key % keyBits) * mostRecords + record);
  }
  return passes.map((pass, at) => block(pass, (entries[at] as GrowingFloats).take(), table.size));
}

/** Which records are worth comparing: those that share a key of any pass. */
export class Candidates {
  readonly passes: readonly PassFigures[];
  private readonly all: readonly Blocks[];
  /** The number of the call that found a record last. */
  private readonly seen: Int32Array;
  private calls = 0;
  private length = 0;
  private readonly found: Int32Array;

  /**
   * @param side - records before this number are only compared with those from it on, for matching
   * two tables; 0 compares all with all
   * @param atOnce - how many passes hold their keys at the same time: it changes what is held, and nothing else
   */
  constructor(
    table: MatchTable,
    private readonly side = 0,
    atOnce = table.size < large ? Number.POSITIVE_INFINITY : passesAtOnce,
  ) {
    const passes = passesFor();
    const blocked: ReturnType<typeof block>[] = [];
    for (let from = 0; from < passes.length; from += atOnce)
      blocked.push(...blockedBy(table, passes.slice(from, from + atOnce)));
    this.passes = blocked.map(({ figures }) => figures).filter(({ keys }) => keys > 0);
    this.all = blocked.filter(({ members }) => members.length > 0);
    this.seen = new Int32Array(table.size).fill(0);
    this.found = new Int32Array(table.size);
  }

  /**
   * The records after `record` that are worth comparing with it, each once; valid until the next
   * call. `ways` counts by how many passes each was found, when it is given.
   */
  after(record: number, ways?: Uint8Array): Int32Array {
    this.length = 0;
    this.calls += 1;
    for (const { members, starts, blocks, ofRecord } of this.all)
      for (let seat = ofRecord[record] as number; seat < (ofRecord[record + 1] as number); seat++) {
        const one = blocks[seat] as number;
        for (let at = (starts[one + 1] as number) - 1; at >= (starts[one] as number); at--) {
          const other = members[at] as number;
          if (other <= record) break;
          if (this.side === 0 || record < this.side !== other < this.side) this.note(other, ways);
        }
      }
    return this.found.subarray(0, this.length);
  }

  private note(other: number, ways: Uint8Array | undefined): void {
    if (this.seen[other] !== this.calls) {
      this.seen[other] = this.calls;
      this.found[this.length++] = other;
      if (ways) ways[other] = 0;
    }
    if (ways) ways[other] = (ways[other] as number) + 1;
  }
}
