import { fromLogOdds, logOdds, sureOf } from './thirds.ts';
import { Neighbours, type WeighedPair, type WeighedPairs } from './weighed-pairs.ts';

/** A pair whose truth a third record tells. */
interface Told {
  readonly probability: number;
  readonly isOne: boolean;
}

/** A third that is surely one of the two tells by the other: from here on it says "one"… */
const saysOne = 0.95;
/** …and below this "two". */
const saysTwo = 0.02;
/** Fewer told pairs of either kind teach nothing. */
const fewestTold = 20;

/** Where the correction is learnt, as logarithms of odds; between two it is drawn straight. */
const knots = [-3.9, -2.5, -1.2, 0, 1.2, 2.5, 4.5] as const;
/** Above the last knot the correction fades out over so much. */
const fadesOver = 3;
/** How strongly each knot is held at no correction, and near its neighbours, in told pairs. */
const [holdsAtNone, holdsTogether] = [12, 15];
/** Small steps up to the best curve. */
const rounds = 200;

/**
 * Pairs of which a third record tells the truth. Somebody with three records, of which two are surely
 * one, tells of the third record whether it is theirs as well by the surer of the two pairs: so the
 * table itself shows how often pairs that look like 40 % are one.
 */
function toldPairs(size: number, pairs: WeighedPairs): Told[] {
  const near = new Neighbours(size, pairs);
  const told: Told[] = [];
  for (const { a, b, probability } of pairs) {
    let [ones, twos, open] = [0, 0, 0];
    const hear = (record: number, other: number): void => {
      for (let seat = near.from(record); seat < near.to(record); seat++) {
        const third = near.other(seat);
        if (third === other || near.sure(seat) < sureOf) continue;
        const said = near.between(other, third) ?? 0;
        if (said > saysOne) ones += 1;
        else if (said < saysTwo) twos += 1;
        else open += 1;
      }
    };
    hear(a, b);
    hear(b, a);
    if (ones > 0 && twos === 0) told.push({ probability, isOne: true });
    else if (twos > 0 && ones === 0 && open === 0) told.push({ probability, isOne: false });
  }
  return told;
}

/** Between which knots odds lie, and how far along. */
function placeOf(odds: number): readonly [number, number] {
  const last = knots.length - 1;
  if (odds <= knots[0]) return [0, 0];
  if (odds >= (knots[last] as number)) return [last - 1, 1];
  let at = 0;
  while (odds > (knots[at + 1] as number)) at++;
  const from = knots[at] as number;
  return [at, (odds - from) / ((knots[at + 1] as number) - from)];
}

function drawnAt(corrections: readonly number[], [at, share]: readonly [number, number]): number {
  return (corrections[at] as number) * (1 - share) + (corrections[at + 1] as number) * share;
}

function correctionAt(corrections: readonly number[], odds: number): number {
  const drawn = drawnAt(corrections, placeOf(odds));
  const beyond = odds - (knots[knots.length - 1] as number);
  return beyond > 0 ? drawn * Math.max(0, 1 - beyond / fadesOver) : drawn;
}

/** The correction at each knot under which the told pairs are likeliest, held back by both ties (ridge). */
function learnCorrections(told: readonly Told[]): number[] {
  const corrections: number[] = knots.map(() => 0);
  const odds = told.map(({ probability }) => logOdds(probability));
  const places = odds.map(placeOf);
  for (let round = 0; round < rounds; round++) {
    const slope = corrections.map((one, at) => {
      const before = at > 0 ? (corrections[at - 1] as number) - one : 0;
      const after = at < knots.length - 1 ? (corrections[at + 1] as number) - one : 0;
      return holdsTogether * (before + after) - holdsAtNone * one;
    });
    const bend = corrections.map(() => holdsAtNone + 2 * holdsTogether);
    for (const [index, { isOne }] of told.entries()) {
      const [at, share] = places[index] as readonly [number, number];
      const said = fromLogOdds((odds[index] as number) + drawnAt(corrections, [at, share]));
      const off = (isOne ? 1 : 0) - said;
      slope[at] = (slope[at] as number) + off * (1 - share);
      slope[at + 1] = (slope[at + 1] as number) + off * share;
      bend[at] = (bend[at] as number) + said * (1 - said) * (1 - share);
      bend[at + 1] = (bend[at + 1] as number) + said * (1 - said) * share;
    }
    // Newton's step for each knot by itself, halved, for they are moved at once.
    for (const at of corrections.keys())
      corrections[at] = (corrections[at] as number) + (0.5 * (slope[at] as number)) / (bend[at] as number);
  }
  // What was likelier stays likelier.
  for (let at = 1; at < knots.length; at++) {
    const least = (corrections[at - 1] as number) + (knots[at - 1] as number) - (knots[at] as number);
    corrections[at] = Math.max(corrections[at] as number, least);
  }
  return corrections;
}

/**
 * How probabilities of a table's pairs are corrected so that they mean what they say, learnt from the
 * table itself without labels. The model takes fields as independent, which they aren't: what differs
 * in one field through haste differs in the next one too, so that its middle is wrong in large tables,
 * where there are many to be taken for. The correction is a monotone curve through seven points of the
 * odds, fitted by logistic regression (after Platt, 1999) to the pairs that a third record tells of;
 * with too few of those it changes nothing.
 *
 * @param size - how many records there are
 * @param pairs - weighed pairs, each once
 */
export function calibrationOf(size: number, pairs: WeighedPairs): (probability: number) => number {
  const told = toldPairs(size, pairs);
  const ones = told.filter(({ isOne }) => isOne).length;
  if (ones < fewestTold || told.length - ones < fewestTold) return (probability) => probability;
  const corrections = learnCorrections(told);
  return (probability) => {
    const odds = logOdds(probability);
    const correction = correctionAt(corrections, odds);
    return correction === 0 ? probability : fromLogOdds(odds + correction);
  };
}

/** Bins when it is judged whether probabilities mean what they say, and how many pairs one has at least. */
const [mostBins, leastInBin] = [20, 200];

/**
 * How far at most, in up to 20 bins of equally many pairs (200 or more) between 5 % and 99 %, the share
 * of true pairs lies from the mean probability; nothing where there aren't 200 pairs.
 *
 * @param isTrue - what labels say of a pair
 */
export function calibrationGap(
  pairs: Iterable<WeighedPair>,
  isTrue: (pair: WeighedPair) => boolean,
): number | undefined {
  const between = [...pairs]
    .filter(({ probability }) => probability > 0.05 && probability < 0.99)
    .sort((a, b) => a.probability - b.probability);
  const binSize = Math.max(leastInBin, Math.floor(between.length / mostBins));
  let gap: number | undefined;
  for (let from = 0; from + binSize <= between.length; from += binSize) {
    const bin = between.slice(from, from + binSize);
    const mean = bin.reduce((sum, { probability }) => sum + probability, 0) / binSize;
    gap = Math.max(gap ?? 0, Math.abs(mean - bin.filter(isTrue).length / binSize));
  }
  return gap;
}
