import { existsSync, readFileSync } from 'node:fs';
import { isRecord, type JsonRecord } from '@golden/core';

/** A file that should hold records doesn't; its message says which, and what is wrong. */
export class BadRows extends Error {
  override readonly name = 'BadRows';
}

/** The records of a JSON file: a list of objects. @throws BadRows */
export function readRecords(path: string): JsonRecord[] {
  if (!existsSync(path)) throw new BadRows(`There is no file ${path}.`);
  let given: unknown;
  try {
    given = JSON.parse(readFileSync(path, 'utf8'));
  } catch (error) {
    throw new BadRows(`${path} can't be read as JSON: ${(error as Error).message}`);
  }
  if (!Array.isArray(given) || !given.every((one) => isRecord(one)))
    throw new BadRows(`${path} should hold a list of objects: values by the names of columns.`);
  return given;
}
