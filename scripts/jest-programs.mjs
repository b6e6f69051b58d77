import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { bundle } from './bundle.mjs';
import { root } from './common.mjs';
import { programs } from './programs.mjs';

// Bundles what unit tests start as threads and processes of their own, hundreds of times: from its sources each start
// would take seconds. Each run of the tests has its own, so that two at once don't mix.

const parent = join(root, '.tmp', 'programs');

export default async function setUp() {
  mkdirSync(parent, { recursive: true });
  const folder = mkdtempSync(join(parent, 'run-'));
  await bundle(
    {
      'engine-child': 'server/src/testing/engine-child.ts',
      'matching-worker': programs['matching-worker'],
      'document-worker': programs['document-worker'],
      'workbook-worker': programs['workbook-worker'],
    },
    folder,
    true,
  );
  // As the built product has it: a short command loads only what it needs.
  await bundle({ golden: programs.golden, 'checkpoint-worker': programs['checkpoint-worker'] }, folder);
  process.env.GOLDEN_TEST_PROGRAMS = folder;
  process.on('exit', () => rmSync(folder, { recursive: true, force: true }));
}
