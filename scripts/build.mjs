import { join } from 'node:path';
import { build as buildWeb } from 'vite';
import { bundle } from './bundle.mjs';
import { root } from './common.mjs';
import { programs } from './programs.mjs';

// The pages into web/dist, the programs into dist.

await buildWeb({ root: join(root, 'web'), logLevel: 'warn', configFile: join(root, 'web', 'vite.config.ts') });
await bundle(programs, join(root, 'dist'));
