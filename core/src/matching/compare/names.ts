import { type Comparison, levelsOf } from '../levels.ts';
import { formsOf, fullName, haveCommonForm, personName } from '../normalise/person.ts';
import { isOneSlip } from '../text/edit-distance.ts';
import { areAlike } from '../text/jaro-winkler.ts';
import { soundOf } from '../text/phonetic.ts';
import { type Column, hashText, type KeyParts, type Verdicts } from './column.ts';
import { Dictionary, GrowingInts, PairMemory } from './dictionary.ts';

/** How two words of names compare. */
const Word = { same: 0, nickname: 1, initial: 2, slip: 3, alike: 4, differs: 5 } as const;

const givenLevels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.66, byChance: 0.01, isByRarity: true },
  { name: 'a short form of it', bearing: 'agrees', expected: 0.05, byChance: 0.004, isByRarity: true },
  { name: 'initial fits', bearing: 'alike', expected: 0.07, byChance: 0.03, isByRarity: true },
  { name: 'one typing slip', bearing: 'agrees', expected: 0.12, byChance: 0.003, isByRarity: true },
  { name: 'alike', bearing: 'alike', expected: 0.05, byChance: 0.003, isByRarity: true },
  { name: 'differs', bearing: 'differs', expected: 0.05, byChance: 0.95 },
);

const familyLevels = levelsOf(
  { name: 'same', bearing: 'agrees', expected: 0.74, byChance: 0.003, isByRarity: true },
  { name: 'part of it', bearing: 'agrees', expected: 0.02, byChance: 0.0004, isByRarity: true },
  { name: 'one typing slip', bearing: 'agrees', expected: 0.14, byChance: 0.002, isByRarity: true },
  { name: 'alike', bearing: 'alike', expected: 0.04, byChance: 0.003, isByRarity: true },
  { name: 'initial fits', bearing: 'alike', expected: 0.01, byChance: 0.02, isByRarity: true },
  { name: 'differs', bearing: 'differs', expected: 0.05, byChance: 0.97 },
);

/** Level of a given name for what its best words came to. */
const givenLevelOf = [2, 3, 4, 5, 6, 7] as const;
/** As above for family names, which have no nicknames. */
const familyLevelOf = [2, 5, 6, 4, 5, 7] as const;
/** How good a level is when both orders of a name are tried: the lower the better. */
const badness = [4, 4, 0, 1, 2, 1, 2, 6] as const;

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
    if (number === this.sounds.length) {
      this.sounds.push(hashText(word.length > 1 ? soundOf(word) : word));
      this.forms.push(formsOf(word));
    }
    const initial = word.charCodeAt(0);
    this.initials.set(initial, (this.initials.get(initial) ?? 0) + 1);
    this.cells.push(number);
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

  /** The best that any two words of two parts come to, and which words; -1 where a part is empty. */
  private best(a: number, countA: number, b: number, countB: number): number {
    let best = -1;
    for (let i = 0; i < countA; i++) {
      const wordA = this.cells.at(a + i);
      if (wordA < 0) break;
      for (let j = 0; j < countB; j++) {
        const wordB = this.cells.at(b + j);
        if (wordB < 0) break;
        const word = this.word(wordA, wordB);
        if (best >= 0 && word >= best) continue;
        best = word;
        this.bestA = wordA;
        this.bestB = wordB;
      }
    }
    return best;
  }
  private bestA = -1;
  private bestB = -1;

  /** How common the words are that a level rests on. */
  private shareOf(word: number): number {
    if (word === Word.initial)
      return (this.initials.get(this.names.text(this.bestA).charCodeAt(0)) ?? 0) / this.names.total;
    return Math.min(this.names.share(this.bestA), this.names.share(this.bestB));
  }

  private count(at: number, most: number): number {
    let count = 0;
    while (count < most && this.cells.at(at + count) >= 0) count += 1;
    return count;
  }

  compare(a: number, b: number, verdicts: Verdicts, at: number): void {
    const { levels, shares } = verdicts;
    const givenA = a * slots;
    const givenB = b * slots;
    const familyA = givenA + givenSlots;
    const familyB = givenB + givenSlots;
    this.given(givenA, givenSlots, givenB, givenSlots, verdicts, at);
    this.family(familyA, familySlots, familyB, familySlots, verdicts, at + 1);
    const straight = (badness[levels[at] as number] as number) + (badness[levels[at + 1] as number] as number);
    if (straight < 5) return;
    const levelG = levels[at] as number;
    const levelF = levels[at + 1] as number;
    const shareG = shares[at] as number;
    const shareF = shares[at + 1] as number;
    // The other order: given of one against family of the other.
    this.given(givenA, givenSlots, familyB, familySlots, verdicts, at);
    this.family(familyA, familySlots, givenB, givenSlots, verdicts, at + 1);
    const crossed = (badness[levels[at] as number] as number) + (badness[levels[at + 1] as number] as number);
    if (crossed < straight - 1) return;
    levels[at] = levelG;
    levels[at + 1] = levelF;
    shares[at] = shareG;
    shares[at + 1] = shareF;
  }

  private given(a: number, countA: number, b: number, countB: number, { levels, shares }: Verdicts, at: number): void {
    const best = this.best(a, countA, b, countB);
    shares[at] = 1;
    if (best < 0) levels[at] = this.cells.at(a) < 0 && this.cells.at(b) < 0 ? 0 : 1;
    else {
      levels[at] = givenLevelOf[best] as number;
      if (best !== Word.differs) shares[at] = this.shareOf(best);
    }
  }

  private family(a: number, countA: number, b: number, countB: number, { levels, shares }: Verdicts, at: number): void {
    const best = this.best(a, countA, b, countB);
    shares[at] = 1;
    if (best < 0) {
      levels[at] = this.cells.at(a) < 0 && this.cells.at(b) < 0 ? 0 : 1;
      return;
    }
    levels[at] = familyLevelOf[best] as number;
    if (best === Word.differs) return;
    shares[at] = this.shareOf(best);
    // One of several family names agrees: a double name that one side shortened, or another family.
    const wordsA = this.count(a, countA);
    const wordsB = this.count(b, countB);
    if (best === Word.same && (wordsA > 1 || wordsB > 1) && !this.allAgree(a, wordsA, b, wordsB)) levels[at] = 3;
  }

  private allAgree(a: number, countA: number, b: number, countB: number): boolean {
    if (countA !== countB) return false;
    for (let i = 0; i < countA; i++)
      if (this.word(this.cells.at(a + i), this.cells.at(b + i)) === Word.differs) return false;
    return true;
  }

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
