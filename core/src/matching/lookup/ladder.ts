import { z } from 'zod';
import { RefSchema } from '../../mapping/filling.ts';
import type { Found } from '../../run/plan.ts';
import { IdSchema } from '../../values/id.ts';
import { PointerSchema } from '../../values/pointer.ts';
import { choose } from '../decide.ts';
import { FieldKindSchema } from '../kinds.ts';
import type { Bearing } from '../levels.ts';

/**
 * One way to find the matching record. `exact`: all these fields of the place hold what is known,
 * normalised as their kinds are. `alike`: all these fields together are likely enough those of one.
 */
export const RungSchema = z.discriminatedUnion('kind', [
  z.object({
    id: IdSchema,
    kind: z.literal('exact'),
    fields: z.array(PointerSchema).min(1).max(4),
    /** What it finds is never taken without asking. */
    isAsked: z.boolean().optional(),
  }),
  z.object({
    id: IdSchema,
    kind: z.literal('alike'),
    fields: z
      .array(z.object({ path: PointerSchema, kind: FieldKindSchema }))
      .min(1)
      .max(20),
    /** From this probability on a record is taken by itself. */
    sure: z.number().min(0.5).max(0.9999).optional(),
    /** The numbered set of weights; absent means the fixed ones. */
    weights: z.int().positive().optional(),
    isAsked: z.boolean().optional(),
  }),
]);
export type Rung = z.infer<typeof RungSchema>;

/** A decision that holds from now on: candidates that speak so are the one, or are somebody else. */
export const MatchRuleSchema = z.object({
  id: IdSchema,
  /** Labels of what has to agree or be alike, and of what has to differ; the rest may be anything but the contrary. */
  agrees: z.array(z.string()),
  differs: z.array(z.string()),
  says: z.enum(['same', 'new']),
});
export type MatchRule = z.infer<typeof MatchRuleSchema>;

/** What can be done with a record for which there is no match. */
export const atNoneChoices = ['create', 'empty', 'leave_out', 'ask'] as const;
export type AtNone = (typeof atNoneChoices)[number];

/** How the matching record is found, and what happens where that isn't clear. */
export const LadderSchema = z.object({
  rungs: z.array(RungSchema).max(8),
  atNone: z.enum(atNoneChoices),
  /** `best`: the best one when its lead is clear, else a person is asked; `ask`: asked whenever there are several. */
  atUnclear: z.enum(['best', 'ask']),
  rules: z.array(MatchRuleSchema).max(100).optional(),
  /** What a person who is asked about each match is told instead of the usual words. */
  says: z.string().max(400).optional(),
  /** A record that is remembered and was deleted there: made anew, or left deleted; a person is asked when absent. */
  atGone: z.enum(['create', 'leave']).optional(),
  /** Whose match is remembered: a field with the id of a record, or the record that starts it. */
  remembers: z.union([RefSchema, z.literal('start'), z.literal('nothing')]).optional(),
});
export type Ladder = z.infer<typeof LadderSchema>;

/** What one field says for or against two records being one. */
export interface Evidence {
  readonly label: string;
  /** The level in words: "one typing slip". */
  readonly level: string;
  readonly bearing: Bearing;
  /** Weight in bits (Fellegi–Sunter): above zero for, below against. */
  readonly bits: number;
}

/** A record that it may be, with how sure that is and why. */
export interface Candidate extends Found {
  /** The probability that it is the one, looked at by itself. */
  readonly probability: number;
  readonly evidence: readonly Evidence[];
}

/** What one rung came to: nothing to look by, or its candidates. */
export interface RungTry {
  readonly rung: string;
  readonly isEmpty?: boolean;
  readonly candidates: readonly Candidate[];
}

/** What all rungs came to. */
export type LadderVerdict =
  | { readonly kind: 'found'; readonly candidate: Candidate; readonly rung: string; readonly probability: number }
  | { readonly kind: 'unclear'; readonly rung: string; readonly candidates: readonly Candidate[]; readonly why: string }
  | { readonly kind: 'none'; readonly isEmpty: boolean };

/** Taken by itself from here on, where a rung says nothing else. */
export const usuallySure = 0.9;
/** Less likely than this isn't worth a question. */
export const worthAsking = 0.2;

/** Whether a rule speaks of a candidate. */
export function fitsRule(rule: MatchRule, evidence: readonly Evidence[]): boolean {
  const bearingOf = (label: string): Bearing | undefined => evidence.find((one) => one.label === label)?.bearing;
  const isFor = (bearing: Bearing | undefined): boolean => bearing === 'agrees' || bearing === 'alike';
  return (
    rule.agrees.every((label) => isFor(bearingOf(label))) &&
    rule.differs.every((label) => bearingOf(label) === 'differs') &&
    evidence.every(({ label, bearing }) => bearing !== 'differs' || rule.differs.includes(label))
  );
}

/** The rule that a decision on a candidate makes: what agreed and what differed there. */
export function ruleFrom(id: string, evidence: readonly Evidence[], says: MatchRule['says']): MatchRule {
  const labels = (wanted: (bearing: Bearing) => boolean): string[] =>
    evidence.filter(({ bearing }) => wanted(bearing)).map(({ label }) => label);
  return {
    id,
    says,
    agrees: labels((bearing) => bearing === 'agrees' || bearing === 'alike'),
    differs: labels((bearing) => bearing === 'differs'),
  };
}

