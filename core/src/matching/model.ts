import type { Comparison } from './levels.ts';

/**
 * What a pair can be. Fellegi and Sunter know two answers, match and not; colleagues and families
 * need a finer one, for they share firm, house and switchboard as truly as one person's two records
 * do. So a pair is one of five: the same in both aspects, two of one place (colleagues), two of one
 * place and one family, the same name only, or nothing to do with each other.
 */
export const PairClass = { match: 0, samePlace: 1, kin: 2, sameName: 3, unrelated: 4 } as const;
/** How many of these classes there are. */
export const classCount = 5;

/** Chances of a comparison's levels in each kind of pair. */
export interface LevelChances {
  readonly key: string;
  /** In pairs that are the same in this comparison's aspect (Fellegi–Sunter's m). */
  readonly same: readonly number[];
  /** In pairs that are the same in the other aspect only: what colleagues' names or namesakes' firms have in common. */
  readonly other: readonly number[];
  /** In pairs of one place and one family; as `other` for what bears on where. */
  readonly kin: readonly number[];
  /** In pairs drawn at random (Fellegi–Sunter's u). */
  readonly random: readonly number[];
  /**
   * Of what bears on where, in pairs of one place and in those of one family there: colleagues share
   * the house, but not always the telephone. As `same` where it wasn't learnt.
   */
  readonly inPlace?: { readonly place: readonly number[]; readonly kin: readonly number[] };
  /** How common the agreed value is on average in pairs of the same, by level; 0 where rarity doesn't count. */
  readonly usualShare: readonly number[];
}

/** Weights of a match: plain data, kept with a number. */
export interface MatchModel {
  readonly comparisons: readonly LevelChances[];
  /** Share of all pairs that are match, same place, kin and same name; the rest is unrelated. */
  readonly priors: readonly [number, number, number, number];
  /** From how many pairs it was learnt; 0 for the fixed weights. */
  readonly learntFrom: number;
  /** The paths of the fields that the comparisons are of, by position, where it may serve other fields too. */
  readonly fields?: readonly string[];
}

/** The level of every comparison at which two values are the same. */
const sameLevel = 2;
/** However rare its words: a name that is alike, and nothing else, isn't taken without asking (common practice). */
const mostByFirmName = 0.85;

/** A rare value says at most this much more than a usual one, and a common one this much less. */
const mostRarity = 60;
const leastRarity = 1 / 20;

/** The factor by which chance agreement on a value is likelier than on a usual one. */
export function rarityFactor(share: number, usual: number): number {
  if (usual <= 0 || share >= 1) return 1;
  return Math.min(mostRarity, Math.max(leastRarity, share / usual));
}

/**
 * Chances of a comparison's levels, held so that agreement never speaks against two records being one,
 * nor a difference for it: in a table where nearly all values are alike, chance says otherwise.
 */
const heldChances = (
  comparison: Comparison | undefined,
  chances: readonly number[],
  ofSame: readonly number[],
): number[] =>
  chances.map((chance, level) => {
    const same = ofSame[level] as number;
    const bearing = comparison?.levels[level]?.bearing;
    if (bearing === 'agrees') return Math.min(chance, same);
    return bearing === 'differs' ? Math.max(chance, same) : chance;
  });

/** A model made ready for weighing many pairs. */
export class Weigher {
  private readonly count: number;
  private readonly isWho: boolean[];
  private readonly logSame: Float64Array[];
  private readonly other: Float64Array[];
  private readonly random: Float64Array[];
  private readonly kin: Float64Array[];
  private readonly logOther: Float64Array[];
  private readonly logKin: Float64Array[];
  private readonly logRandom: Float64Array[];
  /** Of what bears on where, in pairs of one place and of one family. */
  private readonly logWhere: Float64Array[];
  private readonly logKinWhere: Float64Array[];
  /** The most that everything which bears on where can speak for a match against those two. */
  private readonly mostOverPlace: number;
  private readonly mostOverKin: number;
  private readonly usual: Float64Array[];
  private readonly logPriors: Float64Array;
  /** For each comparison which levels speak for one and the same. */
  private readonly speaksFor: boolean[][];
  private readonly agrees: boolean[][];
  /** The comparisons of names of firms. */
  private readonly isFirmName: boolean[];
  /** How likely each class is for the pair weighed last. */
  readonly posterior = new Float64Array(classCount);

