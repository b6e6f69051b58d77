// Starts the workbook thread from its sources, for development; the built product starts its bundle, and so do the tests.
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';

const bundled = process.env.GOLDEN_TEST_PROGRAMS;
if (bundled) await import(pathToFileURL(join(bundled, 'workbook-worker.mjs')).href);
else {
  (await import('tsx/esm/api')).register();
  await import('./book-worker.ts');
}
