import { isSameValue } from '../values/coerce.ts';
import { saysNo } from '../values/consent.ts';
import { type Field, type FieldType, fieldAt } from '../values/field.ts';
import { type Pointer, pointerLabel, readPointer } from '../values/pointer.ts';
import { keyText } from '../values/text.ts';
import { isEmpty, isRecord, toText, type Value } from '../values/value.ts';
import type { FieldChange, FieldProblem, KeptField, KeptWhy } from './outcome.ts';
import type { Found, MadeOf } from './plan.ts';

/**
 * What happens to a field of a record that is there already. `changed`: what has changed in the source
 * since it was last sent is written, what somebody changed there is kept, both is asked. `always`: as
 * the source has it. `if_empty`, `never`; `newest`: by the record that changed last; `ask`: a person says, each time.
 * `changed_newest`: as `changed`, and where both have changed, by the record that changed last.
 */
export const fieldPolicies = ['changed', 'changed_newest', 'always', 'if_empty', 'newest', 'never', 'ask'] as const;
export type FieldPolicy = (typeof fieldPolicies)[number];

/** What happens where a record holds something else and this workflow has never sent it anything. */
export const firstDifferences = ['source', 'there', 'newest', 'ask'] as const;
export type FirstDifference = (typeof firstDifferences)[number];

/** By which rules a step writes over what is there. */
export interface OverwriteRules {
  readonly policyOf: (path: Pointer) => FieldPolicy;
  /** Whether an empty value is written as well. */
  readonly writesEmpty: (path: Pointer) => boolean;
  readonly firstDifference: FirstDifference;
  /** Fields that recognise the record: another writing of the same is left as it is. */
  readonly recognisedBy: ReadonlySet<Pointer>;
  /** What a person set by hand is written, whatever the rules say. */
  readonly setByHand: ReadonlySet<Pointer>;
  readonly isSourceNewer: () => boolean;
  /** Two places in step: a person is being asked about it, so that it goes over in neither direction until then. */
  readonly isAskedAlready?: (path: Pointer) => boolean;
  /** Two places in step: what somebody emptied there is filled again. */
  readonly refills?: boolean;
}

/** What a write over a record that is there comes to, field by field. */
export interface Overwritten {
  readonly changes: readonly FieldChange[];
  /** Fields that differ and stay as they are there, with the reason. */
  readonly kept: readonly KeptField[];
  /** Fields about which a person has to say. */
  readonly asked: readonly FieldProblem[];
}

type Verdict = 'write' | KeptWhy | keyof typeof askedWords;

/**
 * Compares three values of each field: what was last sent, what the source has now, what is there now.
 *
 * Laws: a value that is there is never replaced by an empty one unless that was chosen; a no to being
 * contacted never becomes a yes, and by the usual policy one that is new in the source is written without
 * a question; what the source has not changed since it was sent is never written over by that policy.
 */
export function overwrite(
  values: Readonly<Record<Pointer, Value>>,
  types: Readonly<Record<Pointer, FieldType>>,
  found: Found,
  fields: readonly Field[],
  rules: OverwriteRules,
): Overwritten {
  const changes: FieldChange[] = [];
  const kept: KeptField[] = [];
  const asked: FieldProblem[] = [];
  for (const [path, after] of Object.entries(values)) {
    const field = fieldAt(fields, path) ?? { path, label: pointerLabel(path), type: types[path] ?? 'text' };
    const before = readPointer(found.record, path) ?? null;
    const type = types[path] ?? 'text';
    if (isSameValue(before, after, type) || isOurOwn(found, path, after, before, type)) continue;
    const change = { path, label: field.label, before, after };
    const last = found.last?.[path];
    const verdict = judge(field, change, type, last, rules);
    if (rules.isAskedAlready?.(path)) kept.push({ ...change, why: 'asked_already' });
    else if (verdict === 'write') changes.push(change);
    else if (isAsked(verdict))
      asked.push({ path, label: field.label, message: askedWords[verdict], given: after, there: before });
    else if (verdict === 'no_stays' && !(last && isAsLeft(last, before, type)))
      kept.push({ ...change, why: verdict, isNews: true });
    else kept.push({ ...change, why: verdict });
  }
  return { changes, kept, asked };
}

