import { join } from 'node:path';
import { build as buildWeb } from 'vite';
import { bundle } from './bundle.mjs';
import { root } from './common.mjs';

// The pages into web/dist, the programs into dist.

await buildWeb({ root: join(root, 'web'), logLevel: 'warn', configFile: join(root, 'web', 'vite.config.ts') });
await bundle(
  {
    golden: 'server/src/golden.ts',
    'matching-worker': 'server/src/matching/worker-main.ts',
    'document-worker': 'server/src/documents/document-worker.ts',
    'workbook-worker': 'connectors/src/workbook/book-worker.ts',
    practice: 'standins/src/main.ts',
    'make-demo': 'demo/src/make.ts',
  },
  join(root, 'dist'),
);