/** A rule in words: "name and postcode agree, e-mail differs: it is the same". */
export function ruleText({ agrees, differs, says }: MatchRule): string {
  const list = (labels: readonly string[]): string =>
    labels.length < 2 ? labels.join('') : `${labels.slice(0, -1).join(', ')} and ${labels.at(-1)}`;
  const parts = [
    ...(agrees.length > 0 ? [`${list(agrees)} ${agrees.length > 1 ? 'agree' : 'agrees'}`] : []),
    ...(differs.length > 0 ? [`${list(differs)} ${differs.length > 1 ? 'differ' : 'differs'}`] : []),
  ];
  return `${parts.join(', ')}: it is ${says === 'same' ? 'the same' : 'somebody else'}`;
}

/** A label of evidence that names a tax number: two different ones can't belong to one. */
const conflicts = (candidate: Candidate, rung: Rung): boolean =>
  rung.kind === 'exact' && candidate.evidence.some(({ bearing, bits }) => bearing === 'differs' && bits <= forbidding);

/** Bits against a match that one field alone may say at the most before somebody is asked. */
const forbidding = -6;

/**
 * What the rungs say so far, in their order: the first that finds somebody, or finds it unclear,
 * decides; a rung that finds nobody leaves it to the next.
 *
 * Law: the order of candidates within a try doesn't matter.
 */
export function judgeTries(ladder: Ladder, tries: readonly RungTry[]): LadderVerdict {
  for (const one of tries) {
    const rung = ladder.rungs.find(({ id }) => id === one.rung);
    if (!rung || one.candidates.length === 0) continue;
    const verdict = judgeRung(ladder, rung, one.candidates);
    if (verdict.kind !== 'none') return verdict;
  }
  return { kind: 'none', isEmpty: tries.length > 0 && tries.every(({ isEmpty }) => isEmpty) };
}

function judgeRung(ladder: Ladder, rung: Rung, all: readonly Candidate[]): LadderVerdict {
  const rules = ladder.rules ?? [];
  const ruled = all.filter(({ evidence }) => !rules.some((rule) => rule.says === 'new' && fitsRule(rule, evidence)));
  const sorted = [...ruled].sort((x, y) => y.probability - x.probability || (x.id < y.id ? -1 : 1));
  const same = sorted.filter(({ evidence }) => rules.some((rule) => rule.says === 'same' && fitsRule(rule, evidence)));
  const [only] = same;
  if (only && same.length === 1) return { kind: 'found', candidate: only, rung: rung.id, probability: 1 };
  return rung.kind === 'exact' ? judgeExact(ladder, rung, sorted) : judgeAlike(ladder, rung, sorted);
}

function judgeExact(ladder: Ladder, rung: Rung, sorted: readonly Candidate[]): LadderVerdict {
  const [best] = sorted;
  if (!best) return { kind: 'none', isEmpty: false };
  const unclear = (why: string): LadderVerdict => ({ kind: 'unclear', rung: rung.id, candidates: sorted, why });
  if (rung.isAsked) return unclear(ladder.says ?? 'You are asked about each match of this way.');
  if (sorted.length === 1) {
    if (conflicts(best, rung)) return unclear('One was found, but one of its fields differs too much.');
    return { kind: 'found', candidate: best, rung: rung.id, probability: Math.max(best.probability, 0.99) };
  }
  if (ladder.atUnclear === 'ask') return unclear(`${sorted.length} records match.`);
  const choice = choose(
    sorted.map((candidate) => ({ candidate, probability: candidate.probability })),
    { same: usuallySure, ask: 0 },
  );
  const probability = choice.candidates[0]?.probability ?? 0;
  if (choice.found && !conflicts(choice.found, rung))
    return { kind: 'found', candidate: choice.found, rung: rung.id, probability };
  return unclear(`${sorted.length} records match, and none is clearly the best.`);
}

function judgeAlike(ladder: Ladder, rung: Rung, sorted: readonly Candidate[]): LadderVerdict {
  const sure = (rung.kind === 'alike' && rung.sure) || usuallySure;
  const worth = sorted.filter(({ probability }) => probability >= worthAsking);
  const [best] = worth;
  if (!best) return { kind: 'none', isEmpty: false };
  const unclear = (why: string): LadderVerdict => ({ kind: 'unclear', rung: rung.id, candidates: worth, why });
  if (rung.isAsked) return unclear(ladder.says ?? 'You are asked about each match of this way.');
  if (ladder.atUnclear === 'ask' && worth.length > 1) return unclear(`${worth.length} records are similar.`);
  const choice = choose(
    sorted.map((candidate) => ({ candidate, probability: candidate.probability })),
    { same: sure, ask: worthAsking },
  );
  if (choice.found)
    return {
      kind: 'found',
      candidate: choice.found,
      rung: rung.id,
      probability: choice.candidates[0]?.probability ?? sure,
    };
  return unclear(
    worth.length > 1
      ? `${worth.length} records are similar, and none is clearly the best.`
      : 'Similar, but perhaps not the same.',
  );
}
