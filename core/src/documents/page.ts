import Decimal from 'decimal.js';
import { z } from 'zod';
import type { Field } from '../values/field.ts';
import { formatPointer } from '../values/pointer.ts';
import { amountText } from '../values/printed.ts';
import { isRecord, type JsonRecord, type Value } from '../values/value.ts';
import { BadPlaceholder, filledText, isThere, namesOfText, partsOfText, valueNamed } from './placeholders.ts';

// A page that is made here: its blocks stand one below the other, and name values of a record in braces.

const TextSchema = z.string().max(20_000);
const onlyIf = z
  .string()
  .min(1)
  .max(200)
  .optional()
  .describe('the name of a value: the block stands there only if that is filled and isn’t “no”');

const ColumnSchema = z.object({
  label: z.string().max(200),
  text: TextSchema.describe('with values of the line in braces, and of the record where the line has none'),
  /** Amounts stand at the right, and can be summed up. */
  isAmount: z.boolean().optional(),
  /** Amounts of money: with two decimals at least where people read them. */
  isMoney: z.boolean().optional(),
  /** The sum of the column stands below it. */
  hasTotal: z.boolean().optional(),
});

const BlockSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('heading'), text: TextSchema, onlyIf }),
  z.object({ kind: z.literal('text'), text: TextSchema, onlyIf }),
  z.object({
    kind: z.literal('picture'),
    /** The name of a file that is kept here, PNG or JPEG. */
    file: z.string().min(1, 'Choose a picture.').max(200),
    /** Millimetres. */
    width: z.number().positive().max(300).optional(),
    onlyIf,
  }),
  z.object({
    kind: z.literal('lines'),
    /** The name of the list whose items are the lines. */
    of: z.string().min(1, 'Say which list the lines are taken from.').max(200),
    columns: z.array(ColumnSchema).min(1).max(12),
    totalLabel: z.string().max(100).optional(),
    onlyIf,
  }),
]);

export const PageSchema = z.object({
  size: z.enum(['A4', 'Letter']).default('A4'),
  blocks: z.array(BlockSchema).min(1).max(200),
  /** Stands at the foot of each page; {page} and {pages} number them. */
  footer: TextSchema.optional(),
});
export type Page = z.infer<typeof PageSchema>;
export type PageBlock = Page['blocks'][number];

/** A block with its values, as it is drawn. */
export type FilledBlock =
  | { readonly kind: 'heading' | 'text'; readonly text: string }
  | { readonly kind: 'picture'; readonly file: string; readonly width: number | undefined }
  | {
      readonly kind: 'table';
      readonly head: readonly string[];
      readonly isAmount: readonly boolean[];
      readonly rows: readonly (readonly string[])[];
      /** The sums below their columns; undefined where none is asked for. */
      readonly totals: readonly string[] | undefined;
    };

/** A piece of the footer: a text, or the number of the page or of all of them. */
export type FooterPart = string | { readonly number: 'page' | 'pages' };

export interface FilledPage {
  readonly size: Page['size'];
  readonly blocks: readonly FilledBlock[];
  /** Texts and the places of the numbers. */
  readonly footer: readonly FooterPart[];
  /** Why it shouldn't be made so, in sentences. */
  readonly problems: readonly string[];
}

/** What stands in the footer by itself. */
const numbering = ['page', 'pages'];

/** The fields that a page takes: each value that it names, and the lists of its tables. @throws BadPlaceholder */
export function fieldsOfPage(page: Page): Field[] {
  const fields = new Map<string, Field>();
  // What is printed is a text, also where something stands there only if it is filled.
  const add = (name: string, type: 'text' | 'boolean'): void => {
    const known = fields.get(name);
    if (!known || (known.type === 'boolean' && type === 'text')) fields.set(name, fieldNamed(name, type));
  };
  for (const block of page.blocks) {
    if (block.kind === 'heading' || block.kind === 'text')
      for (const name of namesOfText(block.text)) add(name, 'text');
    if (block.kind === 'lines') fields.set(block.of, fieldOfLines(block, fields.get(block.of)?.fields));
  }
  for (const name of namesOfText(page.footer ?? '')) if (!numbering.includes(name)) add(name, 'text');
  for (const { onlyIf: name } of page.blocks) if (name !== undefined) add(name, 'boolean');
  return [...fields.values()];
}

