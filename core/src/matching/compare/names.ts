import { type Comparison, levelsOf } from '../levels.ts';
import { formsOf, fullName, haveCommonForm, personName } from '../normalise/person.ts';
import { isOneSlip } from '../text/edit-distance.ts';
import { areAlike } from '../text/jaro-winkler.ts';
import { soundOf } from '../text/phonetic.ts';
import { type Column, hashText, type KeyParts, type Verdicts } from './column.ts';
import { Dictionary, PairMemory } from './dictionary.ts';
import { GrowingInts } from './growing.ts';

/** How two words of names compare. */
const Word = { same: 0, nickname: 1, initial: 2, slip: 3, alike: 4, differs: 5 } as const;

const givenLevels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.66, byChance: 0.006, isByRarity: true },
  { name: 'a short form of it', bearing: 'agrees', expected: 0.05, byChance: 0.004, isByRarity: true },
  { name: 'initial fits', bearing: 'alike', expected: 0.07, byChance: 0.006, usualShare: 0.065, isByRarity: true },
  { name: 'one typing slip', bearing: 'agrees', expected: 0.12, byChance: 0.002, isByRarity: true },
  { name: 'alike', bearing: 'alike', expected: 0.05, byChance: 0.003, isByRarity: true },
  { name: 'differs', bearing: 'differs', expected: 0.05, byChance: 0.975 },
);

const familyLevels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.74, byChance: 0.002, isByRarity: true },
  { name: 'part of it', bearing: 'agrees', expected: 0.02, byChance: 0.0003, isByRarity: true },
  { name: 'one typing slip', bearing: 'agrees', expected: 0.14, byChance: 0.0015, isByRarity: true },
  { name: 'alike', bearing: 'alike', expected: 0.04, byChance: 0.004, isByRarity: true },
  { name: 'initial fits', bearing: 'alike', expected: 0.01, byChance: 0.006, usualShare: 0.055, isByRarity: true },
  { name: 'differs', bearing: 'differs', expected: 0.05, byChance: 0.985 },
);

/** Level of a given name for what its best words came to. */
const givenLevelOf = [2, 3, 4, 5, 6, 7] as const;
/** As above for family names, which have no nicknames. */
const familyLevelOf = [2, 5, 6, 4, 5, 7] as const;
/** How bad it is, when both orders of a name are tried. */
const badness = [0, 1, 2, 1, 2, 6] as const;

/** No words on one side, or on either. */
const oneMissing = -1;
const bothMissing = -2;

/** What two parts of names came to. */
interface Part {
  /** The best of `Word`, or that there are none to compare. */
  word: number;
  share: number;
  isPart: boolean;
}

const newPart = (): Part => ({ word: bothMissing, share: 1, isPart: false });
const badnessOf = ({ word }: Part): number => badness[word] ?? 4;

/** Family names are rarer than given names: so the two are told apart when a name stands in either order. */
function isRarer(one: Part, other: Part): boolean {
  if (one.share !== other.share) return one.share < other.share;
  // As common as each other: what tells them apart must not depend on which record stands first.
  return one.word === other.word ? one.isPart && !other.isPart : one.word > other.word;
}

function write({ levels, shares }: Verdicts, at: number, given: Part, family: Part): void {
  levels[at] = given.word === bothMissing ? 0 : given.word === oneMissing ? 1 : (givenLevelOf[given.word] as number);
  shares[at] = given.share;
  const level = family.isPart ? 3 : familyLevelOf[family.word];
  levels[at + 1] = family.word === bothMissing ? 0 : family.word === oneMissing ? 1 : (level as number);
  shares[at + 1] = family.share;
}

const givenSlots = 2;
const familySlots = 3;
const slots = givenSlots + familySlots;

/** Which fields make a person's name: in two fields (each may have several parts), or in one. */
export interface NameFields {
  readonly given: readonly number[];
  readonly family: readonly number[];
  readonly full: readonly number[];
}

/** Names of people: given and family names are two comparisons, tried in both orders. */
export class NameColumn implements Column {
  readonly comparisons: readonly Comparison[];
  private readonly names = new Dictionary();
  private readonly sounds: number[] = [];
  /** Which names each word may be a form of. */
  private readonly forms: (ReadonlySet<number> | undefined)[] = [];
  private readonly initials = new Map<number, number>();
  private readonly cells = new GrowingInts();
  readonly held = [this.names, this.cells];
  private readonly memory = new PairMemory();
  private readonly compareWords: (a: number, b: number) => number;

  constructor(private readonly fields: NameFields) {
    const all = [...fields.given, ...fields.family, ...fields.full];
    this.comparisons = [
      { key: 'given_name', label: 'given name', fields: all, aspect: 'who', levels: givenLevels },
      { key: 'family_name', label: 'family name', fields: all, aspect: 'who', levels: familyLevels },
    ];
    this.compareWords = (a, b) => this.wordsAlike(this.names.text(a), this.names.text(b), a, b);
  }

  add(record: readonly string[]): void {
    const joined = (fields: readonly number[]): string =>
      fields
        .map((field) => record[field] as string)
        .filter((text) => text.trim() !== '')
        .join(' ');
    const whole = joined(this.fields.full);
    const name = whole === '' ? personName(joined(this.fields.given), joined(this.fields.family)) : fullName(whole);
    for (let slot = 0; slot < givenSlots; slot++) this.addWord(name.given[slot]);
    for (let slot = 0; slot < familySlots; slot++) this.addWord(name.family[slot]);
  }

