import { readCountry } from '../../values/countries.ts';
import { type BlockingPass, passesFor } from '../blocking.ts';
import { hashText, type Verdicts } from '../compare/column.ts';
import type { FieldKind } from '../kinds.ts';
import { fixedModel } from '../learn.ts';
import type { Comparison } from '../levels.ts';
import { type LevelChances, type MatchModel, Weigher } from '../model.ts';
import { comparePairs, mixedNumbers } from '../pairs.ts';
import type { Storable } from '../storable.ts';
import { MatchTable, type StoredTable } from '../table.ts';
import { exactKey } from './exact-key.ts';
import { fittedModel } from './fitted-model.ts';
import { KeyBlocks, type StoredBlocks } from './key-blocks.ts';
import type { Evidence } from './ladder.ts';

/** A field that an index looks at. */
export interface IndexField {
  readonly path: string;
  readonly label: string;
  readonly kind: FieldKind;
}

/** A record's texts, one for each field of the index. */
export type Texts = readonly string[];

/** A record that may be the one that is looked for. */
export interface Proposal {
  readonly id: string;
  readonly probability: number;
}

/** A record weighed against the one looked for. */
export interface Weighed extends Proposal {
  readonly evidence: readonly Evidence[];
}

/** An index put aside. */
export interface StoredIndex {
  readonly table: StoredTable;
  /** Of each record its id, its row and whether it is counted, and all their texts one record after the other. */
  readonly ids: readonly string[];
  readonly rows: Int32Array;
  readonly counts: Uint8Array;
  readonly texts: readonly string[];
  readonly ghosts: readonly Texts[];
  readonly blocks: StoredBlocks;
  readonly exact: readonly StoredBlocks[];
  readonly unsettled: number;
  readonly counted: number;
  readonly dead: number;
}

/** A key that more records share than this says too little to propose them all by. */
const mostOfKey = 120;
/** Pairs drawn to see what chance does. */
const drawn = 4000;
/** An index of fewer records is laid out anew in no time. */
const quicklyLaidOut = 2000;
/** Rows that are no more before the index is laid out anew. */
const mostDead = 2000;

/**
 * The records of one place, kept so that those like a given one are found without comparing all:
 * by exact keys in constant time, by likeness over the keys of blocking. It follows each change.
 *
 * It only proposes: whoever uses it reads the proposed records afresh before deciding.
 *
 * How common values are is counted over the records as the place was listed. What is put in besides
 * (our own writes on their way) is found, but not counted until `settle`: otherwise the first half of
 * a run would change what is thought of the second, and a rehearsal would come to something else.
 */
export class MatchIndex implements Storable<StoredIndex> {
  private table: MatchTable;
  private readonly passes: readonly BlockingPass[] = passesFor();
  private readonly rows = new Map<string, { row: number; texts: Texts; isCounted: boolean }>();
  /** Records that are found but not counted, or counted as they were before. */
  private unsettled = 0;
  /** Texts of records that have changed since they were counted. */
  private ghosts: Texts[] = [];
  private counted = 0;
  private ids: (string | undefined)[] = [];
  private blocks = new KeyBlocks(mostOfKey);
  /** For each field which rows hold the same in it. */
  private exactRows: readonly KeyBlocks[];
  private dead = 0;
  private weigher: { readonly forSize: number; readonly weigher: Weigher } | undefined;
  private readonly country: number;
  /** For each comparison the one field whose exact values are its level "same", where there is one. */
  private readonly ownField: readonly (number | undefined)[];
  /** For each field how many records fill it, as of the weights. */
  private filled: readonly number[] = [];

  /** The record that was looked for last: several ways look for the same one. It counts as long as it is here. */
  private probed: { readonly texts: Texts; readonly row: number } | undefined;

  /** @param model - weights that were learnt; without them the fixed ones are used */
  constructor(
    readonly fields: readonly IndexField[],
    private readonly model?: MatchModel,
  ) {
    this.table = this.newTable();
    this.exactRows = fields.map(() => new KeyBlocks());
    this.country = fields.findIndex(({ kind }) => kind === 'country');
    this.ownField = this.table.comparisons.map((comparison) => this.fieldOf(comparison));
  }

