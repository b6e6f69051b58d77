import type { Field } from '../values/field.ts';
import type { JsonRecord, Value } from '../values/value.ts';
import type { Page, PageBlock } from './page.ts';

// A first page for what a source holds, and values to look at it with, so that nobody begins with an empty sheet.

/** So many values and columns a first page has; what is missing is put in by hand. */
const mostValues = 8;
const mostColumns = 5;

interface Source {
  /** What one of its records is called. */
  readonly singular: string;
  readonly fields: readonly Field[];
}

/**
 * A page to begin with: a heading with what names a record, its first values one below the other, and a table of its
 * first list, whose sum columns are money. Each placeholder is called as its field is, so that the mapping is proposed.
 */
export function proposePage({ singular, fields }: Source): Page {
  const named = fields.filter(({ label }) => mayStandInBraces(label));
  const plain = named.filter(isPlain);
  const head = plain.find(({ path }) => /\/(number|no|code|title|name)$/i.test(path)) ?? plain[0];
  const lines = named.find(({ type, fields: inner }) => type === 'list' && inner?.some(isColumn));
  const rest = plain.filter((field) => field !== head).slice(0, mostValues);
  const blocks: PageBlock[] = [
    { kind: 'heading', text: `${capitalised(singular)}${head ? ` {${head.label}}` : ''}` },
    ...(rest.length > 0
      ? [{ kind: 'text' as const, text: rest.map(({ label }) => `${capitalised(label)}: {${label}}`).join('\n') }]
      : []),
    ...(lines ? [tableOf(lines)] : []),
  ];
  return { size: 'A4', blocks, footer: 'Page {page} of {pages}' };
}

const isPlain = ({ type }: Field): boolean => type !== 'list' && type !== 'record' && type !== 'id';
const isAmount = ({ type }: Field): boolean => type === 'money' || type === 'decimal' || type === 'integer';
const isColumn = (field: Field): boolean => isPlain(field) && mayStandInBraces(field.label);

/** What adds up over lines; a price of one, or a discount on it, says nothing when it is added up. */
const addsUp = /\b(net|amount|total|gross|sum)\b/i;

/** A brace can't stand within a name, and the footer's own names are taken. */
const mayStandInBraces = (label: string): boolean => !/[{}]/.test(label) && label !== 'page' && label !== 'pages';

function tableOf({ label, fields = [] }: Field): PageBlock {
  // What adds up comes last, where totals stand.
  const all = fields.filter(isColumn);
  const sums = all.filter(({ type, label: name }) => type === 'money' && addsUp.test(name)).slice(0, 1);
  const columns = [...all.filter((field) => !sums.includes(field)).slice(0, mostColumns - sums.length), ...sums];
  return {
    kind: 'lines',
    of: label,
    columns: columns.map((field) => ({
      label: capitalised(field.label),
      text: `{${field.label}}`,
      ...(isAmount(field) && (field.type === 'money' ? { isMoney: true } : { isAmount: true })),
      ...(field.type === 'money' && addsUp.test(field.label) && { hasTotal: true }),
    })),
  };
}

const capitalised = (text: string): string => text.charAt(0).toLocaleUpperCase('en') + text.slice(1);

/** So many items an example's lists have. */
const exampleItems = 3;

/**
 * Values to look at a page with before there are any: a text says its own name, an amount is one, what stands there
 * only if it is filled is filled.
 */
export function exampleRecord(fields: readonly Field[]): JsonRecord {
  const record: Record<string, Value> = {};
  for (const field of fields) record[field.label] = exampleValue(field);
  return record;
}

function exampleValue({ label, type, fields = [] }: Field): Value {
  if (type === 'list') return Array.from({ length: exampleItems }, () => exampleRecord(fields));
  if (type === 'decimal') return '12.50';
  return type === 'boolean' ? true : label;
}