/** The list of a table, with what its columns name. @param known - what another table of the same list names */
function fieldOfLines({ of, columns }: Extract<PageBlock, { kind: 'lines' }>, known: readonly Field[] = []): Field {
  const items = new Map(known.map((field) => [field.label, field]));
  for (const column of columns)
    for (const name of namesOfText(column.text))
      if (!items.has(name)) items.set(name, fieldNamed(name, isNumeric(column) ? 'decimal' : 'text'));
  return { ...fieldNamed(of, 'list'), fields: [...items.values()] };
}

/** A field of a document, by the name that stands in its braces. */
export const fieldNamed = (name: string, type: Field['type']): Field => ({
  path: formatPointer(name.split('.').map((step) => step.trim())),
  label: name,
  type,
  // What is printed is read by people; amounts of a column are added up first.
  ...(type === 'text' && { isPrinted: true }),
});

/** How amounts stand on a page that people read: alike within a column, by the custom of the country where one is known. */
export interface PagePrint {
  /** ISO 3166-1 alpha-2. */
  readonly country?: string | undefined;
}

/**
 * A page with the values of a record.
 *
 * @param print - for a page that people read; without it values stand there as they travel
 * @throws BadPlaceholder
 */
export function fillPage(page: Page, record: JsonRecord, print?: PagePrint): FilledPage {
  const missed = new Set<string>();
  const problems: string[] = [];
  const fill = (text: string, records: readonly JsonRecord[]): string =>
    filledText(text, records, (name) => missed.add(name));
  const filling = { fill, missed, problems, print };
  const blocks = page.blocks
    .filter(({ onlyIf: name }) => name === undefined || isThere(valueNamed(record, name)))
    .map((block) => fillBlock(block, record, filling));
  const footer = partsOfText(page.footer ?? '').map(
    (part): FooterPart =>
      part.kind === 'value' && (part.name === 'page' || part.name === 'pages')
        ? { number: part.name }
        : fill(part.kind === 'words' ? part.text : `{${part.name}}`, [record]),
  );
  return { size: page.size, blocks, footer, problems: [...[...missed].map(noValueFor), ...problems] };
}

interface Filling {
  readonly fill: (text: string, records: readonly JsonRecord[]) => string;
  readonly missed: Set<string>;
  readonly problems: string[];
  readonly print: PagePrint | undefined;
}

function fillBlock(block: PageBlock, record: JsonRecord, filling: Filling): FilledBlock {
  if (block.kind === 'picture') return { kind: 'picture', file: block.file, width: block.width };
  if (block.kind === 'lines') return fillLines(block, record, filling);
  return { kind: block.kind, text: filling.fill(block.text, [record]) };
}

function fillLines(
  block: Extract<PageBlock, { kind: 'lines' }>,
  record: JsonRecord,
  { fill, missed, problems, print }: Filling,
): FilledBlock {
  const list = valueNamed(record, block.of);
  if (list === undefined) missed.add(block.of);
  if (list !== undefined && list !== null && !Array.isArray(list))
    problems.push(`“${block.of}” is no list, so it can’t be the lines of a table.`);
  const items: readonly Value[] = Array.isArray(list) ? list : [];
  const rows = items.map((item) => {
    const records = isRecord(item) ? [item, record] : [record];
    return block.columns.map(({ text }) => fill(text, records));
  });
  const wantsTotals = block.columns.some(({ hasTotal }) => hasTotal);
  const totals = block.columns.map(({ label, hasTotal }, at) => {
    if (!hasTotal) return at === 0 ? (block.totalLabel ?? 'Total') : '';
    const cells = rows.map((row) => row[at] ?? '');
    const wrong = cells.find((cell) => cell.trim() !== '' && numberOf(cell) === undefined);
    if (wrong !== undefined) {
      problems.push(`“${wrong}” in “${label}” is no number, so the column has no total.`);
      return '';
    }
    return sumOf(cells);
  });
  const isAmount = block.columns.map(isNumeric);
  const shown = block.columns.map((column, at) => {
    const cells = [...rows, totals].map((row) => row[at] ?? '');
    return print && isNumeric(column) ? amountsShown(cells, column.isMoney ? 2 : 0, print) : asItIs;
  });
  const show = (row: readonly string[]): string[] => row.map((cell, at) => (shown[at] ?? asItIs)(cell));
  return {
    kind: 'table',
    head: block.columns.map(({ label }) => label),
    isAmount,
    rows: rows.map(show),
    totals: wantsTotals ? show(totals) : undefined,
  };
}

