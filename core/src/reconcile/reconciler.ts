import { UnionFind } from './union-find.ts';

/** Which of the two sets a record is of. */
export type Side = 'left' | 'right';

/** One way to recognise which records of the two sets are the same, by a key of each. */
export interface Rung {
  /**
   * True where one key is one record: two on a side with the same key are doubles. False for what several may share,
   * such as a name: that only finds who is left over, where it is clear.
   */
  readonly identifies: boolean;
}

/** Records of the two sets that belong together, more than one of them on a side. */
export interface RecordGroup {
  readonly left: readonly string[];
  readonly right: readonly string[];
}

/** A record here and the record there that is the same. */
export interface Pair {
  readonly left: string;
  readonly right: string;
}

/**
 * What two sets of records come to. Each record of a side stands in exactly one of them:
 * left = agree + differ + onlyLeft + those of doubled + those of unclear, and right alike.
 */
export interface Reconciled {
  readonly left: number;
  readonly right: number;
  readonly agree: readonly Pair[];
  readonly differ: readonly Pair[];
  readonly onlyLeft: readonly string[];
  readonly onlyRight: readonly string[];
  readonly doubled: readonly RecordGroup[];
  readonly unclear: readonly RecordGroup[];
}

/** A record as far as it has to be remembered: whatever it holds, it takes little room. */
interface Known {
  readonly side: Side;
  readonly id: string;
  readonly keys: readonly string[];
  /** Of the forms of all compared fields: the same where nothing differs. */
  readonly digest: string;
}

/** What is the case with a record by now: alone, together with others (a pair is two), or not to be told. */
const alone = 0;
const together = 1;
const unclear = 2;

/** What a look at a rung is for: who is whom; copies on one side; what can't be told. */
type Look = 'partners' | 'copies' | 'unclear';

/**
 * Finds who is whom in two sets of records, and which of them are the same. Records are added one by one in any order;
 * of each only its id, its keys and a digest is remembered. First count the pairs that are remembered, then rung by
 * rung the keys; how it ends doesn't depend on the order in which records are added.
 */
export class Reconciler {
  private readonly known: Known[] = [];
  private readonly at = { left: new Map<string, number>(), right: new Map<string, number>() };
  private readonly links: Pair[] = [];
  /** For each rung the records that share a key, found once all are there. */
  private shared: readonly (readonly (readonly number[])[])[] = [];

  constructor(private readonly rungs: readonly Rung[]) {}

  /**
   * @param keys - for each rung what the record has there; '' where it has nothing
   * @param digest - of what is compared: equal exactly when nothing differs
   * @throws Error when its side has a record of that id already
   */
  add(side: Side, id: string, keys: readonly string[], digest: string): void {
    if (this.at[side].has(id)) throw new Error(`Two records of one side have the id "${id}".`);
    this.at[side].set(id, this.known.length);
    this.known.push({ side, id, keys, digest });
  }

  /** A pair that is remembered to be the same; one whose records aren't both there counts for nothing. */
  link(left: string, right: string): void {
    this.links.push({ left, right });
  }

  finish(): Reconciled {
    const groups = new UnionFind(this.known.length);
    const standing = new Uint8Array(this.known.length);
    this.followLinks(groups, standing);
    this.shared = this.rungs.map((_, rung) => this.byKey(rung));
    const look = (rung: number, why: Look): boolean => this.look(rung, why, groups, standing);
    for (const rung of this.rungs.keys()) look(rung, 'partners');
    // A copy of a record that a later rung has found its partner for: looked at again until nothing is added.
    while ([...this.rungs.keys()].filter((rung) => look(rung, 'copies')).length > 0);
    for (const rung of this.rungs.keys()) look(rung, 'unclear');
    return this.told(groups, standing);
  }

  private followLinks(groups: UnionFind, standing: Uint8Array): void {
    for (const link of this.links) {
      const [left, right] = [this.at.left.get(link.left), this.at.right.get(link.right)];
      if (left === undefined || right === undefined) continue;
      groups.join(left, right);
      standing[left] = together;
      standing[right] = together;
    }
  }

