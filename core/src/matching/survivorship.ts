import { saysNo } from '../values/consent.ts';
import { readInstant } from '../values/dates.ts';
import type { Field } from '../values/field.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import { keyText, textLength } from '../values/text.ts';
import { isEmpty, type JsonRecord, toText, type Value } from '../values/value.ts';

/** Which value wins when records become one. */
export const survivorRules = ['newest', 'most_complete', 'most_frequent', 'longest', 'trusted'] as const;
export type SurvivorRule = (typeof survivorRules)[number];

/** The words people read for a rule. */
export const survivorRuleLabels: Readonly<Record<SurvivorRule, string>> = {
  newest: 'the newest',
  most_complete: 'from the most complete record',
  most_frequent: 'the most frequent',
  longest: 'the longest',
  trusted: 'from the trusted app',
};

/** A record that becomes part of a golden one. */
export interface Contributor {
  readonly id: string;
  readonly record: JsonRecord;
  /** When it last changed, where its app keeps that. */
  readonly updated?: string | undefined;
  /** True when it comes from the app whose word counts first. */
  readonly isTrusted?: boolean | undefined;
}

/** How one field is chosen: by a rule, or by hand from one record. */
export type SurvivorChoice = { readonly rule: SurvivorRule } | { readonly from: string };

/** A golden record: its values, and from which record each came. */
export interface GoldenRecord {
  readonly values: Readonly<Record<Pointer, Value>>;
  readonly from: Readonly<Record<Pointer, string>>;
}

/** How many of the fields hold something. */
export function completeness(record: JsonRecord, fields: readonly Pick<Field, 'path'>[]): number {
  return fields.filter(({ path }) => !isEmpty(readPointer(record, path as Pointer))).length;
}

/**
 * One record of several, field by field. An empty value never wins over one that says something; a
 * value that a rule can't tell from another goes to the newer record, then to the one named first. A no
 * to being contacted wins over every rule, and over a choice by hand.
 *
 * Law: every value stands in one of the records; the order of the records decides ties only.
 */
export function goldenRecord(
  records: readonly Contributor[],
  fields: readonly (Pick<Field, 'path'> & Partial<Pick<Field, 'label' | 'type'>>)[],
  choices: Readonly<Record<Pointer, SurvivorChoice>> = {},
  usual: SurvivorRule = 'newest',
): GoldenRecord {
  const values: Record<Pointer, Value> = {};
  const from: Record<Pointer, string> = {};
  const byAge = [...records].sort((a, b) => compareInstants(b.updated, a.updated));
  const byFilled = new Map(records.map((one) => [one.id, completeness(one.record, fields)]));
  for (const field of fields) {
    const { path } = field;
    const choice = choices[path] ?? { rule: usual };
    const told = byAge.filter((one) => !isEmpty(readPointer(one.record, path as Pointer)));
    const refusing = told.find((one) => saysNo(field, readPointer(one.record, path as Pointer)));
    const winner =
      refusing ??
      ('from' in choice
        ? records.find((one) => one.id === choice.from)
        : pick(choice.rule, told, path as Pointer, (one) => byFilled.get(one.id) ?? 0));
    if (!winner) continue;
    values[path] = readPointer(winner.record, path as Pointer) ?? null;
    from[path] = winner.id;
  }
  return { values, from };
}

/** The first of `told` (the newest first) that the rule prefers. */
function pick(
  rule: SurvivorRule,
  told: readonly Contributor[],
  path: Pointer,
  filled: (one: Contributor) => number,
): Contributor | undefined {
  const valueIn = (one: Contributor): Value => readPointer(one.record, path) ?? null;
  const times = (one: Contributor): number =>
    told.filter((other) => keyText(valueIn(other)) === keyText(valueIn(one))).length;
  const worth: Record<SurvivorRule, (one: Contributor) => number> = {
    newest: () => 0,
    most_complete: filled,
    most_frequent: times,
    longest: (one) => textLength(toText(valueIn(one))),
    trusted: (one) => (one.isTrusted ? 1 : 0),
  };
  return told.reduce<Contributor | undefined>(
    (best, one) => (best === undefined || worth[rule](one) > worth[rule](best) ? one : best),
    undefined,
  );
}

function compareInstants(one: string | undefined, other: string | undefined): number {
  const at = (text: string | undefined): string => (text ? (readInstant(text, 'utc') ?? '') : '');
  return at(one) < at(other) ? -1 : at(one) > at(other) ? 1 : 0;
}

/** The record that stays when several become one: the most complete, then the one that is linked most, then the oldest. */
export function survivorOf(
  records: readonly Contributor[],
  fields: readonly Pick<Field, 'path'>[],
  linksTo: (id: string) => number = () => 0,
): string | undefined {
  const sorted = [...records].sort(
    (a, b) =>
      completeness(b.record, fields) - completeness(a.record, fields) ||
      linksTo(b.id) - linksTo(a.id) ||
      a.id.localeCompare(b.id, 'en', { numeric: true }),
  );
  return sorted[0]?.id;
}