  private addWord(word: string | undefined): void {
    if (word === undefined) {
      this.cells.push(-1);
      return;
    }
    const number = this.names.add(word);
    if (number === this.sounds.length) this.addForms(word);
    this.countInitial(number, 1);
    this.cells.push(number);
  }

  private addForms(word: string): void {
    this.sounds.push(hashText(word.length > 1 ? soundOf(word) : word));
    this.forms.push(formsOf(word));
  }

  private countInitial(word: number, by: number): void {
    const initial = this.names.text(word).charCodeAt(0);
    this.initials.set(initial, (this.initials.get(initial) ?? 0) + by);
  }

  forget(record: number): void {
    this.names.removeAll(this.cells, record * slots, slots);
    for (let at = record * slots; at < (record + 1) * slots; at++)
      if (this.cells.at(at) >= 0) this.countInitial(this.cells.at(at), -1);
  }

  restored(): void {
    this.sounds.length = 0;
    this.forms.length = 0;
    this.initials.clear();
    for (const [word, text] of this.names.texts.entries()) {
      this.addForms(text);
      this.countInitial(word, this.names.count(word));
    }
  }

  complete(): void {
    this.names.complete();
  }

  private wordsAlike(a: string, b: string, numberA: number, numberB: number): number {
    if (a.length === 1 || b.length === 1) return a.charCodeAt(0) === b.charCodeAt(0) ? Word.initial : Word.differs;
    const shorter = Math.min(a.length, b.length);
    if (shorter >= 3 && isOneSlip(a, b)) return Word.slip;
    if (haveCommonForm(this.forms[numberA], this.forms[numberB])) return Word.nickname;
    // "Chr", "Chris": the beginning of the other.
    if (shorter >= 3 && (a.startsWith(b) || b.startsWith(a))) return Word.nickname;
    if (shorter >= 4 && this.sounds[numberA] === this.sounds[numberB]) return Word.alike;
    return shorter >= 4 && areAlike(a, b, 0.9) ? Word.alike : Word.differs;
  }

  private word(a: number, b: number): number {
    return a === b ? Word.same : this.memory.get(a, b, this.compareWords);
  }

  /** How common the words are that a comparison rests on. */
  private shareOf(word: number, a: number, b: number): number {
    if (word === Word.differs) return 1;
    if (word === Word.initial) return (this.initials.get(this.names.text(a).charCodeAt(0)) ?? 0) / this.names.total;
    return Math.min(this.names.share(a), this.names.share(b));
  }

  /** Compares two parts of names into `into`: the best that any two of their words come to, the rarer the better. */
  private parted(a: number, countA: number, b: number, countB: number, into: Part): void {
    into.word = this.cells.at(a) < 0 && this.cells.at(b) < 0 ? bothMissing : oneMissing;
    into.share = 1;
    let wordsA = 0;
    let wordsB = 0;
    for (let i = 0; i < countA; i++) {
      const wordA = this.cells.at(a + i);
      if (wordA < 0) break;
      wordsA += 1;
      wordsB = 0;
      for (let j = 0; j < countB; j++) {
        const wordB = this.cells.at(b + j);
        if (wordB < 0) break;
        wordsB += 1;
        const word = this.word(wordA, wordB);
        if (into.word >= 0 && word > into.word) continue;
        const share = this.shareOf(word, wordA, wordB);
        if (into.word >= 0 && word === into.word && share >= into.share) continue;
        into.word = word;
        into.share = share;
      }
    }
    // One of several names agrees: a double name that one side shortened, or another family.
    into.isPart = into.word === Word.same && (wordsA > 1 || wordsB > 1) && !this.allAgree(a, wordsA, b, wordsB);
  }

  private allAgree(a: number, countA: number, b: number, countB: number): boolean {
    if (countA !== countB) return false;
    for (let i = 0; i < countA; i++)
      if (this.word(this.cells.at(a + i), this.cells.at(b + i)) === Word.differs) return false;
    return true;
  }

  compare(a: number, b: number, verdicts: Verdicts, at: number): void {
    const [givenA, givenB] = [a * slots, b * slots];
    const [familyA, familyB] = [givenA + givenSlots, givenB + givenSlots];
    const [given, family, one, other] = this.room;
    this.parted(givenA, givenSlots, givenB, givenSlots, given);
    this.parted(familyA, familySlots, familyB, familySlots, family);
    const straight = badnessOf(given) + badnessOf(family);
    if (straight >= 5) {
      // The other order: given of one against family of the other.
      this.parted(givenA, givenSlots, familyB, familySlots, one);
      this.parted(familyA, familySlots, givenB, givenSlots, other);
      if (badnessOf(one) + badnessOf(other) < straight - 1) {
        const isOneFamily = other.word < 0 || (one.word >= 0 && isRarer(one, other));
        write(verdicts, at, isOneFamily ? other : one, isOneFamily ? one : other);
        return;
      }
    }
    write(verdicts, at, given, family);
  }
  private readonly room = [newPart(), newPart(), newPart(), newPart()] as const;

  parts(record: number, parts: KeyParts): void {
    for (let slot = 0; slot < slots; slot++) {
      const word = this.cells.at(record * slots + slot);
      if (word < 0 || this.names.text(word).length < 2) continue;
      parts.names.push(this.sounds[word] as number);
      const text = this.names.text(word);
      parts.spelt.push(hashText(text));
      parts.pieces.push(hashText(text.slice(0, 3), 1), hashText(text.slice(-3), 2));
    }
  }
}