  private fieldOf({ key, fields, levels }: Comparison): number | undefined {
    const [same] = levels.slice(2);
    // A share that is a chance in itself, or that isn't of one field's values, is left as it is.
    if (!same?.isByRarity || same.usualShare !== undefined || key.startsWith('email_name')) return undefined;
    const own = fields.filter((field) => !key.endsWith('_name') || this.fields[field]?.kind === key);
    const isOne =
      own.length === 1 &&
      (fields.length === 1 || fields.every((field) => nameKinds.has(this.fields[field]?.kind ?? 'ignore')));
    return isOne ? own[0] : undefined;
  }

  private newTable(): MatchTable {
    return new MatchTable(this.fields.map(({ label, kind }) => ({ name: label, kind })));
  }

  get size(): number {
    return this.rows.size;
  }

  /** The ids of all its records. */
  recordIds(): string[] {
    return [...this.rows.keys()];
  }

  /**
   * Adds a record, or puts it in the place of what it was.
   *
   * @param isCounted - false for what a run or rehearsal is writing itself: how common values are stays as it was
   */
  put(id: string, texts: Texts, isCounted = true): void {
    this.letGoOfProbe();
    const known = this.rows.get(id);
    if (known) {
      if (known.texts.every((text, at) => text === texts[at])) return;
      this.remove(id, isCounted);
    }
    const row = this.table.add(texts);
    if (isCounted) this.counted += 1;
    else {
      this.table.forget(row);
      this.unsettled += 1;
    }
    this.rows.set(id, { row, texts, isCounted });
    this.ids[row] = id;
    for (const key of this.keysOf(row)) this.blocks.add(key, row);
    this.eachExactKey(texts, (field, key) => field.add(key, row));
  }

  /** @param isCounted - false for what a run takes out itself: it stays counted as it was */
  remove(id: string, isCounted = true): void {
    this.letGoOfProbe();
    const known = this.rows.get(id);
    if (!known) return;
    this.rows.delete(id);
    if (known.isCounted && isCounted) {
      this.table.forget(known.row);
      this.counted -= 1;
    } else if (known.isCounted) {
      this.unsettled += 1;
      this.ghosts.push(known.texts);
    }
    this.ids[known.row] = undefined;
    this.eachExactKey(known.texts, (field, key) => field.drop(key));
    this.dead += 1;
    if (this.dead > mostDead && this.dead > this.rows.size) this.tidy();
  }

  /** Counts everything as it is now, where enough has come to tell: a run or a rehearsal is about to begin. */
  settle(): void {
    this.letGoOfProbe();
    const { size } = this.rows;
    if (this.unsettled > 0 && (size < quicklyLaidOut || this.unsettled > size / 10)) this.layOut();
  }

  /** All anew, without what is no more, everything counted as it is now. */
  private layOut(): void {
    this.ghosts = [];
    this.weigher = undefined;
    this.rebuild(() => true);
  }

  /** The same without counting anew: only the rows that are no more go. */
  private tidy(): void {
    const known = this.weigher;
    this.rebuild((isCounted) => isCounted);
    for (const texts of this.ghosts) this.table.add(texts);
    this.counted += this.ghosts.length;
    if (known) this.weigher = { ...known, weigher: this.weigherOf(known.weigher.model) };
  }

  private rebuild(isCounted: (was: boolean) => boolean): void {
    const all = [...this.rows].map(([id, known]) => [id, known.texts, isCounted(known.isCounted)] as const);
    this.table = this.newTable();
    this.rows.clear();
    this.ids = [];
    this.blocks = new KeyBlocks(mostOfKey);
    this.exactRows = this.fields.map(() => new KeyBlocks());
    this.dead = 0;
    this.unsettled = 0;
    this.counted = 0;
    for (const [id, texts, counts] of all) this.put(id, texts, counts);
    this.unsettled += this.ghosts.length;
  }

  private keysOf(row: number): Set<number> {
    const parts = this.table.partsOf(row);
    const keys = new Set<number>();
    for (const [number, pass] of this.passes.entries())
      for (const key of pass.keys(parts)) keys.add((key % 2 ** 31) * 32 + number);
    return keys;
  }

  private eachExactKey(texts: Texts, heard: (field: KeyBlocks, key: number) => void): void {
    for (const [at, field] of this.exactRows.entries()) {
      const key = this.exactKeyAt(at, texts);
      if (key !== undefined) heard(field, key);
    }
  }

