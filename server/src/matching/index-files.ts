import { createHash } from 'node:crypto';
import { closeSync, fsyncSync, mkdirSync, openSync, readFileSync, renameSync, rmSync, writeSync } from 'node:fs';
import { dirname } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import type { StoredIndex } from '@golden/core';

/** What a file has to be of, so that what it holds can be taken up. */
export interface IndexFileHead {
  /** The place, the fields and the weights. */
  readonly name: string;
  /** The program that reads values: another release may read them in another way. */
  readonly edition: string;
}

const newline = 0x0a;
const hashOf = (body: Buffer): string => createHash('blake2b512').update(body).digest('base64url');

/**
 * Stores an index: a line of JSON that says what it is of, and its body as bytes. It is there whole, or not at all.
 * @throws what the file system says
 */
export function writeIndexFile(file: string, { name, edition }: IndexFileHead, index: StoredIndex): void {
  const body = serialize(index);
  const head = Buffer.from(`${JSON.stringify({ name, edition, hash: hashOf(body) })}\n`);
  mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
  const part = `${file}.part`;
  const opened = openSync(part, 'w', 0o600);
  try {
    for (const bytes of [head, body])
      for (let at = 0; at < bytes.length; ) at += writeSync(opened, bytes, at, bytes.length - at);
    fsyncSync(opened);
  } catch (error) {
    closeSync(opened);
    rmSync(part, { force: true });
    throw error;
  }
  closeSync(opened);
  renameSync(part, file);
}

/** What a file holds; undefined where there is none, where it is of something else, or where it is damaged. */
export function readIndexFile(file: string, { name, edition }: IndexFileHead): StoredIndex | undefined {
  try {
    const bytes = readFileSync(file);
    const end = bytes.indexOf(newline);
    const head = JSON.parse(bytes.toString('utf8', 0, end)) as IndexFileHead & { readonly hash: string };
    // A buffer of its own, so that rows of numbers lie where they can be read as they are.
    const body = Buffer.from(bytes.subarray(end + 1));
    if (head.name !== name || head.edition !== edition || head.hash !== hashOf(body)) return undefined;
    return deserialize(body) as StoredIndex;
  } catch {
    return undefined;
  }
}