const asItIs = (text: string): string => text;

/** What stands at the right of its column, and can be added up. */
const isNumeric = ({ isAmount, isMoney, hasTotal }: z.infer<typeof ColumnSchema>): boolean =>
  isAmount === true || isMoney === true || hasTotal === true;

/** How the numbers of a column are written: all with as many decimals as the most exact of them, and so many at least. */
function amountsShown(cells: readonly string[], least: number, { country }: PagePrint): (text: string) => string {
  const places = Math.max(least, ...cells.map(placesOf));
  return (text) => {
    const amount = numberOf(text);
    if (!amount) return text;
    return country === undefined ? amount.toFixed(places) : amountText(amount.toFixed(), country, places);
  };
}

const placesOf = (text: string): number => /\.(\d+)$/.exec(text.trim())?.[1]?.length ?? 0;

/** A plain decimal, as values travel; undefined for anything else. */
function numberOf(text: string): Decimal | undefined {
  return /^-?\d+(\.\d+)?$/.test(text.trim()) ? new Decimal(text.trim()) : undefined;
}

/** The exact sum, with as many decimals as the most exact of what is summed up. */
function sumOf(cells: readonly string[]): string {
  const numbers = cells.flatMap((cell) => numberOf(cell) ?? []);
  const places = Math.max(0, ...cells.map(placesOf));
  return numbers.reduce((sum, one) => sum.plus(one), new Decimal(0)).toFixed(places);
}

export const noValueFor = (name: string): string => `There is no value for {${name}}.`;

/**
 * Values that no placeholder of a document takes, by their names; within lists as "lines: weight".
 *
 * @param fields - what the document takes
 */
export function unusedValues(fields: readonly Field[], record: JsonRecord): string[] {
  return Object.entries(record).flatMap(([name, value]) => {
    const takes = fields.filter(({ label }) => label === name || label.startsWith(`${name}.`));
    const [field] = takes;
    if (!field) return [name];
    if (field.type !== 'list' || !Array.isArray(value)) return [];
    const inner = new Set(
      value.flatMap((item) => (isRecord(item) ? unusedValues([...(field.fields ?? []), ...fields], item) : [])),
    );
    return [...inner].map((one) => `${name}: ${one}`);
  });
}

/** A page as it was typed or read from a file. @throws BadPlaceholder in a sentence that says what is wrong and where */
export function readPage(given: unknown): Page {
  const read = PageSchema.safeParse(given);
  if (!read.success) {
    const [issue] = read.error.issues;
    throw new BadPlaceholder(`${whereIn(issue?.path ?? [])}${issue?.message ?? 'This is no page.'}`);
  }
  fieldsOfPage(read.data);
  return read.data;
}

/** Where on a page something is wrong, as a person counts. */
function whereIn([first, at, ...within]: readonly PropertyKey[]): string {
  if (first === undefined) return '';
  if (first !== 'blocks' || typeof at !== 'number') return `At ${String(first)}: `;
  return `In block ${at + 1}${within.length > 0 ? ` (${within.join('.')})` : ''}: `;
}