  constructor(
    readonly comparisons: readonly Comparison[],
    readonly model: MatchModel,
    /** An organisation that moved is the same one; a person of that name elsewhere is another. */
    private readonly isPlaceTelling = true,
  ) {
    this.count = comparisons.length;
    this.isWho = comparisons.map(({ aspect }) => aspect === 'who');
    this.speaksFor = comparisons.map(({ levels }) =>
      levels.map(({ bearing }) => bearing === 'agrees' || bearing === 'alike'),
    );
    this.agrees = comparisons.map(({ levels }) => levels.map(({ bearing }) => bearing === 'agrees'));
    this.isFirmName = comparisons.map(({ key }) => key.startsWith('company:'));
    const typed = (values: readonly number[]): Float64Array => Float64Array.from(values);
    this.logSame = model.comparisons.map(({ same }) => typed(same.map(Math.log)));
    const held = (which: (chances: LevelChances) => readonly number[]): Float64Array[] =>
      model.comparisons.map((chances, at) => typed(heldChances(comparisons[at], which(chances), chances.same)));
    this.other = held(({ other }) => other);
    this.random = held(({ random }) => random);
    this.kin = held(({ kin }) => kin);
    this.logWhere = held(({ inPlace, same }) => inPlace?.place ?? same).map((chances) => chances.map(Math.log));
    this.logKinWhere = held(({ inPlace, same }) => inPlace?.kin ?? same).map((chances) => chances.map(Math.log));
    this.mostOverPlace = this.mostOver(this.logWhere);
    this.mostOverKin = this.mostOver(this.logKinWhere);
    this.logKin = this.kin.map((chances) => chances.map(Math.log));
    this.logOther = this.other.map((chances) => chances.map(Math.log));
    this.logRandom = this.random.map((chances) => chances.map(Math.log));
    this.usual = model.comparisons.map(({ usualShare }) => typed(usualShare));
    const unrelated = 1 - model.priors.reduce((sum, prior) => sum + prior, 0);
    this.logPriors = typed([...model.priors, unrelated].map((prior) => Math.log(Math.max(prior, 1e-300))));
  }

  private mostOver(where: readonly Float64Array[]): number {
    return where.reduce((sum, chances, one) => {
      if (this.isWho[one]) return sum;
      const same = this.logSame[one] as Float64Array;
      return sum + chances.reduce((most, chance, level) => Math.max(most, (same[level] as number) - chance), 0);
    }, 0);
  }

  /**
   * The most that `weigh` can come to, from the comparisons that bear on who alone: two of one place
   * have everything else in common nearly as truly as one record's double has.
   */
  mostPossible(levels: ArrayLike<number>, shares: ArrayLike<number>): number {
    let match = this.logPriors[0] as number;
    let place = this.logPriors[1] as number;
    let kin = this.logPriors[2] as number;
    let name = this.logPriors[3] as number;
    let unrelated = this.logPriors[4] as number;
    for (let one = 0; one < this.count; one++) {
      const level = levels[one] as number;
      if (!this.isWho[one] || level < 2) continue;
      const same = (this.logSame[one] as Float64Array)[level] as number;
      this.byChance(one, level, shares[one] as number);
      match += same;
      name += same;
      place += this.chances.other;
      kin += this.chances.kin;
      unrelated += this.chances.random;
    }
    const inPlace = 1 / (1 + Math.exp(place - match - this.mostOverPlace) + Math.exp(kin - match - this.mostOverKin));
    return this.isPlaceTelling ? inPlace : Math.max(inPlace, 1 / (1 + Math.exp(unrelated - name)));
  }

