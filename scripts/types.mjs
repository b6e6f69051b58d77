import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { root } from './common.mjs';

// Each workspace is checked with the globals it may use: core knows neither Node nor a page.

let status = 0;
for (const project of [
  'core',
  'connectors',
  'server',
  'web',
  'standins',
  'demo',
  'tsconfig.tests.json',
  'web/tsconfig.tests.json',
]) {
  const done = spawnSync(join(root, 'node_modules', '.bin', 'tsc'), ['-p', project], { cwd: root, stdio: 'inherit' });
  status ||= done.status ?? 1;
}
process.exit(status);
