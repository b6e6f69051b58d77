import { mkdir, open } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import { harmless } from '@golden/core';
import Papa from 'papaparse';

/** A number to call begins with a plus and can't do any harm: it stays as it is. */
const isTelephone = (text: string): boolean => /^\+\d[\d\s().-]*$/.test(text);

/** Writes a CSV file row by row, so that a large one needs no memory. */
export async function writeCsv(
  path: string,
  header: readonly string[],
  rows: Iterable<readonly unknown[]> | AsyncIterable<readonly unknown[]>,
): Promise<void> {
  await mkdir(dirname(resolve(path)), { recursive: true });
  const file = await open(path, 'w');
  try {
    let part: unknown[][] = [[...header]];
    for await (const row of rows) {
      part.push(row.map((cell) => (typeof cell === 'string' && !isTelephone(cell) ? harmless(cell) : cell)));
      if (part.length < 5000) continue;
      await file.write(`${Papa.unparse(part, { newline: '\n' })}\n`);
      part = [];
    }
    if (part.length > 0) await file.write(`${Papa.unparse(part, { newline: '\n' })}\n`);
  } finally {
    await file.close();
  }
}