  /** Logarithms of the chances of a level without being the same, into `chances`. */
  private byChance(one: number, level: number, share: number): void {
    const usual = (this.usual[one] as Float64Array)[level] as number;
    const chances = this.chances;
    if (usual <= 0 || share >= 1) {
      chances.random = (this.logRandom[one] as Float64Array)[level] as number;
      chances.other = (this.logOther[one] as Float64Array)[level] as number;
      chances.kin = (this.logKin[one] as Float64Array)[level] as number;
      return;
    }
    // Agreement by chance is likelier on a common value; agreement with a reason isn't.
    const random = (this.random[one] as Float64Array)[level] as number;
    const most = this.agrees[one]?.[level] ? Math.exp((this.logSame[one] as Float64Array)[level] as number) : 1;
    const byChance = Math.min(most, random * rarityFactor(share, usual));
    chances.random = Math.log(byChance);
    chances.other = Math.log(Math.max(0, ((this.other[one] as Float64Array)[level] as number) - random) + byChance);
    chances.kin = Math.log(Math.max(0, ((this.kin[one] as Float64Array)[level] as number) - random) + byChance);
  }
  private readonly chances = { random: 0, other: 0, kin: 0 };

  /** The probability that two records are one and the same; `posterior` tells the classes apart. */
  weigh(levels: ArrayLike<number>, shares: ArrayLike<number>, at = 0): number {
    let match = this.logPriors[0] as number;
    let place = this.logPriors[1] as number;
    let kin = this.logPriors[2] as number;
    let name = this.logPriors[3] as number;
    let unrelated = this.logPriors[4] as number;
    for (let one = 0; one < this.count; one++) {
      const level = levels[at + one] as number;
      if (level < 2) continue;
      const same = (this.logSame[one] as Float64Array)[level] as number;
      this.byChance(one, level, shares[at + one] as number);
      const { random: logChance, other: logOther, kin: logKin } = this.chances;
      match += same;
      unrelated += logChance;
      if (this.isWho[one]) {
        place += logOther;
        kin += logKin;
        name += same;
      } else {
        place += (this.logWhere[one] as Float64Array)[level] as number;
        kin += (this.logKinWhere[one] as Float64Array)[level] as number;
        name += logOther;
      }
    }
    const most = Math.max(match, place, kin, name, unrelated);
    const posterior = this.posterior;
    posterior[0] = Math.exp(match - most);
    posterior[1] = Math.exp(place - most);
    posterior[2] = Math.exp(kin - most);
    posterior[3] = Math.exp(name - most);
    posterior[4] = Math.exp(unrelated - most);
    let sum = 0;
    for (let one = 0; one < classCount; one++) sum += posterior[one] as number;
    for (let one = 0; one < classCount; one++) posterior[one] = (posterior[one] as number) / sum;
    if (this.isPlaceTelling) return posterior[0] as number;
    const probability = (posterior[0] as number) + (posterior[3] as number);
    return probability > mostByFirmName && this.isByLikeNameAlone(levels, at) ? mostByFirmName : probability;
  }

  /** Whether all that speaks for two firms being one is that their names are alike, not the same. */
  private isByLikeNameAlone(levels: ArrayLike<number>, at: number): boolean {
    let hasName = false;
    for (let one = 0; one < this.count; one++) {
      const level = levels[at + one] as number;
      if (!this.speaksFor[one]?.[level]) continue;
      if (!this.isFirmName[one] || level === sameLevel) return false;
      hasName = true;
    }
    return hasName;
  }

  /**
   * What a level of one comparison speaks for, in bits: how much likelier it is in two records of
   * one than in two that have nothing to do with each other (Fellegi–Sunter's weight).
   */
  bits(comparison: number, level: number, share: number): number {
    if (level < 2) return 0;
    this.byChance(comparison, level, share);
    return (((this.logSame[comparison] as Float64Array)[level] as number) - this.chances.random) / Math.LN2;
  }
}
