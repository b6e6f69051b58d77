import { type Comparison, levelsOf } from '../levels.ts';
import { postcode, streetLine, town } from '../normalise/place.ts';
import { isOneSlip } from '../text/edit-distance.ts';
import { areAlike } from '../text/jaro-winkler.ts';
import { type Column, hashText, type KeyParts, type Verdicts } from './column.ts';
import { Dictionary, PairMemory } from './dictionary.ts';
import { GrowingInts } from './growing.ts';

const streetLevels = levelsOf(
  { name: 'same street and number', bearing: 'agrees', expected: 0.5, byChance: 0.0001, isByRarity: true },
  { name: 'same street, a number missing', bearing: 'agrees', expected: 0.05, byChance: 0.001, isByRarity: true },
  { name: 'same number, street alike', bearing: 'agrees', expected: 0.12, byChance: 0.0005, isByRarity: true },
  { name: 'same street, other number', bearing: 'alike', expected: 0.06, byChance: 0.01, isByRarity: true },
  { name: 'differs', bearing: 'differs', expected: 0.27, byChance: 0.99 },
);

const cityLevels = levelsOf(
  { name: 'same postcode', bearing: 'agrees', expected: 0.52, byChance: 0.001, isByRarity: true },
  { name: 'postcode with a slip', bearing: 'agrees', expected: 0.08, byChance: 0.001 },
  { name: 'same town', bearing: 'agrees', expected: 0.18, byChance: 0.01, isByRarity: true },
  { name: 'town alike', bearing: 'alike', expected: 0.02, byChance: 0.001 },
  { name: 'other postcode, same town', bearing: 'alike', expected: 0.05, byChance: 0.01, isByRarity: true },
  { name: 'same postal area', bearing: 'alike', expected: 0.02, byChance: 0.02 },
  { name: 'differs', bearing: 'differs', expected: 0.13, byChance: 0.95 },
);

/** A street with its number. */
export class StreetColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly streets = new Dictionary();
  private readonly numbers = new Dictionary();
  private readonly lines = new Dictionary();
  private readonly cells = new GrowingInts();
  readonly held = [this.streets, this.numbers, this.lines, this.cells];
  private readonly memory = new PairMemory();

  constructor(
    private readonly field: number,
    label: string,
  ) {
    this.comparisons = [{ key: `street:${field}`, label, fields: [field], aspect: 'where', levels: streetLevels }];
  }

  add(record: readonly string[]): void {
    const { name, number } = streetLine(record[this.field] as string);
    this.cells.push(this.streets.add(name));
    this.cells.push(name === '' ? -1 : this.numbers.add(number));
    this.cells.push(name === '' ? -1 : this.lines.add(`${name} ${number}`));
  }

  forget(record: number): void {
    this.streets.remove(this.cells.at(record * 3));
    this.numbers.remove(this.cells.at(record * 3 + 1));
    this.lines.remove(this.cells.at(record * 3 + 2));
  }

  complete(): void {
    for (const one of [this.streets, this.numbers, this.lines]) one.complete();
  }

  /** 0 alike, 1 not. */
  private readonly compareStreets = (a: number, b: number): number => {
    const textA = this.streets.text(a);
    const textB = this.streets.text(b);
    const shorter = Math.min(textA.length, textB.length);
    if (shorter >= 4 && (isOneSlip(textA, textB) || textA.startsWith(textB) || textB.startsWith(textA))) return 0;
    return areAlike(textA, textB, 0.9) ? 0 : 1;
  };

  compare(a: number, b: number, { levels, shares }: Verdicts, at: number): void {
    const streetA = this.cells.at(a * 3);
    const streetB = this.cells.at(b * 3);
    shares[at] = 1;
    if (streetA < 0 || streetB < 0) {
      levels[at] = streetA < 0 && streetB < 0 ? 0 : 1;
      return;
    }
    const numberA = this.cells.at(a * 3 + 1);
    const numberB = this.cells.at(b * 3 + 1);
    if (streetA === streetB) {
      if (numberA === numberB) {
        levels[at] = 2;
        shares[at] = this.lines.share(this.cells.at(a * 3 + 2));
      } else {
        levels[at] = numberA < 0 || numberB < 0 ? 3 : 5;
        shares[at] = this.streets.share(streetA);
        // "Oak Street 12" and "Oak Street 12a", "1Z": one slip in the number.
        if (
          levels[at] === 5 &&
          isOneSlip(this.numbers.text(numberA), this.numbers.text(numberB)) &&
          this.numbers.text(numberA).length + this.numbers.text(numberB).length >= 5
        )
          levels[at] = 4;
      }
      return;
    }
    const isAlike = this.memory.get(streetA, streetB, this.compareStreets) === 0;
    if (isAlike && numberA === numberB && numberA >= 0) {
      levels[at] = 4;
      shares[at] = Math.min(this.streets.share(streetA), this.streets.share(streetB));
    } else if (isAlike) {
      levels[at] = numberA < 0 || numberB < 0 ? 3 : 5;
      shares[at] = Math.min(this.streets.share(streetA), this.streets.share(streetB));
    } else levels[at] = 6;
  }

  parts(record: number, parts: KeyParts): void {
    const street = this.cells.at(record * 3);
    if (street < 0) return;
    const number = this.cells.at(record * 3 + 1);
    const name = this.streets.text(street);
    if (number >= 0) parts.street.push(hashText(`${name.slice(0, 4)} ${this.numbers.text(number)}`));
    else parts.street.push(hashText(name));
  }
}