  /** A number of 53 bits for what a record holds in a field, normalised; undefined where it holds nothing. */
  private exactKeyAt(at: number, texts: Texts): number | undefined {
    const key = this.keyAt(at, this.fields[at]?.kind ?? 'text', texts);
    return key === '' ? undefined : hashText(key) * 2 ** 21 + (hashText(key, secondSeed) >>> 11);
  }

  private keyAt(at: number, kind: FieldKind, texts: Texts): string {
    const country = this.country < 0 ? undefined : readCountry(texts[this.country] ?? '');
    return exactKey(kind, texts[at] ?? '', country);
  }

  /** The texts of a record as they are held; undefined where it isn't. */
  textsOf(id: string): Texts | undefined {
    return this.rows.get(id)?.texts;
  }

  /** The field with this path, or -1. */
  private at(path: string): number {
    return this.fields.findIndex((field) => field.path === path);
  }

  /** Whether a record holds the same as the one looked for in all these fields, normalised; never where any is empty. */
  agrees(paths: readonly string[], probe: Texts, texts: Texts): boolean {
    return paths.every((path) => {
      const at = this.at(path);
      const kind = this.fields[at]?.kind ?? 'text';
      const key = this.keyAt(at, kind, probe);
      return key !== '' && key === this.keyAt(at, kind, texts);
    });
  }

  /** Whether all these fields of the one looked for say something. */
  isKnown(paths: readonly string[], probe: Texts): boolean {
    return paths.every((path) => {
      const at = this.at(path);
      return at >= 0 && this.keyAt(at, this.fields[at]?.kind ?? 'text', probe) !== '';
    });
  }

  /** Whether at least one of these fields of the one looked for is filled. */
  isAnyKnown(paths: readonly string[], probe: Texts): boolean {
    return paths.some((path) => (probe[this.at(path)] ?? '') !== '');
  }

  /** Ids of the records that agree in all these fields. */
  exact(paths: readonly string[], probe: Texts): string[] {
    const keys = paths.map((path) => {
      const at = this.at(path);
      const key = this.exactKeyAt(at, probe);
      const field = this.exactRows[at];
      return { field, key, count: key === undefined ? 0 : (field?.count(key) ?? 0) };
    });
    const [rarest] = keys.sort((a, b) => a.count - b.count);
    if (rarest?.key === undefined || rarest.count === 0) return [];
    return (rarest.field?.of(rarest.key) ?? []).flatMap((row) => {
      const id = this.ids[row];
      // Two values may have one number: what each record holds is looked at itself.
      return id !== undefined && this.agrees(paths, probe, this.rows.get(id)?.texts ?? []) ? [id] : [];
    });
  }

  /** The likeliest records for the one looked for, the likeliest first. */
  propose(probe: Texts, most = 12): Proposal[] {
    return this.withProbe(probe, (row) => {
      const rows = new Set<number>();
      for (const key of this.keysOf(row)) {
        for (const other of this.blocks.of(key) ?? []) if (this.ids[other] !== undefined) rows.add(other);
      }
      const weigher = this.ready();
      const room = this.table.room();
      const all: Proposal[] = [];
      for (const other of rows) {
        this.table.compare(row, other, room);
        this.byOwnCounts(room, this.rows.get(this.ids[other] as string)?.texts);
        const probability = weigher.weigh(room.levels, room.shares);
        if (probability >= 0.02) all.push({ id: this.ids[other] as string, probability });
      }
      return all.sort((x, y) => y.probability - x.probability || (x.id < y.id ? -1 : 1)).slice(0, most);
    });
  }

  /** Each of these records against the one looked for, with what speaks for and against it. */
  weigh(probe: Texts, records: readonly { readonly id: string; readonly texts: Texts }[]): Weighed[] {
    return this.withProbe(probe, (row) =>
      records.map(({ id, texts }) => {
        const known = this.rows.get(id);
        if (known?.texts.every((text, at) => text === texts[at])) return this.weighRow(row, known.row, id, texts);
        // It isn't counted: whether the index knows already how the record is now must change nothing.
        const other = this.table.add(texts);
        this.table.forget(other);
        this.dead += 1;
        return this.weighRow(row, other, id, texts);
      }),
    );
  }

