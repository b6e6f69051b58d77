import type { Field } from '../values/field.ts';
import { readPointer } from '../values/pointer.ts';
import { keyText } from '../values/text.ts';
import { isEmpty, type JsonRecord, toText } from '../values/value.ts';

/** A sample with what makes it worth looking at, in a few words. */
export interface AwkwardSample<T> {
  readonly sample: T;
  readonly why: string;
}

/** What a record has that others don't, each as its own key so that a choice can cover them all. */
function traits(
  record: JsonRecord,
  fields: readonly Field[],
  doubles: Doubles,
  isRare: (path: string) => boolean,
): Map<string, string> {
  const found = new Map<string, string>();
  for (const [path, values] of doubles) {
    const key = keyText(readPointer(record, path));
    if (key !== '' && values.has(key)) found.set(`alike ${path}`, 'two alike');
  }
  for (const field of fields) {
    if (isSetByApp(field)) continue;
    const value = readPointer(record, field.path);
    if (!isEmpty(value)) for (const [key, why] of traitsOfText(field, toText(value))) found.set(key, why);
    else if (!isRare(field.path)) found.set(`empty ${field.path}`, `no ${field.label}`);
  }
  return found;
}

/** What is unusual in one filled field. */
function traitsOfText({ path, label, type }: Field, text: string): [string, string][] {
  const found: [string, string][] = [];
  if (/[^\p{Script=Latin}\p{Script=Common}\p{Script=Inherited}]/u.test(text)) found.push(['script', 'another script']);
  else if (/[^\p{ASCII}]/u.test(text)) found.push(['accents', 'accents']);
  if (/^\s|\s$|\s{2,}/.test(text)) found.push(['spaces', 'stray spaces']);
  if (text.length > 40) found.push([`long ${path}`, `long ${label}`]);
  if (type === 'phone' && /[a-z]{2}/i.test(text)) found.push(['phone words', 'words for a phone']);
  if (/^0\d/.test(text) && type === 'text') found.push([`zero ${path}`, 'begins with 0']);
  return found;
}

/** What an app gives its records itself, such as ids and times, is never awkward; what people wrote may be, though it only can be read. */
const isSetByApp = ({ readOnly, type }: Field): boolean =>
  readOnly === true && type !== 'text' && type !== 'email' && type !== 'phone';

/** A field that hardly any record has is missed in none. */
const fewHave = 0.25;

/** Values that occur more than once in fields that mostly tell records apart, by field. */
type Doubles = ReadonlyMap<string, ReadonlySet<string>>;

/** The fields by which two records look like one: those whose values nearly always differ. */
function findDoubles(records: readonly JsonRecord[], fields: readonly Field[]): Doubles {
  const doubles = new Map<string, Set<string>>();
  for (const field of fields) {
    if (!['email', 'phone', 'text', 'any'].includes(field.type)) continue;
    const counts = new Map<string, number>();
    let filled = 0;
    for (const record of records) {
      const key = keyText(readPointer(record, field.path));
      if (key === '') continue;
      filled += 1;
      counts.set(key, (counts.get(key) ?? 0) + 1);
    }
    if (filled < records.length / 2 || counts.size < filled * 0.8 || counts.size === filled) continue;
    doubles.set(field.path, new Set([...counts].filter(([, count]) => count > 1).map(([key]) => key)));
  }
  return doubles;
}

/**
 * Chooses samples that together show as many awkward traits as they can, the richest first
 * (greedy set cover), and one typical record at the end. At most `count`.
 */
export function chooseAwkward<T>(
  samples: readonly T[],
  recordOf: (sample: T) => JsonRecord,
  fields: readonly Field[],
  count: number,
): AwkwardSample<T>[] {
  const doubles = findDoubles(samples.map(recordOf), fields);
  const filled = new Map(
    fields.map(({ path }) => [path, samples.filter((one) => !isEmpty(readPointer(recordOf(one), path))).length]),
  );
  const isRare = (path: string): boolean => (filled.get(path) ?? 0) < samples.length * fewHave;
  const open = samples.map((sample) => ({ sample, traits: traits(recordOf(sample), fields, doubles, isRare) }));
  const isCovered = new Set<string>();
  const chosen: AwkwardSample<T>[] = [];
  const typical = open.reduce<(typeof open)[number] | undefined>(
    (best, one) => (!best || one.traits.size < best.traits.size ? one : best),
    undefined,
  );
  while (chosen.length < count - 1) {
    let best: { at: number; fresh: string[] } | undefined;
    open.forEach((one, at) => {
      const fresh = [...one.traits.keys()].filter((key) => !isCovered.has(key));
      if (one !== typical && fresh.length > (best?.fresh.length ?? 0)) best = { at, fresh };
    });
    if (!best) break;
    const { at, fresh } = best as { at: number; fresh: string[] };
    const [taken] = open.splice(at, 1);
    if (!taken) break;
    for (const key of fresh) isCovered.add(key);
    const why = [...new Set(fresh.map((key) => taken.traits.get(key) as string))].slice(0, 2).join(', ');
    chosen.push({ sample: taken.sample, why });
  }
  if (typical) chosen.push({ sample: typical.sample, why: 'typical' });
  return chosen;
}