/** Postcode and town, which say much the same: one comparison for both. */
export class LocalityColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly codes = new Dictionary();
  private readonly towns = new Dictionary();
  private readonly cells = new GrowingInts();
  readonly held = [this.codes, this.towns, this.cells];
  private readonly codeMemory = new PairMemory(14);
  private readonly townMemory = new PairMemory(14);

  constructor(
    private readonly postcodeField: number | undefined,
    private readonly cityField: number | undefined,
    label: string,
  ) {
    const fields = [postcodeField, cityField].filter((one) => one !== undefined);
    this.comparisons = [{ key: `locality:${fields.join('+')}`, label, fields, aspect: 'where', levels: cityLevels }];
  }

  add(record: readonly string[]): void {
    this.cells.push(
      this.postcodeField === undefined ? -1 : this.codes.add(postcode(record[this.postcodeField] as string)),
    );
    this.cells.push(this.cityField === undefined ? -1 : this.towns.add(town(record[this.cityField] as string)));
  }

  forget(record: number): void {
    this.codes.remove(this.cells.at(record * 2));
    this.towns.remove(this.cells.at(record * 2 + 1));
  }

  complete(): void {
    for (const one of [this.codes, this.towns]) one.complete();
  }

  private readonly compareCodes = (a: number, b: number): number => {
    const textA = this.codes.text(a);
    const textB = this.codes.text(b);
    if (isOneSlip(textA, textB)) return 0;
    return textA.slice(0, 2) === textB.slice(0, 2) ? 1 : 2;
  };

  private readonly compareTowns = (a: number, b: number): number => {
    const textA = this.towns.text(a);
    const textB = this.towns.text(b);
    const shorter = Math.min(textA.length, textB.length);
    if (shorter < 3) return 1;
    return isOneSlip(textA, textB) ||
      (shorter >= 4 && (textA.startsWith(textB) || textB.startsWith(textA))) ||
      areAlike(textA, textB, 0.92)
      ? 0
      : 1;
  };

  compare(a: number, b: number, { levels, shares }: Verdicts, at: number): void {
    const codeA = this.cells.at(a * 2);
    const codeB = this.cells.at(b * 2);
    const townA = this.cells.at(a * 2 + 1);
    const townB = this.cells.at(b * 2 + 1);
    const hasCodes = codeA >= 0 && codeB >= 0;
    const hasTowns = townA >= 0 && townB >= 0;
    shares[at] = 1;
    if (!hasCodes && !hasTowns) levels[at] = codeA < 0 && codeB < 0 && townA < 0 && townB < 0 ? 0 : 1;
    else if (hasCodes && codeA === codeB) levels[at] = 2;
    else if (hasCodes) levels[at] = this.otherCode(codeA, codeB, hasTowns ? this.townsOf(townA, townB) : 'unknown');
    else levels[at] = townA === townB ? 4 : this.townsOf(townA, townB) === 'alike' ? 5 : 8;
    if (levels[at] === 2) shares[at] = this.codes.share(codeA);
    else if (levels[at] === 4 || levels[at] === 6) shares[at] = this.towns.share(townA);
  }

  private townsOf(a: number, b: number): 'same' | 'alike' | 'other' {
    if (a === b) return 'same';
    return this.townMemory.get(a, b, this.compareTowns) === 0 ? 'alike' : 'other';
  }

  /** The level of two postcodes that differ: a slip, another quarter of the town, the same region, or elsewhere. */
  private otherCode(a: number, b: number, towns: 'same' | 'alike' | 'other' | 'unknown'): number {
    const codes = this.codeMemory.get(a, b, this.compareCodes);
    if (codes === 0 && towns !== 'other') return 3;
    if (towns === 'same') return 6;
    return towns === 'alike' || codes === 1 ? 7 : 8;
  }

  parts(record: number, parts: KeyParts): void {
    const code = this.cells.at(record * 2);
    const place = this.cells.at(record * 2 + 1);
    if (code >= 0) parts.postcode.push(hashText(this.codes.text(code)));
    if (place >= 0) parts.city.push(hashText(this.towns.text(place).slice(0, 4)));
  }
}
