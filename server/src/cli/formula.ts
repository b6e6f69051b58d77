import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import {
  checkFormula,
  evaluateFormula,
  type Field,
  FormulaError,
  isRecord,
  type JsonRecord,
  type KnownName,
  kindOf,
  namesIn,
  type Ref,
  readPath,
  staticTypeOf,
  toValue,
  type Value,
} from '@golden/core';

/** What the command prints on its two streams, and how it ends. */
export interface CommandResult {
  readonly out?: string;
  /** In place of `out`: lines that are printed as they are made, however many. */
  readonly lines?: Iterable<string>;
  readonly error?: string;
  readonly code: number;
}

const usage = `golden formula '<formula>' [--record file.json] [--zone Europe/London] [--country GB] [--at 2026-11-24T09:00:00Z]`;

/** A date or a moment in the record is one; everything else is as JSON says. */
function typeOfValue(value: Value | undefined): Field['type'] {
  const first = Array.isArray(value) ? value.find((one) => one !== null) : value;
  if (typeof first !== 'string') return 'any';
  if (/^\d{4}-\d{2}-\d{2}$/.test(first)) return 'date';
  return /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}.*(Z|[+-]\d{2}:?\d{2})$/.test(first) ? 'instant' : 'any';
}

/** Every name that a record offers: `customer.email`, `order.lines.quantity`. */
function namesOf(
  value: Value,
  name: string,
  path: string,
  isInList: boolean,
): [string, { path: string; isInList: boolean }][] {
  const here: [string, { path: string; isInList: boolean }][] = name === '' ? [] : [[name, { path, isInList }]];
  if (isRecord(value)) {
    const inner = Object.entries(value).flatMap(([key, one]) => {
      const token = key.replaceAll('~', '~0').replaceAll('/', '~1');
      return namesOf(one, name === '' ? key : `${name}.${key}`, `${path}/${token}`, isInList);
    });
    return [...here, ...inner];
  }
  if (Array.isArray(value)) {
    const items = value.flatMap((item) => (isRecord(item) ? namesOf(item, name, `${path}/*`, true).slice(1) : []));
    return [...here, ...new Map(items)];
  }
  return here;
}

/**
 * `golden formula`: the value of a formula, for a record or for none, as JSON with its type; the
 * sentence of an error on the other stream.
 */
export function formulaCommand(args: readonly string[], now: string): CommandResult {
  const fail = (error: string): CommandResult => ({ error, code: 1 });
  let given: { values: Record<string, string | undefined>; positionals: string[] };
  try {
    given = parseArgs({
      args: withoutMinusAsOption(args),
      allowPositionals: true,
      options: {
        record: { type: 'string' },
        zone: { type: 'string', default: 'UTC' },
        country: { type: 'string', default: 'GB' },
        at: { type: 'string', default: now },
      },
    });
  } catch (error) {
    return fail(`${(error as Error).message}\n${usage}`);
  }
  const [text] = given.positionals;
  if (text === undefined || given.positionals.length > 1)
    return fail(`Give one formula, between quotation marks of the shell.\n${usage}`);
  const { record: file, zone = 'UTC', country = 'GB', at = now } = given.values;
  let record: JsonRecord = {};
  if (file !== undefined) {
    try {
      const read: unknown = JSON.parse(readFileSync(file, 'utf8'));
      if (!isRecord(read as Value)) return fail(`${file} holds no record: a JSON object is needed.`);
      record = read as JsonRecord;
    } catch (error) {
      return fail(`${file} can’t be read as JSON: ${(error as Error).message}`);
    }
  }
  return evaluateFor(text, record, { zone, country, takenAt: at });
}

/** A formula may begin with a minus: only what begins with two is an option. */
function withoutMinusAsOption(args: readonly string[]): string[] {
  const at = args.findIndex((one) => /^-(?!-)/.test(one));
  return at < 0 ? [...args] : [...args.toSpliced(at, 1), '--', args[at] ?? ''];
}

function evaluateFor(
  text: string,
  record: JsonRecord,
  around: { zone: string; country: string; takenAt: string },
): CommandResult {
  const offered = new Map(namesOf(record, '', '', false));
  const fieldOf = (ref: Ref): Field => ({
    path: ref.path,
    label: ref.path,
    type: typeOfValue(readPath(record, ref.path)),
  });
  const known: KnownName[] = [...offered].map(([name, { path, isInList }]) => {
    const isList = isInList || Array.isArray(readPath(record, path));
    return { name, type: isList ? 'list' : staticTypeOf(fieldOf({ step: 'start', path })) };
  });
  const [issue] = checkFormula(text, known).issues;
  if (issue) return { error: `${issue.message} (at character ${issue.from + 1})`, code: 1 };
  const refs: Record<string, Ref> = {};
  for (const name of namesIn(text)) {
    const found = [...offered].find(([one]) => one.toLowerCase() === name.toLowerCase());
    if (found) refs[name] = { step: 'start', path: found[1].path };
  }
  const value = evaluateFormula({ text, refs }, { start: record }, { ...around, fieldOf });
  if (value instanceof FormulaError) return { error: value.message, code: 1 };
  return { out: JSON.stringify({ type: kindOf(value), value: toValue(value) }), code: 0 };
}