  private weighRow(row: number, other: number, id: string, texts: Texts): Weighed {
    const weigher = this.ready();
    const room = this.table.room();
    this.table.compare(row, other, room);
    this.byOwnCounts(room, texts);
    const probability = weigher.weigh(room.levels, room.shares);
    const evidence = this.table.comparisons.flatMap((comparison, one): Evidence[] => {
      const number = room.levels[one] as number;
      const level = comparison.levels[number];
      if (!level || number === 0) return [];
      return [
        {
          label: comparison.label,
          level: level.name,
          bearing: level.bearing,
          bits: Math.round(weigher.bits(one, number, room.shares[one] as number) * 10) / 10,
        },
      ];
    });
    return { id, probability, evidence };
  }

  private withProbe<T>(probe: Texts, work: (row: number) => T): T {
    if (!this.probed?.texts.every((text, at) => text === probe[at])) {
      this.letGoOfProbe();
      this.probed = { texts: probe, row: this.table.add(probe) };
    }
    return work(this.probed.row);
  }

  private letGoOfProbe(): void {
    if (!this.probed) return;
    this.table.forget(this.probed.row);
    this.probed = undefined;
    this.dead += 1;
    if (this.dead > mostDead && this.dead > this.rows.size) this.tidy();
  }

  /** Weights for the index as it is counted; looked at again when it has grown or shrunk by a quarter. */
  private ready(): Weigher {
    const size = this.counted;
    const known = this.weigher;
    if (known && Math.abs(size - known.forSize) <= known.forSize / 4 + 5) return known.weigher;
    const model = this.model ? rescaled(this.fitted(this.model, size), size) : this.fixed(size);
    const weigher = this.weigherOf(model);
    this.weigher = { forSize: size, weigher };
    return weigher;
  }

  private fitted(model: MatchModel, size: number): MatchModel {
    const paths = this.fields.map(({ path }) => path);
    return fittedModel(model, this.table.comparisons, paths, this.fixed(size));
  }

  /** A person is found by who they are and where; a firm that moved is the same one. */
  private weigherOf(model: MatchModel): Weigher {
    return new Weigher(this.table.comparisons, model, this.table.subject === 'people');
  }

  /** The weights in force, with the comparisons they are of. */
  weights(): { readonly model: MatchModel; readonly comparisons: MatchTable['comparisons'] } {
    this.letGoOfProbe();
    return { model: this.ready().model, comparisons: this.table.comparisons };
  }

  private fixed(size: number): MatchModel {
    const live: number[] = [];
    for (const { row, isCounted } of this.rows.values()) if (isCounted) live.push(row);
    const next = mixedNumbers(4711);
    const pairs: [number, number][] = [];
    for (let tries = 0; tries < Math.min(drawn, size * (size - 1)); tries++) {
      const [a, b] = [live[next(size)], live[next(size)]];
      if (a !== undefined && b !== undefined && a !== b) pairs.push([a, b]);
    }
    const random = pairs.length >= 50 ? comparePairs(this.table, pairs, 1) : undefined;
    const model = fixedModel(this.table.comparisons, shareOfMatches(size), random);
    const agreeing = this.agreeing();
    this.filled = agreeing.map(({ values }) => values);
    return {
      ...model,
      comparisons: model.comparisons.map((one, at) => this.withShares(one, at, live, agreeing)),
    };
  }

  /**
   * How common the values are that two records share, by the place's records alone: the record that is
   * looked for would make a rare value look twice as common as it is.
   */
  private byOwnCounts({ levels, shares }: Verdicts, texts: Texts | undefined): void {
    if (!texts || this.model) return;
    for (const [one, field] of this.ownField.entries()) {
      if (field === undefined || levels[one] !== 2) continue;
      const key = this.exactKeyAt(field, texts);
      const count = key === undefined ? 1 : (this.exactRows[field]?.count(key) ?? 1);
      shares[one] = Math.max(1, count) / Math.max(1, this.filled[field] ?? 1);
    }
  }

  /** For each field, how many records fill it and how many pairs of them hold the same. */
  private agreeing(): { values: number; pairs: number }[] {
    return this.exactRows.map((field) => {
      const one = { values: 0, pairs: 0 };
      field.eachCount((count) => {
        one.values += count;
        one.pairs += (count * (count - 1)) / 2;
      });
      return one;
    });
  }