const askedWords = {
  ask_first: 'It holds something else there, and this workflow has never sent it anything.',
  ask_both: 'It was changed there and in the source since it was last sent.',
  ask_each_time: 'It differs from what is there, and you are asked each time.',
  ask_undone: 'It was undone. Say which of the two is right.',
};

const isAsked = (verdict: Verdict): verdict is keyof typeof askedWords => verdict in askedWords;

function judge(
  field: Field,
  change: FieldChange,
  type: FieldType,
  last: MadeOf | undefined,
  rules: OverwriteRules,
): Verdict {
  const { path, before, after } = change;
  if (saysNo(field, before) && !saysNo(field, after)) return 'no_stays';
  if (rules.setByHand.has(path)) return 'write';
  if (last?.isHeld) return saysNo(field, after) ? 'write' : 'ask_undone';
  if (isEmpty(after) && !rules.writesEmpty(path)) return 'empty';
  if (rules.recognisedBy.has(path) && isOtherWriting(before, after)) return 'same_written_otherwise';
  switch (rules.policyOf(path)) {
    case 'always':
      return 'write';
    case 'if_empty':
      return isEmpty(before) ? 'write' : 'policy';
    case 'never':
      return 'policy';
    case 'newest':
      return newest(rules);
    case 'ask':
      return 'ask_each_time';
    case 'changed':
      return byWhoChanged(field, change, type, last, rules);
    case 'changed_newest': {
      const verdict = byWhoChanged(field, change, type, last, rules);
      return verdict === 'ask_both' ? newest(rules) : verdict;
    }
  }
}

const newest = ({ isSourceNewer }: OverwriteRules): Verdict => (isSourceNewer() ? 'write' : 'newer_there');

/** The three values beside each other. */
function byWhoChanged(
  field: Field,
  { before, after }: FieldChange,
  type: FieldType,
  last: MadeOf | undefined,
  rules: OverwriteRules,
): Verdict {
  if (isEmpty(before) && rules.refills) return 'write';
  if (!last) {
    // A no to being contacted goes on by itself: nobody is written to while it waits for an answer.
    if (saysNo(field, after) || isEmpty(before)) return 'write';
    if (rules.firstDifference === 'newest') return newest(rules);
    if (rules.firstDifference === 'source') return 'write';
    return rules.firstDifference === 'there' ? 'first' : 'ask_first';
  }
  if (isSameValue(last.sent, after, type)) return 'changed_there';
  return isAsLeft(last, before, type) || saysNo(field, after) ? 'write' : 'ask_both';
}

/** True where nobody has changed there what was sent, or what the app made of it. */
const isAsLeft = (last: MadeOf, before: Value, type: FieldType): boolean =>
  isSameValue('read' in last ? last.read : last.sent, before, type) || isSameValue(last.sent, before, type);

/** A field that holds what the app itself made of the very value that was sent last is the same, whoever sent it. */
function isOurOwn(found: Found, path: Pointer, after: Value, before: Value, type: FieldType): boolean {
  const made = [found.last?.[path], ...(found.made?.[path] ?? [])];
  return made.some(
    (one) => one && 'read' in one && isSameValue(one.sent, after, type) && isSameValue(one.read, before, type),
  );
}

/** Other capitals, spaces or signs only: the value that recognised the record. */
function isOtherWriting(before: Value, after: Value): boolean {
  if (isRecord(before) || isRecord(after)) return false;
  const plain = (value: Value): string => keyText(value).replace(/[^\p{L}\p{N}@]/gu, '');
  return toText(before) !== '' && plain(before) === plain(after);
}