  /** Looks at all keys of one rung, each as things stood before; gives whether anything was found by it. */
  private look(rung: number, why: Look, groups: UnionFind, standing: Uint8Array): boolean {
    const { identifies } = this.rungs[rung] as Rung;
    const before = standing.slice();
    const rootsBefore = groups.roots();
    let isFound = false;
    for (const members of this.shared[rung] ?? []) {
      const open = members.filter((one) => before[one] === alone);
      const there = members.filter((one) => before[one] === together);
      const verdict = this.verdict(why, identifies, open, new Set(there.map((one) => rootsBefore[one])).size);
      if (verdict === alone) continue;
      isFound = true;
      const joined = verdict === together ? [...open, ...there] : open;
      for (const one of joined) groups.join(joined[0] as number, one);
      for (const one of open) standing[one] = verdict;
    }
    return isFound;
  }

  /** What becomes of the open records with one key, beside so many groups that have it too. */
  private verdict(why: Look, identifies: boolean, open: readonly number[], standingGroups: number): number {
    if (open.length === 0) return alone;
    const [lefts, rights] = [this.of(open, 'left'), this.of(open, 'right')];
    const isBoth = lefts > 0 && rights > 0;
    if (why === 'unclear') return isBoth || (identifies && standingGroups > 1) ? unclear : alone;
    if (!identifies) {
      const isPair = why === 'partners' && lefts === 1 && rights === 1 && standingGroups === 0;
      return isPair && !this.isDenied(open) ? together : alone;
    }
    if (standingGroups > 0) return standingGroups === 1 ? together : alone;
    // Copies on one side alone may still find their partner by another rung: they are told at the end.
    return isBoth || (why === 'copies' && open.length > 1) ? together : alone;
  }

  /** Whether a key by which one record is told from all others says that two are not the same. */
  private isDenied([one, other]: readonly number[]): boolean {
    const [first, second] = [this.known[one as number]?.keys ?? [], this.known[other as number]?.keys ?? []];
    return this.rungs.some(
      ({ identifies }, rung) => identifies && first[rung] && second[rung] && first[rung] !== second[rung],
    );
  }

  private of(members: readonly number[], side: Side): number {
    return members.reduce((sum, one) => sum + (this.known[one]?.side === side ? 1 : 0), 0);
  }

  /** Records with the same key, for each key that several have. */
  private byKey(rung: number): readonly (readonly number[])[] {
    const first = new Map<string, number>();
    const several = new Map<string, number[]>();
    for (const [at, { keys }] of this.known.entries()) {
      const key = keys[rung] ?? '';
      if (key === '') continue;
      const earlier = first.get(key);
      if (earlier === undefined) {
        first.set(key, at);
        continue;
      }
      const members = several.get(key);
      if (members) members.push(at);
      else several.set(key, [earlier, at]);
    }
    return [...several.values()];
  }

  private told(groups: UnionFind, standing: Uint8Array): Reconciled {
    const agree: Pair[] = [];
    const differ: Pair[] = [];
    const onlyLeft: string[] = [];
    const onlyRight: string[] = [];
    const doubled: RecordGroup[] = [];
    const untold: RecordGroup[] = [];
    const members = new Map<number, Known[]>();
    for (const [at, one] of this.known.entries()) {
      if (standing[at] === alone) (one.side === 'left' ? onlyLeft : onlyRight).push(one.id);
      else {
        const root = groups.root(at);
        const some = members.get(root);
        if (some) some.push(one);
        else members.set(root, [one]);
      }
    }
    for (const [root, some] of members) {
      const [left, right] = (['left', 'right'] as const).map((side) => some.filter((one) => one.side === side)) as [
        Known[],
        Known[],
      ];
      const group = { left: left.map(({ id }) => id), right: right.map(({ id }) => id) };
      if (standing[root] === unclear) untold.push(group);
      else if (left.length === 1 && right.length === 1) {
        const pair = { left: left[0]?.id as string, right: right[0]?.id as string };
        (left[0]?.digest === right[0]?.digest ? agree : differ).push(pair);
      } else doubled.push(group);
    }
    const { left, right } = this.at;
    return { left: left.size, right: right.size, agree, differ, onlyLeft, onlyRight, doubled, unclear: untold };
  }
}
