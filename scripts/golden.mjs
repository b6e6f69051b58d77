import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { bundle } from './bundle.mjs';
import { root } from './common.mjs';

// The command-line entry from source: bundled first, which takes a moment and makes long work twice
// as fast as running the sources one by one.

const outdir = join(root, 'dist', 'cli');
await bundle({ golden: 'server/src/golden.ts' }, outdir);
const child = spawn(process.execPath, [join(outdir, 'golden.mjs'), ...process.argv.slice(2)], {
  stdio: 'inherit',
});
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
child.on('exit', (code, signal) => process.exit(signal ? 1 : (code ?? 1)));
