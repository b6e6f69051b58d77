import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import { root } from './common.mjs';

// Jest gives each test file a world of its own, which loads and compiles everything anew: for a file of the server that
// is three seconds. All tests together are run in groups, each a file that holds many, so that this is done twenty times
// and not two hundred. A file by itself runs as ever: `npx jest PATH`.

/** Groups that each run within one world; more than workers, so that none is left waiting for the last. */
const many = 18;

/** Test files of these folders with what they run in: `{ path, kind, bytes }`; one of a kind can't be in a group. */
function testFiles(folders) {
  return folders.flatMap((folder) =>
    readdirSync(join(root, folder, 'src'), { recursive: true })
      .filter((name) => /\.test\.tsx?$/.test(name))
      .map((name) => {
        const path = join(root, folder, 'src', name);
        const text = readFileSync(path, 'utf8');
        const environment = /@jest-environment (\w+)/.exec(text.slice(0, 400))?.[1] ?? 'node';
        // What stands in the place of a module does so for all that are in its world; so does what is left on a page.
        const alone = environment !== 'node' || /^jest\.mock\(/m.test(text) ? ` ${name}` : '';
        return { path, environment, kind: `${folder} ${environment}${alone}`, bytes: text.length };
      }),
  );
}

/**
 * Writes the groups and gives the folder that they are in. Files of one part of the code stand together, since they load
 * the same; large ones are dealt out first.
 */
export function writeGroups(folders) {
  const out = join(root, '.tmp', 'groups');
  rmSync(out, { recursive: true, force: true });
  mkdirSync(out, { recursive: true });
  const files = testFiles(folders);
  const all = files.reduce((sum, { bytes }) => sum + bytes, 0);
  const kinds = new Map();
  for (const file of files) kinds.set(file.kind, [...(kinds.get(file.kind) ?? []), file]);
  let number = 0;
  for (const [kind, own] of kinds) {
    const bytes = own.reduce((sum, one) => sum + one.bytes, 0);
    const count = Math.min(own.length, Math.max(1, Math.round((many * bytes) / all)));
    const groups = Array.from({ length: count }, () => ({
      bytes: 0,
      files: [],
    }));
    for (const file of own.sort((a, b) => b.bytes - a.bytes)) {
      const least = groups.reduce((one, other) => (other.bytes < one.bytes ? other : one));
      least.files.push(file);
      least.bytes += file.bytes;
    }
    for (const { files: held } of groups) {
      number += 1;
      writeFileSync(
        join(out, `${String(number).padStart(2, '0')}-${kind.replace(/\W+/g, '-')}.test.cjs`),
        textOf(held),
      );
    }
  }
  return out;
}

/** A test file that holds others; what one of them has put in the place of something is put back after it. */
function textOf(files) {
  const held = files.map(({ path }) => {
    const name = relative(root, path).split(sep).join('/');
    return `describe(${JSON.stringify(name)}, () => {
  afterAll(() => {
    jest.restoreAllMocks();
    jest.useRealTimers();
  });
  require(${JSON.stringify(path)});
});`;
  });
  return `/** @jest-environment ${files[0].environment} */\n${held.join('\n')}\n`;
}