  /** All that it holds and counts, without the record that was looked for last. */
  stored(): StoredIndex {
    this.letGoOfProbe();
    const { ghosts, unsettled, counted, dead } = this;
    const all = [...this.rows];
    return {
      table: this.table.stored(),
      ids: all.map(([id]) => id),
      rows: Int32Array.from(all, ([, { row }]) => row),
      counts: Uint8Array.from(all, ([, { isCounted }]) => Number(isCounted)),
      texts: all.flatMap(([, { texts }]) => texts),
      ghosts: [...ghosts],
      blocks: this.blocks.stored(),
      exact: this.exactRows.map((field) => field.stored()),
      unsettled,
      counted,
      dead,
    };
  }

  /** Takes up what an index over the same fields with the same weights put aside. */
  restore(stored: StoredIndex): void {
    this.table.restore(stored.table);
    this.ids = new Array(this.table.size);
    this.rows.clear();
    const width = this.fields.length;
    for (const [at, id] of stored.ids.entries()) {
      const row = stored.rows[at] as number;
      const texts = stored.texts.slice(at * width, (at + 1) * width);
      this.rows.set(id, { row, texts, isCounted: stored.counts[at] === 1 });
      this.ids[row] = id;
    }
    this.blocks.restore(stored.blocks);
    for (const [at, field] of this.exactRows.entries()) field.restore(stored.exact[at] as StoredBlocks);
    this.ghosts = [...stored.ghosts];
    this.unsettled = stored.unsettled;
    this.counted = stored.counted;
    this.dead = stored.dead;
    this.probed = undefined;
    this.weigher = undefined;
  }

  /**
   * The chances of a comparison with how common its values are, seen in each record beside itself: on
   * average, with the record that is looked for counted among them as it will be; and how often two
   * records hold the same, which a few pairs drawn at random are too few to show.
   */
  private withShares(
    chances: LevelChances,
    comparison: number,
    live: readonly number[],
    agreeing: readonly { readonly values: number; readonly pairs: number }[],
  ): LevelChances {
    const levels = this.table.comparisons[comparison]?.levels ?? [];
    const room = this.table.room();
    let sum = 0;
    let filled = 0;
    let looked = 0;
    for (let at = 0; at < live.length; at += Math.ceil(live.length / 500)) {
      const row = live[at] as number;
      looked += 1;
      this.table.compare(row, row, room);
      if ((room.levels[comparison] as number) < 2) continue;
      sum += room.shares[comparison] as number;
      filled += 1;
    }
    const total = (live.length * filled) / Math.max(1, looked);
    if (total < 2) return chances;
    const share = sum / filled;
    const usual = (share * total + 1) / (total + 1);
    const usualShare = levels.map((level) => (level.isByRarity ? (level.usualShare ?? usual) : 0));
    const seen = agreeing[this.ownField[comparison] ?? -1];
    if (!seen || seen.values < 2) return { ...chances, usualShare };
    const all = (seen.values * (seen.values - 1)) / 2;
    const random = [...chances.random];
    random[2] = (seen.pairs + (levels[2]?.byChance ?? 0) * trustInGuess) / (all + trustInGuess);
    usualShare[2] = (2 * seen.pairs + seen.values) / (seen.values * seen.values);
    return {
      ...chances,
      random,
      other: random,
      kin: chances.kin === chances.random ? random : chances.kin,
      usualShare,
    };
  }
}

/** Another beginning for the second half of a key's number. */
const secondSeed = 0x9747b28c;

/** What is expected of chance before a place was seen weighs as much as so many pairs. */
const trustInGuess = 200;

const nameKinds: ReadonlySet<FieldKind> = new Set(['given_name', 'family_name']);

/** Half of those who are looked for are there, as long as nothing is known. */
const shareOfMatches = (size: number): number => 0.5 / Math.max(4, size);

/** Learnt weights with the shares of a lookup: whom one looks for is there about as often as not. */
function rescaled(model: MatchModel, size: number): MatchModel {
  const [match = 0] = model.priors;
  const factor = match > 0 ? shareOfMatches(size) / match : 1;
  return { ...model, priors: model.priors.map((prior) => Math.min(0.2, prior * factor)) as never };
}
