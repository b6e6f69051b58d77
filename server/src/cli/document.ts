import { existsSync, readFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { parseArgs } from 'node:util';
import { BadPlaceholder, documentName, filledText, type JsonRecord, namesOfText, unusedValues } from '@golden/core';
import { type DocumentMaker, docxMaker, pageMaker } from '../documents/maker.ts';
import { DocumentFolder } from '../documents/put-document.ts';
import type { CommandResult } from './formula.ts';
import { BadRows, readRecords } from './json-records.ts';

const usage = `golden document TEMPLATE.docx --rows rows.json --name 'Note {number}' --out FOLDER
       golden document --pdf PAGE.json --rows rows.json --name 'Note {number}' --out FOLDER`;

interface Given {
  readonly template: { readonly kind: 'docx' | 'page'; readonly path: string };
  readonly rows: string;
  readonly name: string;
  readonly out: string;
}

/** What is told of one record, or of all of them. */
interface Problem {
  /** From 1 on; absent for what holds of all. */
  readonly row?: number;
  readonly message: string;
}

/**
 * `golden document`: one document a record, by a template; a line of JSON with how many were made, how many lay there
 * already, and what is to be looked at. A record without a value for a placeholder gets none.
 */
export async function documentCommand(args: readonly string[]): Promise<CommandResult> {
  let given: Given;
  try {
    given = readArgs(args);
  } catch (error) {
    return { error: `${(error as Error).message}\nUsage: ${usage}`, code: 2 };
  }
  try {
    return await makeAll(given);
  } catch (error) {
    if (error instanceof BadPlaceholder) return { error: `${given.template.path}: ${error.message}`, code: 1 };
    if (error instanceof BadRows) return { error: error.message, code: 1 };
    const { code, message } = error as NodeJS.ErrnoException;
    if (code !== undefined) return { error: `The documents can’t be put into ${given.out}: ${message}`, code: 1 };
    throw error;
  }
}

function readArgs(args: readonly string[]): Given {
  const { values, positionals } = parseArgs({
    args: [...args],
    allowPositionals: true,
    options: {
      pdf: { type: 'string' },
      rows: { type: 'string' },
      name: { type: 'string' },
      out: { type: 'string' },
    },
  });
  const { pdf, rows, name, out } = values;
  const [docx, ...more] = positionals;
  if (more.length > 0 || (docx === undefined) === (pdf === undefined))
    throw new Error('Name one template: a .docx file, or with --pdf a page.');
  if (rows === undefined || name === undefined || out === undefined)
    throw new Error('Say with --rows for what, with --name how they are called, and with --out where to.');
  return {
    template: pdf === undefined ? { kind: 'docx', path: docx ?? '' } : { kind: 'page', path: pdf },
    rows,
    name,
    out,
  };
}

async function makeAll({ template, rows, name, out }: Given): Promise<CommandResult> {
  const maker = openTemplate(template);
  const records = readRecords(rows);
  namesOfText(name);
  const problems: Problem[] = [];
  const folder = await DocumentFolder.open(out);
  let [made, already] = [0, 0];
  for (const [at, record] of records.entries()) {
    const tell = (message: string): void => void problems.push({ row: at + 1, message });
    const put = await makeOne({ maker, name, folder }, record, tell);
    if (put === 'made') made += 1;
    if (put === 'there') already += 1;
  }
  const unused = new Set(records.flatMap((record) => unusedValues([...maker.fields, ...nameFields(name)], record)));
  for (const one of unused) problems.push({ message: `The values of “${one}” stand nowhere in the document.` });
  return { out: JSON.stringify({ made, already, problems }), code: 0 };
}

async function makeOne(
  { maker, name, folder }: { readonly maker: DocumentMaker; readonly name: string; readonly folder: DocumentFolder },
  record: JsonRecord,
  tell: (message: string) => void,
): Promise<'made' | 'there' | undefined> {
  const missed = new Set<string>();
  const text = filledText(name, [record], (one) => missed.add(one));
  for (const one of missed) tell(`Its name has no value for {${one}}.`);
  if (missed.size > 0) return undefined;
  const named = documentName(text, maker.ending);
  if (!named) {
    tell(`“${text}” is no name for a file.`);
    return undefined;
  }
  const { bytes, problems } = await maker.make(record, text);
  for (const problem of problems) tell(problem);
  if (problems.length > 0) return undefined;
  for (const one of named.told) tell(one);
  const put = await folder.put(named.name, maker.ending, bytes);
  if (put.kind === 'made' && put.name !== named.name)
    tell(`There is another “${named.name}” already; this one is “${put.name}”.`);
  return put.kind;
}

/** Names in a file name count as used too. */
const nameFields = (name: string) => namesOfText(name).map((label) => ({ path: '', label, type: 'text' as const }));

function openTemplate({ kind, path }: Given['template']): DocumentMaker {
  if (!existsSync(path)) throw new BadPlaceholder('There is no such file.');
  const bytes = readFileSync(path);
  if (kind === 'docx') return docxMaker(bytes);
  let page: unknown;
  try {
    page = JSON.parse(bytes.toString('utf8'));
  } catch (error) {
    throw new BadPlaceholder(`It can’t be read as JSON: ${(error as Error).message}`);
  }
  // Pictures lie beside the page.
  return pageMaker(page, async (name) => {
    const file = join(dirname(path), basename(name));
    return existsSync(file) ? readFileSync(file) : undefined;
  });
}
