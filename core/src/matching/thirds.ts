import { Neighbours, type WeighedPairs } from './weighed-pairs.ts';

/** The logarithm of the odds of a probability; what is nearly sure counts as one in a million. */
export const logOdds = (probability: number): number => {
  const held = Math.min(1 - 1e-6, Math.max(1e-6, probability));
  return Math.log(held / (1 - held));
};

/** The probability that odds with this logarithm stand for. */
export const fromLogOdds = (odds: number): number => 1 / (1 + Math.exp(-odds));

/** From here on two records are taken as one to hear what the other of them says. */
export const sureOf = 0.99;
/** The odds of pairs that weren't worth keeping. */
const unseen = logOdds(0.004);
/** The odds of two who are both surely one with the same third. */
const byTheSame = logOdds(0.9997);
/** So many records of one person are heard; more say the same. */
const mostHeard = 6;

/**
 * Pairs with what the surely known other records of the two say: two who are one with a third are one
 * with each other. Where A and B have other records that are surely theirs, the odds of the pair are
 * the mean, in logarithms, of those of every record of A with every record of B. The mean and not the
 * sum: records of one person hold much the same, so that each speaks of the same evidence once more
 * (by labelled pairs of contacts, taking them as independent made both middle and ends untrue).
 *
 * @param size - how many records there are
 * @param pairs - each once; pairs that aren't given are taken as unlikely
 */
export function withThirds(size: number, pairs: WeighedPairs): WeighedPairs {
  const near = new Neighbours(size, pairs);
  const recordsOf = (record: number, but: number): number[] => {
    const records = [record];
    for (let seat = near.from(record); seat < near.to(record) && records.length < mostHeard; seat++)
      if (near.other(seat) !== but && near.sure(seat) > sureOf) records.push(near.other(seat));
    return records;
  };
  return pairs.reweighed((probability, index) => {
    const [a, b] = [pairs.a[index] as number, pairs.b[index] as number];
    const [ofA, ofB] = [recordsOf(a, b), recordsOf(b, a)];
    if (ofA.length === 1 && ofB.length === 1) return probability;
    let sum = 0;
    for (const one of ofA)
      for (const other of ofB) {
        const known = near.between(one, other);
        sum += one === other ? byTheSame : known === undefined ? unseen : logOdds(known);
      }
    return fromLogOdds(sum / (ofA.length * ofB.length));
  });
}
