// Starts the thread from its sources, for development; the built product starts its bundle, and so do the tests.
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';

const bundled = process.env.GOLDEN_TEST_PROGRAMS;
if (!bundled) (await import('tsx/esm/api')).register();
const program = bundled
  ? await import(pathToFileURL(join(bundled, 'document-worker.mjs')).href)
  : await import('./document-worker.ts');
export default program.default;
